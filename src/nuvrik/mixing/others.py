"""Servo and switch."""

from nuvrik.core.ramp import Slew
from nuvrik.levels import FULL, clamp, level_of, level_place
from nuvrik.mixing.demand import FOLLOW, HELD, LOST, SAFE, Demand, Mode
from nuvrik.plan.form.outputs import ServoOutput, SwitchOutput
from nuvrik.plan.tables import ramp_table


class Servo:
    """Goes to a place and stays there; outside ARMED it stays where it is.

    Where it stands before it has ever been ARMED nobody knows. So it gets no pulses until then, unless the
    link file says ``at_start = "centre"``.
    """

    def __init__(self, name: str, model: ServoOutput) -> None:
        self.name = name
        self._model = model
        self._slew = Slew(ramp_table(model.ramp_ms))
        self._sign = -1 if model.reverse else 1
        self._low, self._high = level_of(model.travel[0]), level_of(model.travel[1])
        self._goal = 0
        self._released = model.at_start == "silent"
        self._started = not self._released
        self.demand = self._at(0)

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """Go towards ``target``; without one, stay."""
        if mode is FOLLOW:
            self._released, self._started = False, True
            if target is not None:
                self._goal = clamp(target, self._low, self._high)
        elif mode is LOST and self._started:
            # One that was never armed gets no pulses for being lost either.
            self._released = self._model.on_loss == "release"
            if self._model.on_loss == "centre":
                self._goal = 0
            elif self._model.on_loss == "preset":
                self._goal = clamp(level_of(self._model.preset), self._low, self._high)
        if self._slew.towards(self._goal, dt_ms) or self._released == bool(self.demand.value):
            self.demand = self._at(self._slew.at())
        return self.demand

    def halt(self) -> None:
        """Stay where it is now."""
        # Where it is on its way, not where it was going: a stop must not let it go on to its goal.
        self._goal = self._slew.at()

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        if self._released:
            return "released: no pulses" if self._started else "no pulses until it is armed"
        angle = f"at {self.angle:.0f} degrees"
        if mode is LOST and self._model.on_loss != "hold":
            return f"{angle}, on loss: {self._model.on_loss}"
        if mode is not FOLLOW or target is None:
            return f"{angle}, staying"
        if target != self._goal:
            return f"{angle}, at the end of its travel"
        return angle + (", on its way" if self._slew.at() != self._goal else "")

    @property
    def angle(self) -> float:
        """Where it is, in degrees, by the link file's ``angle``."""
        low, high = self._model.angle
        return low + (high - low) * (self._sign * self._slew.at() / FULL + 1) / 2

    def _at(self, level: int) -> Demand:
        pulse = level_place(self._model.pulse_us, self._sign * level)
        return Demand(self.name, level, 0 if self._released else pulse, 1, False)


class Switch:
    """Off or on. It is on only while armed, unless ``on_loss = "hold"`` keeps it through a failsafe."""

    def __init__(self, name: str, model: SwitchOutput) -> None:
        self.name = name
        self._holds = model.on_loss == "hold"
        self._states = Demand(name, 0, 0, 1, False), Demand(name, FULL, 1, 1, False)
        self.demand = self._states[0]

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """On if ``target`` is above zero; without one, as it was."""
        if mode is FOLLOW:
            if target is not None:
                self.demand = self._states[target > 0]
        elif mode is SAFE or (mode in (LOST, HELD) and not self._holds):
            self.demand = self._states[0]
        return self.demand

    def halt(self) -> None:
        """Off."""
        self.demand = self._states[0]

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        state = "on" if self.demand.value else "off"
        if mode is HELD and self.demand.value:
            return state + ", as it was when arm went off after a while without a code"
        return state + (", as it was before the loss" if mode is LOST and self.demand.value else "")
