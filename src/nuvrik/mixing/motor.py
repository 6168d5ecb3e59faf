"""A motor behind an H-bridge: the level it has reached to duty and direction."""

from typing import NamedTuple

from nuvrik.levels import FULL, clamp, div, level_of
from nuvrik.mixing.ramp import Ramp
from nuvrik.plan.models import MotorOutput


class Demand(NamedTuple):
    """What one output is told to do right now.

    ``level`` is where its ramp stands, -FULL to FULL; ``duty`` the PWM count, 0 to duty_max;
    ``direction`` the way the driver is set, with ``reverse`` applied: 1 ahead, -1 astern, 0 off.
    """

    output: str
    level: int
    duty: int
    direction: int

    @property
    def signed_duty(self) -> int:
        """Duty with the sign of its direction: what a log shows."""
        return self.duty * self.direction

    @property
    def safe(self) -> bool:
        """Whether the motor is not driven at all."""
        return self.duty == 0


class Motor:
    """One motor output: ramp, reverse pause, start duty, limit and direction."""

    def __init__(self, name: str, model: MotorOutput) -> None:
        self.name = name
        self.ramp = Ramp(model.ramp_ms, model.reverse_pause_ms)
        self._start = div(level_of(model.start_duty) * model.duty_max, FULL)
        self._top = clamp(div(level_of(model.limit) * model.duty_max, FULL), self._start, 65535)
        self._sign = -1 if model.reverse else 1
        self._off = self.demand = Demand(name, 0, 0, 0)

    def tick(self, target: int, dt_ms: int) -> Demand:
        """Follow ``target`` (a level) for ``dt_ms``, and say what the driver is to do."""
        if self.ramp.towards(target, dt_ms):
            self.demand = self._at(self.ramp.level)
        return self.demand

    def halt(self) -> None:
        """To rest at once, without a ramp; the next tick says so to the driver."""
        self.ramp.halt()
        self.demand = self._off

    def _at(self, level: int) -> Demand:
        if level == 0:
            return self._off
        duty = self._start + div(abs(level) * (self._top - self._start), FULL)
        direction = self._sign if level > 0 else -self._sign
        return Demand(self.name, level, duty, direction if duty else 0)
