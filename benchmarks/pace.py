"""How figures are taken: in pairs with a floor, and what the targets are."""

import random
import statistics
import struct
import time
from binascii import crc_hqx
from collections.abc import Callable

import nuvrik
from nuvrik.levels import FULL
from nuvrik.pulses.codes import PROTOCOLS, press

ROUNDS = 15
# Where there used to be a target in seconds, the ratio is what the code of that time measured beside this
# floor in one run, with the room that its target left it: 500 of 688 simulated seconds a second, 20 s for
# 16.9, 60 us a frame for 16, 300 MB for 91, 150 ms for 107.
MOST_REHEARSAL = 10.5
MOST_TICK = 105.0
MOST_MEMORY = 9.0
MOST_INFRARED = 140.0
MOST_FAULTS = 24.5
MOST_HELP = 1.6

Batch = Callable[[int], object]
"""One batch of the work, by its number."""


def paired(floor: Batch, ours: Batch, batches: int, rounds: int = ROUNDS) -> dict[str, float]:
    """Median seconds for all batches of each, and the median of the ratios batch by batch.

    A noisy machine changes pace within a second; two batches of some milliseconds, one right after the
    other, still see the same pace.
    """
    floors, times, ratios = [], [], []
    for _ in range(rounds):
        spent = [0.0, 0.0]
        for batch in range(batches):
            took = []
            for timed in (floor, ours):
                start = time.perf_counter()
                timed(batch)
                took.append(time.perf_counter() - start)
            ratios.append(took[1] / took[0])
            spent = [total + seconds for total, seconds in zip(spent, took, strict=True)]
        floors.append(spent[0])
        times.append(spent[1])
    return {
        "floor_s": statistics.median(floors),
        "ours_s": statistics.median(times),
        "ratio": statistics.median(ratios),
    }


def some_values(link: nuvrik.Link, rng: random.Random) -> list[int]:
    """One value a channel, as a handset in use would send them."""
    low = {"level": -FULL, "share": 0, "flag": 0}
    high = {"level": FULL, "share": FULL, "flag": 1}
    return [rng.randint(low[channel.kind], high[channel.kind]) for channel in link.channels.values()]


def bare(turns: int) -> None:
    """What no simulation of a link can do without, as a floor: a frame packed, checked and unpacked, and four
    outputs moved a step nearer to where they are led, each turn."""
    shape, at = struct.Struct("<4B5h"), [0] * 4
    for turn in range(turns):
        covered = shape.pack(16, 90, 1, turn & 0xFF, turn & 1023, 0, 0, 0, 0)
        wire = b"\0" + covered + crc_hqx(covered, 0xFFFF).to_bytes(2, "big") + b"\0"
        led = shape.unpack(wire[1:-3])[4]
        for place, here in enumerate(at):
            at[place] = here + min(655, max(-655, led - here))


def a_press(rng: random.Random) -> tuple[tuple[str, int, int], list[int]]:
    """Some key of some remote, held for up to half a second."""
    name = rng.choice(list(PROTOCOLS))
    form = PROTOCOLS[name].form
    address, command = rng.randrange(1 << form.address_bits), rng.randrange(1 << form.command_bits)
    address ^= name == "nec_extended" and address >> 8 == ~address & 0xFF
    return (name, address, command), press(name, address, command, rng.randrange(5), rng.randrange(2))


LIMITS = (
    ("sure", "sure_most"),
    ("lost_share", "lost_most"),
    ("off_by", "most_off"),
)


def met(figure: dict[str, float]) -> bool:
    """Whether a figure reaches its target."""
    if figure.get("failed") or figure.get("lamp_codes"):
        return False
    if figure.get("recognised", 1.0) < figure.get("least_recognised", 0.0):
        return False
    if "most_short_ms" in figure:
        return 0 <= figure["short_of_it_ms"] <= figure["most_short_ms"]
    pairs = [(name, f"{name}_most") for name in figure if f"{name}_most" in figure]
    if pairs:
        return all(figure[name] <= figure[most] for name, most in pairs)
    for value, most in LIMITS:
        if most in figure:
            return figure[value] <= figure[most]
    return figure["ratio"] <= figure["most"]
