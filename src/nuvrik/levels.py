"""The one arithmetic: integers only, rounded one way, the same in every language Nuvrik speaks.

A *level* is an integer in Q14 fixed point: -FULL to FULL stands for -1 to 1 of full scale. Every
intermediate result of the functions below fits in a signed 32-bit integer as long as raw ranges
span at most 65535 and weights are at most 2 * FULL, so a small microcontroller gets the same bits.

Time is an integer number of milliseconds modulo 2**16. Two such times must never be compared with
``<``; :class:`Clock` is the only thing that may be done with them.
"""

from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal

FULL = 16384
"""Full scale of a level: 1.0."""

HALF = FULL // 2

CLOCK_WRAP = 1 << 16
"""The millisecond clock of a machine wraps here."""

TIMER_MAX = CLOCK_WRAP - 1
"""A timer on a microcontroller saturates here instead of wrapping; every time limit is well below."""


def div(a: int, b: int) -> int:
    """``a / b`` rounded half away from zero. ``b`` must not be 0.

    >>> div(7, 2), div(-7, 2), div(6, 4), div(-5, 4)
    (4, -4, 2, -1)
    """
    quotient = (abs(a) + abs(b) // 2) // abs(b)
    return quotient if (a < 0) == (b < 0) else -quotient


def mul(a: int, b: int) -> int:
    """The product of two Q14 numbers, rounded half away from zero: ``div(a * b, FULL)``."""
    product = a * b  # FULL is a power of two, so the rounding is a shift
    return product + HALF >> 14 if product >= 0 else -(HALF - product >> 14)


def clamp(value: int, low: int, high: int) -> int:
    """``value``, or the nearer end of ``low`` to ``high``."""
    return low if value < low else high if value > high else value


def level_of(fraction: float) -> int:
    """The level of a decimal fraction of full scale, rounded half away from zero.

    The fraction is taken as it is written (0.35, not the binary number nearest to it), so that a
    person with pencil and paper finds the same level.
    """
    scaled = Decimal(str(fraction)) * FULL
    return int(scaled.quantize(Decimal(1), rounding=ROUND_HALF_UP))


def fraction_of(level: int) -> float:
    """A level as a fraction of full scale, for people to read."""
    return level / FULL


def along(points: Sequence[tuple[int, int]], level: int) -> int:
    """The value at ``level`` on straight lines through points with rising places; level beyond the ends."""
    before = points[0]
    if level <= before[0]:
        return before[1]
    for point in points[1:]:
        if level <= point[0]:
            return before[1] + div((level - before[0]) * (point[1] - before[1]), point[0] - before[0])
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


def level_place(points: Sequence[int], level: int) -> int:
    """:func:`place_at` in the one arithmetic, for a level."""
    low, rest, high = points
    return rest + div(level * (high - rest if level >= 0 else rest - low), FULL)


class Clock:
    """A 16-bit clock made into milliseconds that only ever grow, so that a timer is a subtraction.

    Right as long as it is read more often than the 16-bit clock wraps; whoever knows that it was not
    says so with :meth:`jump`. On a microcontroller each timer counts up and saturates instead, which
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
"""On a :class:`Clock`, before anything: every limit counted from here has passed."""

FRACTION_BITS = 10
"""A moving level is kept this much finer, so that slow moves do not stand still."""

_FULL_FINE = FULL << FRACTION_BITS


class Slew:
    """A level that moves towards its target at a limited rate; ``full_ms`` from 0 to FULL, 0: at once."""

    def __init__(self, full_ms: int) -> None:
        self._rate = -(-_FULL_FINE // full_ms) if full_ms else 0
        self._dt_most = 2 * full_ms
        self.fine = 0
        """Where it is, as a level << FRACTION_BITS."""

    @property
    def level(self) -> int:
        """Where it is now, towards zero from the finer position."""
        return self.fine >> FRACTION_BITS if self.fine >= 0 else -(-self.fine >> FRACTION_BITS)

    @property
    def moving(self) -> bool:
        """Whether it is away from zero."""
        return self.fine != 0

    def put(self, level: int) -> None:
        """Be at a level at once."""
        self.fine = level << FRACTION_BITS

    def towards(self, target: int, dt_ms: int) -> bool:
        """Move towards ``target`` (a level) for ``dt_ms``; whether it moved at all."""
        before = self.fine
        self.fine = self.reached(target << FRACTION_BITS, dt_ms)
        return self.fine != before

    def change(self, dt_ms: int) -> int:
        """By how many levels it can move in ``dt_ms`` at most."""
        if not self._rate:
            return FULL
        fine = self._rate * min(dt_ms, self._dt_most)
        return min(FULL, -(-fine >> FRACTION_BITS))

    def reached(self, goal: int, dt_ms: int) -> int:
        """How far towards a finer goal ``dt_ms`` reaches."""
        here = self.fine
        if not self._rate or goal == here:
            return goal
        # A gap in the loop longer than the whole way must not overflow the product.
        reach = self._rate * (dt_ms if dt_ms < self._dt_most else self._dt_most)
        if goal > here:
            return goal if goal - here <= reach else here + reach
        return goal if here - goal <= reach else here - reach
