"""What goes undetected: a style's own frames, damaged in every common way, and counted if accepted.

A damaged frame stands between two sound ones. It counts as undetected if anything is accepted that nobody
sent: a command with other values than the three that were.
"""

import random
from collections.abc import Callable
from typing import NamedTuple

from nuvrik.levels import FULL
from nuvrik.plan.form.models import Link
from nuvrik.wire.codes import Value
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import COMMAND
from nuvrik.wire.packing import Field, quantised

BURST_BITS = 24
"""Longer than the widest check, crc16, which finds every burst of up to 16 bits."""


def _flip_one(wire: bytearray, rng: random.Random) -> None:
    wire[rng.randrange(len(wire))] ^= 1 << rng.randrange(8)


def _flip_two(wire: bytearray, rng: random.Random) -> None:
    for bit in rng.sample(range(8 * len(wire)), 2):
        wire[bit >> 3] ^= 1 << (bit & 7)


def _burst(wire: bytearray, rng: random.Random) -> None:
    """Up to so many bits in a row inverted or not, by chance; the first and the last are."""
    total = 8 * len(wire)
    length = rng.randint(3, min(BURST_BITS, total))
    first = rng.randrange(total - length + 1)
    for bit in range(first, first + length):
        if bit in (first, first + length - 1) or rng.random() < 0.5:
            wire[bit >> 3] ^= 1 << (bit & 7)


def _drop(wire: bytearray, rng: random.Random) -> None:
    del wire[rng.randrange(len(wire))]


def _double(wire: bytearray, rng: random.Random) -> None:
    place = rng.randrange(len(wire))
    wire.insert(place, wire[place])


def _swap(wire: bytearray, rng: random.Random) -> None:
    if len(wire) > 1:
        place = rng.randrange(len(wire) - 1)
        wire[place], wire[place + 1] = wire[place + 1], wire[place]


DAMAGES: dict[str, Callable[[bytearray, random.Random], None]] = {
    "one bit inverted": _flip_one,
    "two bits inverted": _flip_two,
    f"a burst of up to {BURST_BITS} bits": _burst,
    "a byte lost": _drop,
    "a byte doubled": _double,
    "two bytes swapped": _swap,
}
"""Ways to damage what is between two end markers, in place."""


class Undetected(NamedTuple):
    """Of ``tried`` frames damaged in one way, ``accepted`` were taken for a command that nobody sent."""

    damage: str
    tried: int
    accepted: int

    @property
    def per_million(self) -> float:
        """Obeyed in a million."""
        return 1e6 * self.accepted / self.tried if self.tried else 0.0


def measure(link: Link, tries: int, seed: int = 0) -> list[Undetected]:
    """Try every damage so many times on a link's own frames, on a stream."""
    rng = random.Random(seed)
    encoder, decoder = Encoder(link, stream=True), Decoder(link)
    fields = encoder.packer.fields
    found = []
    for name, damage in DAMAGES.items():
        accepted = tried = 0
        for _ in range(tries):
            decoder.forget()
            sets = [_values(fields, rng) for _ in range(3)]
            seq = rng.randrange(250)
            wires = [encoder.command_on_wire(values, seq + n) for n, values in enumerate(sets)]
            middle = bytearray(wires[1])
            if not middle:
                continue  # the style has no way of saying that, and sends nothing
            tried += 1
            damage(middle, rng)
            heard = decoder.feed(b"".join((wires[0], bytes(middle), wires[2])))
            sent = _as_heard(link, sets, wires, fields)
            accepted += any(
                isinstance(event, Frame) and event.kind == COMMAND and event.values not in sent
                for event in heard
            )
        found.append(Undetected(name, tried, accepted))
    return found


def _values(fields: tuple[Field, ...], rng: random.Random) -> list[Value]:
    values: list[Value] = []
    for field in fields:
        if field.kind == "level":
            values.append(rng.randint(-FULL, FULL))
        elif field.kind == "share":
            values.append(rng.randint(0, FULL))
        else:
            values.append(rng.randrange(len(field.options) or (1 << field.bits)))
    return values


def _as_heard(
    link: Link, sets: list[list[Value]], wires: list[bytes], fields: tuple[Field, ...]
) -> set[tuple[Value, ...]]:
    """What a receiver makes of the frames undamaged."""
    if link.frame.sealed:
        return {tuple(quantised(v, f) for v, f in zip(values, fields, strict=True)) for values in sets}
    events = Decoder(link).feed(b"".join(wires))
    return {event.values for event in events if isinstance(event, Frame)}
