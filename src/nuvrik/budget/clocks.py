"""What a clock can do: UART divisors, PWM timers, servo pulses.

A UART samples each bit so many times (16, 8, 4, 64 for some), or has a divisor with a fractional part. It
finds a start bit to within one sample, and samples the stop bit 9.5 bit times later; so both ends' speeds may
differ by (0.5 - 1/samples) / 9.5 together, and not by more.

A timer counts the clock divided by a prescaler, on some chips only every fourth clock; its period register
holds one less than the counts in a period.
"""

from collections.abc import Sequence
from fractions import Fraction
from math import ceil
from typing import NamedTuple

WAYS = ("16", "8", "4", "64", "16ths")
"""Samples a bit, or a divisor in 16ths with 16 samples."""
FRACTIONS = 16
"""A fractional divider divides by 16ths."""
UART_BITS = 12
"""A divisor register holds so many bits at most."""
STOP_BIT = 9.5
"""Bits from the edge of a start bit to the middle of the stop bit, where the last sample is taken."""

COMFORT = 0.5
"""Of the margin that two ends have together, cables and temperature need about half."""
PRESCALERS = (1, 8, 64, 256, 1024)
BITS = (8, 16)
"""What the timers of small microcontrollers divide by, and how wide they are."""


class Divisor(NamedTuple):
    """One way of making a baud rate: ``divisor`` is what goes into the register, with its 16ths where it has
    any; ``error_percent`` is signed."""

    how: str
    divisor: float
    actual_baud: float
    error_percent: float
    samples: int

    @property
    def margin_percent(self) -> float:
        """By how much the two ends may differ together, in percent."""
        return 100 * (0.5 - 1 / self.samples) / STOP_BIT


def divisors(clock_hz: int, baud: int, ways: Sequence[str] = WAYS) -> list[Divisor]:
    """Every way of making a baud rate from a clock, the nearest first; of equal ones the most samples.
    ``ways`` are those that a chip has, of WAYS."""
    found = []
    for samples in (int(way) for way in ways if way != "16ths"):
        whole = _nearest(Fraction(clock_hz, samples * baud))
        if whole <= 1 << UART_BITS:
            actual = Fraction(clock_hz, samples * whole)
            found.append(_divisor(f"clock / ({samples} (n + 1))", whole - 1, actual, baud, samples))
    parts = max(FRACTIONS, _nearest(Fraction(clock_hz * FRACTIONS, 16 * baud)))
    if "16ths" in ways and parts <= FRACTIONS << UART_BITS:
        actual = Fraction(clock_hz * FRACTIONS, 16 * parts)
        found.append(_divisor("clock / (16 n), n in 16ths", parts / FRACTIONS, actual, baud, 16))
    return sorted(found, key=lambda one: (round(abs(one.error_percent), 6), -min(one.samples, 16)))


def _nearest(exact: Fraction) -> int:
    """The whole number to divide by that comes nearest to a frequency: not always the nearest number."""
    below = max(1, int(exact))
    return below if exact / below - 1 <= 1 - exact / (below + 1) else below + 1


def _divisor(how: str, register: float, actual: Fraction, baud: int, samples: int) -> Divisor:
    return Divisor(how, register, float(actual), float(100 * (actual / baud - 1)), samples)


def leaves_margin(ours: Divisor, other_percent: float) -> tuple[bool, float]:
    """Whether two ends understand each other with room to spare, and how far apart they are in percent.
    ``other_percent`` is the error of the other end."""
    apart = abs(ours.error_percent - other_percent)
    return apart <= COMFORT * ours.margin_percent, apart


class Timer(NamedTuple):
    """What there is to choose from: bits of the period register, prescalers, clocks a count."""

    bits: int = 8
    prescalers: tuple[int, ...] = PRESCALERS
    clocks_per_count: int = 1

    @property
    def most(self) -> int:
        """The most counts in a period."""
        return 1 << self.bits


class Setting(NamedTuple):
    """A prescaler and a period: ``period`` goes into the register, one less than the counts in a period.
    There are ``steps`` of duty, each ``count_us`` long: as many as counts. On chips that count every fourth
    clock there are four times as many: the duty register has two bits more, for the clocks in between."""

    prescaler: int
    period: int
    actual_hz: float
    error_percent: float
    steps: int
    count_us: float


def settings(clock_hz: int, wanted_hz: float, timer: Timer) -> list[Setting]:
    """Every prescaler that can do it, the nearest first; of equal ones the most steps. Empty: none can."""
    found = []
    for prescaler in timer.prescalers:
        count_hz = Fraction(clock_hz, prescaler * timer.clocks_per_count)
        wanted = count_hz / Fraction(wanted_hz)
        if not Fraction(3, 2) <= wanted < timer.most + Fraction(1, 2):
            continue
        counts = min(max(_nearest(wanted), 2), timer.most)
        actual = count_hz / counts
        error = float(100 * (actual / Fraction(wanted_hz) - 1))
        finer = timer.clocks_per_count
        step_us = float(1_000_000 / (count_hz * finer))
        found.append(Setting(prescaler, counts - 1, float(actual), error, counts * finer, step_us))
    return sorted(found, key=lambda one: (round(abs(one.error_percent), 6), -one.steps))


def nearest_clock(clock_hz: int, wanted_hz: float, timer: Timer) -> int:
    """The clock nearest to this one with which the timer can do it, in Hz."""
    wanted = Fraction(wanted_hz)
    ways = []
    for prescaler in timer.prescalers:
        each = prescaler * timer.clocks_per_count * wanted
        ways += [int(each * timer.most), ceil(each * 2)]
        if each * 2 <= clock_hz <= each * timer.most:
            return clock_hz
    return min((way for way in ways if way > 0), key=lambda way: abs(way - clock_hz))


class Servo(NamedTuple):
    """Servo pulses from a timer: for each of ``pulse_us`` its counts, and how far a step of one count goes,
    in microseconds and degrees."""

    setting: Setting
    pulse_us: tuple[int, ...]
    counts: tuple[int, ...]
    step_us: float
    step_degrees: float

    @property
    def places(self) -> int:
        """How many places between the two ends a servo can be told."""
        return self.counts[-1] - self.counts[0] + 1


def servo(
    clock_hz: int, frame_hz: float, timer: Timer, pulse_us: Sequence[int], degrees: float
) -> Servo | None:
    """The finest servo pulses a timer can make within a frame; None if it cannot make the frame."""
    able = settings(clock_hz, frame_hz, timer)
    if not able:
        return None
    best = max(able, key=lambda one: one.steps)
    counts = tuple(round(us / best.count_us) for us in pulse_us)
    step_degrees = degrees * best.count_us / (pulse_us[-1] - pulse_us[0])
    return Servo(best, tuple(pulse_us), counts, best.count_us, step_degrees)
