"""The one arithmetic: whole numbers, rounded one way, the same in every language."""

from nuvrik.core.widths import i32, level, product, span, u16, wide

FULL = 16384
"""Full scale of a level, which is a number in Q14: -FULL to FULL stands for -1 to 1."""

FULL_BITS = 14
"""FULL is 1 shifted by so much."""

NO_READING = -32768
"""In place of a level: there is none."""

NOBODY = 255
"""The place of nothing, among channels and outputs."""

TIMER_MAX = 65535
"""A timer of milliseconds stops here. Every time in a link file is well below."""


def div(a: wide, b: wide) -> i32:
    """a / b, rounded half away from zero. b must not be 0."""
    size: i32 = (abs(a) + abs(b) // 2) // abs(b)
    if (a < 0) == (b < 0):
        return size
    return -size


def mul(a: i32, b: i32) -> i32:
    """The product of two numbers in Q14, rounded half away from zero. It has to fit in 31 bits."""
    exact: product = a * b
    # FULL is a power of two, so rounding is a shift; of nothing negative, because there C does as it likes.
    if exact >= 0:
        return (exact + FULL // 2) >> FULL_BITS
    return -((FULL // 2 - exact) >> FULL_BITS)


def clamp(value: i32, low: i32, high: i32) -> i32:
    """value, or the nearer end of low to high."""
    if value < low:
        return low
    if value > high:
        return high
    return value


def later(timer: u16, dt_ms: u16) -> u16:
    """A timer after so many milliseconds more. It stops at the most that it can hold."""
    room: u16 = TIMER_MAX - timer
    return TIMER_MAX if dt_ms > room else timer + dt_ms


def between(x: level, from_x: level, from_y: level, to_x: level, to_y: level) -> level:
    """Where a straight line through two points is at x, which lies between them."""
    run: span = to_x - from_x
    rise: span = to_y - from_y
    way: span = x - from_x
    area: product = way * rise
    climbed: span = div(area, run)
    return from_y + climbed
