"""What a cheap receiver makes of marks and spaces: edges moved, marks longer, glitches, and noise between."""

import random
from collections.abc import Sequence
from itertools import pairwise

from nuvrik.pulses.on_off_keyed import OnOffDecoder, durations

# Simple receivers turn the empty band into marks and spaces of some hundred microseconds, motors add spikes
# of some ten, and lamps that switch by themselves make marks about as long as the shortest of a code. The
# numbers are round ones of those sizes; no reader may depend on them.
MEAN_NOISE_US = 200
GLITCH_US = (5, 60)
LAMP_MARK_US = 300


def receiver_noise(pulses: int, rng: random.Random) -> list[int]:
    """What comes of an empty band: so many marks and spaces of no particular length, in microseconds."""
    sign = rng.choice((1, -1))
    return [(sign := -sign) * max(1, round(rng.expovariate(1 / MEAN_NOISE_US))) for _ in range(pulses)]


def through_a_receiver(
    pulses: Sequence[int],
    rng: random.Random,
    *,
    jitter_us: float = 0.0,
    mark_stretch_us: int = 0,
    clock: float = 1.0,
    glitches_per_s: float = 0.0,
) -> list[int]:
    """Marks and spaces as they come out of a receiver.

    Every edge is moved by chance (``jitter_us``, standard deviation), each mark made ``mark_stretch_us``
    longer and each space as much shorter, everything stretched by ``clock``, and short pulses of the other
    level put in."""
    edge, edges = 0.0, [0.0]
    for pulse in pulses:
        edge += abs(pulse) * clock
        edges.append(edge + rng.gauss(0, jitter_us))
    made: list[int] = []
    for pulse, (start, end) in zip(pulses, pairwise(edges), strict=True):
        sign = 1 if pulse > 0 else -1
        length = max(1, round(end - start) + sign * mark_stretch_us)
        glitch = rng.randint(*GLITCH_US)
        if length > 2 * glitch and rng.random() < glitches_per_s * length / 1e6:
            before = rng.randint(1, length - glitch - 1)
            made += [sign * before, -sign * glitch, sign * (length - glitch - before)]
        else:
            made.append(sign * length)
    return made


def frame_error_rate(
    jitter: float, glitches_per_s: float, frames: int, rng: random.Random, bitrate: int = 2000
) -> float:
    """The share of frames of 12 bytes that are lost, with noise between them and clocks off by up to 2 %.

    ``jitter`` is the standard deviation of an edge as a share of a half bit.
    """
    decoder, bodies = OnOffDecoder(bitrate), [rng.randbytes(12) for _ in range(frames)]
    heard: set[bytes] = set()
    for body in bodies:
        clean = durations(body, bitrate, 24)
        jitter_us, clock = jitter * 500_000 / bitrate, 1 + rng.uniform(-0.02, 0.02)
        worn = through_a_receiver(clean, rng, jitter_us=jitter_us, clock=clock, glitches_per_s=glitches_per_s)
        heard.update(decoder.feed([*receiver_noise(40, rng), *worn]))
    heard.update(decoder.end())
    return sum(body not in heard for body in bodies) / frames


def lamp_noise(seconds: float, pulses_per_s: float, rng: random.Random) -> list[int]:
    """What a receiver makes of a lamp: marks of 300 us on average at random times, and nothing in them."""
    made: list[int] = []
    passed, whole = 0, round(seconds * 1_000_000)
    while passed < whole:
        mark = 1 + int(rng.expovariate(1 / LAMP_MARK_US))
        space = 1 + int(rng.expovariate(1 / max(1_000_000 / pulses_per_s - LAMP_MARK_US, 1)))
        made += (mark, -space)
        passed += mark + space
    return made


def worn(
    pulses: Sequence[int],
    rng: random.Random,
    *,
    jitter_us: float = 0.0,
    mark_stretch_us: float = 0.0,
    clock: float = 1.0,
) -> list[int]:
    """Infrared as a sloppy receiver gives it: every edge off by up to ``jitter_us`` either way, marks
    longer by ``mark_stretch_us`` and spaces shorter, and everything stretched by ``clock``."""
    edge = 0.0
    edges = [rng.uniform(-jitter_us, jitter_us)]
    for pulse in pulses:
        edge += abs(pulse) * clock
        edges.append(edge + rng.uniform(-jitter_us, jitter_us) + (mark_stretch_us if pulse > 0 else 0))
    made = []
    for pulse, (start, end) in zip(pulses, pairwise(edges), strict=True):
        length = max(1, round(end) - round(start))
        made.append(length if pulse > 0 else -length)
    return made
