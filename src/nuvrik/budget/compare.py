"""The same channels in every frame style, side by side: what each costs, and what it gives up."""

import random
from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.inspection.undetected import measure
from nuvrik.plan.form.frame_actions import KeyAction, KeysFrame
from nuvrik.plan.form.frame_base import Lack
from nuvrik.plan.form.frame_headed import PackedFrame, SlipFrame
from nuvrik.plan.form.frame_texts import ColumnsFrame, LineFrame
from nuvrik.plan.form.frames import AnyFrame
from nuvrik.plan.form.models import Link
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder

TRIES = 150
"""Frames that a style is tried with, each with every kind of damage."""

CUTS = 120
"""Cuts a style has to find its way back from."""

ALL: list[Lack] = ["no_sequence", "no_pair", "no_layout", "no_check"]


class Row(NamedTuple):
    """One style for one link: bytes of a frame and on the wire, its airtime, the highest rate; of a million
    damaged frames how many are accepted; and how many good frames a lost byte costs on average and at
    most."""

    style: str
    frame_bytes: int
    wire_bytes: int
    airtime_ms: float
    max_rate_hz: float
    undetected: float
    lost_mean: float
    lost_most: int


def styles(link: Link) -> dict[str, AnyFrame]:
    """The styles that the channels of a link can be sent in, each without frills."""
    pair = link.frame.pair
    made: dict[str, AnyFrame] = {
        "packed": PackedFrame(style="packed", pair=pair),
        "slip": SlipFrame(style="slip", pair=pair),
        "line, crc8": LineFrame(style="line", check="crc8", accept=ALL[:3]),
        "line": LineFrame(style="line", accept=ALL),
        "columns": ColumnsFrame(style="columns", accept=ALL),
    }
    keys = _keys(link)
    if len(keys) <= 64:
        made["keys"] = KeysFrame(style="keys", accept=ALL, keys=keys)
    return made


def _keys(link: Link) -> dict[str, KeyAction]:
    """Keys that step every level and set everything else, and one that stops."""
    letters = iter("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789!$%&()=?+-*/<>" * 8)
    made = {" ": KeyAction(stop=True)}
    for name, channel in link.channels.items():
        if channel.scaled:
            made |= {next(letters): KeyAction(add={name: by}) for by in (0.1, -0.1)}
            made[next(letters)] = KeyAction(set={name: 0.0})
        else:
            made |= {next(letters): KeyAction(set={name: float(value)}) for value in (0, 1)}
    return made


def compare(link: Link, seed: int = 0) -> Iterator[Row]:
    """A row a style, measured on the channels of this very link."""
    for name, frame in styles(link).items():
        other = link.model_copy(update={"frame": frame})
        encoder = Encoder(other)
        wire = encoder.longest_on_wire
        airtime_ms = link.medium.airtime_us(wire) / 1000
        found = measure(other, TRIES, seed=seed)
        tried = sum(one.tried for one in found)
        mean, most = _after_a_lost_byte(other, seed)
        yield Row(
            name,
            encoder.longest_body,
            wire,
            airtime_ms,
            1000 / airtime_ms if airtime_ms else 1000 / link.period_ms,
            1e6 * sum(one.accepted for one in found) / tried,
            mean,
            most,
        )


def _after_a_lost_byte(link: Link, seed: int) -> tuple[float, int]:
    """How many frames of a stream are not understood when one of its bytes is lost."""
    rng, encoder = random.Random(seed), Encoder(link, stream=True)
    values = [[0] * len(link.channels), [1 if c.kind == "flag" else 0 for c in link.channels.values()]]
    losses = []
    for _ in range(CUTS):
        wires = [encoder.command_on_wire(values[n % 2], n) for n in range(12)]
        stream = b"".join(wires)
        place = len(b"".join(wires[:4])) + rng.randrange(len(b"".join(wires[4:8])))
        events = Decoder(link).feed(stream[:place] + stream[place + 1 :])
        losses.append(len(wires) - sum(isinstance(event, Frame) for event in events))
    return sum(losses) / len(losses), max(losses)
