"""One motor, jogged at one level after the other, and its speed each time: the log that calibrate reads."""

from collections.abc import Callable, Iterator
from typing import NamedTuple

from nuvrik.ends.handset import Handset
from nuvrik.ends.sensors import DEGREES_PER_TURN
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import MotorOutput
from nuvrik.plan.outputs.demand import FOLLOW
from nuvrik.plan.outputs.motor import Motor
from nuvrik.plan.telemetry import ShaftItem
from nuvrik.ports.jog import LONGEST_MS, MOST, jog_once, lasting_ms
from nuvrik.ports.leaving import NO_SIGNALS, Signals
from nuvrik.ports.live import AnyClock, ByteLine

STEP = 0.04
"""Of full scale, from one level to the next: a dozen points up to half, enough for a curve."""

SETTLES_MS = 250
"""A small motor under way is at its speed after this, behind its ramp."""

JOGS = 3
"""So many jogs, one into the other, at each level: a second, in which a shaft is told of often enough."""

FEWEST = 2
"""Counts of a shaft make a speed only with one before them."""


class Point(NamedTuple):
    """A row of a motor's log: when, its duty in counts, and its speed in turns a second."""

    t_ms: int
    duty: int
    speed: float


class SweepError(Exception):
    """A motor that cannot be swept, and why; in plain words."""


def shaft_of(link: Link, name: str) -> str:
    """The item of telemetry that counts an output's shaft. SweepError if none does, or too seldom."""
    for item_name, item in link.telemetry.items():
        if isinstance(item, ShaftItem) and item.of == name and item.sensor:
            most_ms = (lasting_ms(LONGEST_MS, JOGS) - SETTLES_MS) // (FEWEST + 1)
            if item.every_ms > most_ms:
                what = f"telemetry.{item_name} comes every {item.every_ms} ms"
                raise SweepError(f"{what}; a sweep wants every_ms = {most_ms} or less")
            return item_name
    raise SweepError(
        f'no [telemetry] of kind "shaft" counts the shaft of {name}; write its speeds down by hand'
    )


def levels_up_and_down() -> Iterator[float]:
    """From rest to as far as a jog may go, and back; with a rest in between, as a motor warms up."""
    count = round(MOST / STEP)
    up = [round(STEP * place, 4) for place in range(count + 1)]
    yield from up
    yield from reversed(up)


def sweep(
    link: Link,
    line: ByteLine,
    clock: AnyClock | None,
    name: str,
    told: Callable[[Point], None],
    signals: Signals = NO_SIGNALS,
) -> list[Point]:
    """Jog a motor up and down, armed for each jog and disarmed after it. ``told`` is given each point as it
    is measured. Raises SweepError, and Interrupted as a jog does."""
    output, item = link.outputs[name], shaft_of(link, name)
    assert isinstance(output, MotorOutput)
    motor = Motor(name, output.model_copy(update={"ramp_ms": 0}))
    points: list[Point] = []
    t_ms = 0
    for fraction in levels_up_and_down():
        duty = motor.tick(level_of(fraction), 1, FOLLOW).value
        watcher = _Watcher(item, settles_ms=SETTLES_MS + round(output.ramp_ms * fraction))
        if fraction:
            jog_once(link, line, clock, name, fraction, LONGEST_MS, signals, watcher.look, JOGS)
            if watcher.speed is None:
                raise SweepError(f"{item} did not come often enough during a jog: is the line good?")
        t_ms += lasting_ms(LONGEST_MS, JOGS)
        points.append(Point(t_ms, duty, abs(watcher.speed or 0.0)))
        told(points[-1])
    return points


class _Watcher:
    """The speed of a shaft during a jog: turns between the first and the last count while it was even."""

    def __init__(self, item: str, settles_ms: int) -> None:
        self._item, self._settles_ms = item, settles_ms
        self._counts: list[tuple[int, float]] = []

    def look(self, since_ms: int, handset: Handset) -> None:
        """It is so long since the jog was asked for."""
        reading = handset.telemetry.get(self._item)
        even = self._settles_ms <= since_ms <= lasting_ms(LONGEST_MS, JOGS)
        if reading is None or reading.lost or not even or not isinstance(reading.value, float):
            return
        turns = reading.value / (DEGREES_PER_TURN if reading.unit == "degrees" else 1)
        if not self._counts or self._counts[-1][0] != reading.at_ms:
            self._counts.append((reading.at_ms, turns))

    @property
    def speed(self) -> float | None:
        """Turns a second; None where there were too few counts."""
        if len(self._counts) < FEWEST:
            return None
        (first_ms, first), (last_ms, last) = self._counts[0], self._counts[-1]
        return 1000 * (last - first) / (last_ms - first_ms) if last_ms > first_ms else None
