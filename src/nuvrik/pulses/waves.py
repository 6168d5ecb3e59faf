"""Servo pulses and PWM as marks and spaces, and what they mean."""

from collections.abc import Sequence
from typing import NamedTuple

from nuvrik.levels import place_at, share_at


def servo_pulse(angle: float, pulse_us: Sequence[int], angles: Sequence[float]) -> int:
    """The pulse, in microseconds, that turns a servo to an angle in degrees.

    ``pulse_us`` is at one end, centred, and at the other end; ``angles`` are the angles of the two ends, the
    centre being halfway. ValueError for an angle beyond them.
    """
    first, last = angles
    if not min(first, last) <= angle <= max(first, last):
        raise ValueError(f"{angle:g} degrees is beyond {first:g} to {last:g}")
    share = 2 * (angle - first) / (last - first) - 1
    return round(place_at(pulse_us, share))


def servo_angle(pulse: float, pulse_us: Sequence[int], angles: Sequence[float]) -> float:
    """The angle in degrees to which a pulse turns a servo: the other way round. ValueError for a pulse beyond
    the ends."""
    first, last = angles
    if not pulse_us[0] <= pulse <= pulse_us[-1]:
        raise ValueError(f"{pulse:g} us is beyond {pulse_us[0]} to {pulse_us[-1]}")
    return first + (share_at(pulse_us, pulse) + 1) / 2 * (last - first)


class Pwm(NamedTuple):
    """One period of PWM: how long it is on and off, in microseconds, the share of time on, and the mean
    voltage that a motor behind it sees."""

    on_us: float
    off_us: float
    duty: float
    mean_volts: float

    def durations(self, periods: int = 1) -> list[int]:
        """So many periods as marks and spaces; at no duty or full duty, one of the two only."""
        made: list[int] = []
        for _ in range(periods):
            made += [round(self.on_us)] if round(self.on_us) else []
            made += [-round(self.off_us)] if round(self.off_us) else []
        return made


def pwm(duty: int, top: int, frequency_hz: float, supply_volts: float = 1.0) -> Pwm:
    """What a duty of so many counts of ``top`` is at a frequency. ValueError for what no timer can do."""
    if not 0 <= duty <= top or top < 1:
        raise ValueError(f"a duty of {duty} is not from 0 to {top}")
    if frequency_hz <= 0:
        raise ValueError(f"{frequency_hz:g} Hz is no frequency")
    period_us, share = 1_000_000 / frequency_hz, duty / top
    return Pwm(period_us * share, period_us * (1 - share), share, supply_volts * share)
