"""Levels and time at the edge: fractions, points, and a clock that only grows. The arithmetic is core's.

A *level* is an integer in Q14 fixed point: -FULL to FULL stands for -1 to 1 of full scale. Every
intermediate result of the functions below fits in a signed 32-bit integer as long as raw ranges
span at most 65535 and weights are at most 2 * FULL, so a small microcontroller gets the same bits.

Time is an integer number of milliseconds modulo 2**16. Two such times must never be compared with
``<``; ``Clock`` is the only thing that may be done with them.
"""

from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal

from nuvrik.core.levels import FULL, TIMER_MAX, between, clamp, div, mul

__all__ = [
    "CLOCK_WRAP",
    "FULL",
    "LONG_AGO",
    "TIMER_MAX",
    "Clock",
    "along",
    "clamp",
    "div",
    "fraction_of",
    "in_percent",
    "level_of",
    "mul",
    "place_at",
    "share_at",
]

CLOCK_WRAP = TIMER_MAX + 1
"""The millisecond clock of a machine wraps here."""


def level_of(fraction: float) -> int:
    """The level of a decimal fraction of full scale, rounded half away from zero.

    The fraction is taken as it is written (0.35, not the binary number nearest to it), so that a
    person with pencil and paper finds the same level.

    >>> level_of(0.35), level_of(-1)
    (5734, -16384)
    """
    scaled = Decimal(str(fraction)) * FULL
    return int(scaled.quantize(Decimal(1), rounding=ROUND_HALF_UP))


def fraction_of(level: int) -> float:
    """A level as a fraction of full scale, for people to read."""
    return level / FULL


def in_percent(level: int) -> str:
    """A level as people read it: per cent of its own full, forward positive.

    >>> in_percent(8192), in_percent(-20), in_percent(0)
    ('+50 %', '0 %', '0 %')
    """
    percent = div(100 * level, FULL)
    return f"{percent:+d} %" if percent else "0 %"


def along(points: Sequence[tuple[int, int]], level: int) -> int:
    """The value at ``level`` on straight lines through points with rising places; level beyond the ends."""
    before = points[0]
    if level <= before[0]:
        return before[1]
    for point in points[1:]:
        if level <= point[0]:
            return between(level, *before, *point)
        before = point
    return before[1]


def place_at(points: Sequence[int], share: float) -> float:
    """Where -1 to 1 is between three points: low, at rest, high, each half with a length of its own.

    >>> place_at([0, 508, 1023], -0.5), place_at([1000, 1500, 2000], 0.25)
    (254.0, 1625.0)
    """
    low, rest, high = points
    return rest + share * (high - rest if share > 0 else rest - low)


def share_at(points: Sequence[int], place: float) -> float:
    """The opposite: -1 to 1 for a place between three points."""
    low, rest, high = points
    away = place - rest
    return away / (high - rest if (away > 0) == (high > low) else rest - low) if away else 0.0


class Clock:
    """A 16-bit clock made into milliseconds that only ever grow, so that a timer is a subtraction.

    Right as long as it is read more often than the 16-bit clock wraps; whoever knows that it was not
    says so with ``jump``. On a microcontroller each timer counts up and saturates instead, which
    comes to the same, because no limit is as long as the clock.
    """

    def __init__(self) -> None:
        self.total_ms = 0
        self._last_ms: int | None = None

    def read(self, now_ms: int) -> int:
        """The milliseconds since the first reading, at ``now_ms``."""
        if self._last_ms is not None:
            self.total_ms += (now_ms - self._last_ms) & TIMER_MAX
        self._last_ms = now_ms
        return self.total_ms

    def jump(self, now_ms: int) -> int:
        """Let it be ``now_ms``, and more time gone by than any timer waits for."""
        self._last_ms = now_ms
        self.total_ms += TIMER_MAX
        return self.total_ms


LONG_AGO = -TIMER_MAX
"""On a ``Clock``, before anything: every limit counted from here has passed."""
