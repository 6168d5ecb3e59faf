"""A motor output in words: a Demand and a reason around the numbers of ``core.machine.motor``."""

from nuvrik.core.machine import motor as core
from nuvrik.levels import in_percent
from nuvrik.mixing.demand import FOLLOW, Demand, Mode, Told
from nuvrik.plan.form.outputs import MotorOutput
from nuvrik.plan.tables import motor_table


class Quick(core.Motor):
    """The same motor, faster: what it tells its driver follows from the level alone, so each is worked out
    once. A test holds it to the rules as they are."""

    def __init__(self, table: core.MotorTable, told: Told) -> None:
        super().__init__(table)
        self.demand = self._told = told
        self._drives: dict[int, Demand] = {}
        self.begin()

    def drive(self, at: int) -> None:
        """Tell the driver a level."""
        known = self._drives.get(at)
        if known is None:
            super().drive(at)
            self._drives[at] = self._told.demand
        else:
            self._told.repeat(known)


class Motor:
    """One motor output: ramp, reverse pause, start duty, limit, direction, and holding a load."""

    def __init__(self, name: str, model: MotorOutput) -> None:
        self.name = name
        self.told = Told(name)
        self.core = Quick(motor_table(model), self.told)
        self._model = model

    @property
    def demand(self) -> Demand:
        """What it is told now."""
        return self.told.demand

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """Follow ``target`` if the mode lets it, else come to rest."""
        if target is None:
            self.core.tick(0, False, dt_ms, mode)
        else:
            self.core.tick(target, True, dt_ms, mode)
        return self.told.demand

    @property
    def hold_ends(self) -> bool:
        """Whether it holds a load and will let go of it within ``core.machine.motor.HOLD_ENDS_MS``."""
        return self.core.hold_ends()

    def halt(self) -> None:
        """To rest at once, without a ramp."""
        self.core.halt()

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        level, wanted = self.core.ramp.at(), target or 0
        if mode is not FOLLOW:
            return f"coming to rest, at {in_percent(level)}" if level else "at rest"
        pause_ms = self.core.ramp.pause_left(wanted)
        if wanted and pause_ms:
            return f"reversing: {pause_ms} ms of pause left"
        if self.core.holding():
            held = f"holding its load {self._model.hold_toward}"
            if not self._model.hold_ms:
                return held
            left_ms = self.core.hold_left_ms()
            return f"{held}, {'about to let go: ' if self.hold_ends else ''}{left_ms / 1000:.1f} s left"
        if target is None:
            return "no reading: coming to rest"
        if not wanted:
            return f"asked to rest, at {in_percent(level)}" if level else "asked to rest"
        return f"asked for {in_percent(wanted)}" + (
            f", ramp at {in_percent(level)}" if level != wanted else ""
        )
