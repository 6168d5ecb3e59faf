"""Servo and switch in words: a Demand and a reason around the numbers of ``core.machine.servo``."""

from nuvrik.core.machine import servo as core
from nuvrik.core.ramp import coarse
from nuvrik.levels import FULL
from nuvrik.mixing.demand import FOLLOW, HELD, LOST, Demand, Mode, Told
from nuvrik.plan.form.outputs import ServoOutput, SwitchOutput
from nuvrik.plan.tables import servo_table, switch_table


class QuickServo(core.Servo):
    """The same servo, faster: its pulse follows from the place alone, so each is worked out once. A test
    holds it to the rules as they are."""

    def __init__(self, table: core.ServoTable, told: Told) -> None:
        super().__init__(table)
        self.demand = self._told = told
        self._pulses: dict[int, Demand] = {}
        self.begin()

    def tell(self) -> None:
        """Tell the servo where to be."""
        place = coarse(self.slew.fine)
        known = None if self.released else self._pulses.get(place)
        if known is not None:
            self._told.repeat(known)
            return
        super().tell()
        if not self.released:
            self._pulses[place] = self._told.demand


class Servo:
    """Goes to a place and stays there; without a reading, and outside ARMED, it stays where it is.

    Where it stands before it has ever been told a place nobody knows. So it gets no pulses until then, unless
    the link file says ``at_start = "centre"``. After ``timeout_ms`` without a reading, once it had one, it
    does what ``on_loss`` says."""

    def __init__(self, name: str, model: ServoOutput, timeout_ms: int) -> None:
        self.name = name
        self._model, self._timeout_ms = model, timeout_ms
        self.told = Told(name)
        self.core = QuickServo(servo_table(model), self.told)

    @property
    def demand(self) -> Demand:
        """What it is told now."""
        return self.told.demand

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """Go towards ``target``; without one, stay."""
        self.core.tick(target or 0, target is not None, False, dt_ms, mode, self._timeout_ms)
        return self.told.demand

    def halt(self) -> None:
        """Stay where it is now."""
        self.core.halt()

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        if self.core.released:
            return "released: no pulses" if self.core.started else "no pulses until it is told a place"
        angle = f"at {self.angle:.0f} degrees"
        if mode is LOST and self._model.on_loss != "hold":
            return f"{angle}, on loss: {self._model.on_loss}"
        if mode is not FOLLOW or target is None:
            return f"{angle}, staying"
        if target != self.core.goal:
            return f"{angle}, at the end of its travel"
        return angle + (", on its way" if self.core.slew.at() != self.core.goal else "")

    @property
    def angle(self) -> float:
        """Where it is, in degrees, by the link file's ``angle``."""
        low, high = self._model.angle
        return low + (high - low) * (self.core.table.facing * self.core.slew.at() / FULL + 1) / 2


class Switch:
    """Off or on. It is on only while armed, unless ``on_loss = "hold"`` keeps it through a failsafe."""

    def __init__(self, name: str, model: SwitchOutput) -> None:
        self.name = name
        self.core = core.Switch(switch_table(model))
        self.told = self.core.demand = Told(name)
        self.core.begin()

    @property
    def demand(self) -> Demand:
        """What it is told now."""
        return self.told.demand

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """On if ``target`` is above zero; without one, as it was."""
        self.core.tick(target or 0, target is not None, mode)
        return self.told.demand

    def halt(self) -> None:
        """Off."""
        self.core.halt()

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        state = "on" if self.demand.value else "off"
        if mode is HELD and self.demand.value:
            return state + ", as it was when arm went off after a while without a code"
        return state + (", as it was before the loss" if mode is LOST and self.demand.value else "")
