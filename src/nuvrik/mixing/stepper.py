"""A stepper in words: a Demand and a reason around the numbers of ``core.machine.stepper``."""

from nuvrik.core.machine import stepper as core
from nuvrik.core.machine.desk import steps_between
from nuvrik.mixing.demand import FOLLOW, Demand, Mode, ToldSteps
from nuvrik.plan.form.outputs import StepperOutput
from nuvrik.plan.tables import stepper_table


class Stepper:
    """Turns in steps at a rate either way about zero. It counts the steps it has been told to turn."""

    def __init__(self, name: str, model: StepperOutput) -> None:
        self.name = name
        self.core = core.Stepper(stepper_table(model))
        self.told = self.core.demand = ToldSteps(name)
        self.told.stepper = self.core
        self.core.begin()

    @property
    def demand(self) -> Demand:
        """What it is told now."""
        return self.told.demand

    @property
    def steps(self) -> int:
        """Whole steps turned since power-up, in the positive direction positive."""
        return steps_between(self.core.whole, self.core.part, 0, 0)

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        pause_ms = self.core.ramp.pause_left(target or 0)
        if mode is FOLLOW and pause_ms:
            return f"reversing: {pause_ms} ms of pause left"
        if self.demand.value:
            return f"turning at {self.demand.words}"
        return "asked to rest" if mode is FOLLOW else "at rest"
