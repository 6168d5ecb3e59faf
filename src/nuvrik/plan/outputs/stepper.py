"""Steppers: each turns in steps, and is known to have turned by as many as it was told."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.levels import FULL
from nuvrik.core.machine import stepper as core
from nuvrik.core.machine.desk import steps_between
from nuvrik.core.machine.outputs import IS_STEPPER
from nuvrik.core.machine.pins import COILS, ONE_DIRECTION, STEPPED, PinTable
from nuvrik.plan.form.base import Millis, Name, Pin
from nuvrik.plan.outputs.base import COIL, PLAIN, STEP, Fed, OnPin, Turning
from nuvrik.plan.outputs.demand import FOLLOW, Demand, InWords, Mode, Told
from nuvrik.plan.problems import Problem, renamed
from nuvrik.plan.tables.made import made, ramp_table

STEPPER_PINS = {"step_dir": ("step", "dir"), "four_wires": ("a_plus", "a_minus", "b_plus", "b_minus")}
"""The pins of each kind of stepper driver: a pulse a step and a direction, to which an ``enable`` may come;
or the four ends of the motor's two coils, each behind a transistor or half a bridge."""


class ToldSteps(Told):
    """What its driver is told, and how many steps it may be turned by."""

    stepper: core.Stepper

    def put(self, at: int, value: int, way: int, driven: bool, braked: bool) -> None:
        """Be told something else."""
        super().put(at, value, way, driven, braked)
        left = self.stepper.steps_left
        if left != core.NO_LIMIT and value:
            self.demand = self.demand._replace(steps_left=left)


class Stepper:
    """Turns in steps at a rate either way about zero. It counts the steps it has been told to turn."""

    def __init__(self, name: str, model: "StepperOutput") -> None:
        self.name = name
        self.core = core.Stepper(model.table)
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


class StepperOutput(Turning):
    """``kind = "stepper"``: turns in steps, at a rate either way about zero."""

    kind: Literal["stepper"]
    driver: Literal["step_dir", "four_wires"] = Field(
        default="step_dir",
        description='"step_dir" = a pulse a step and a direction; "four_wires" = both ends of both coils',
    )
    pins: dict[Name, Pin] | None = Field(
        default=None,
        description="the machine's pins, by number; which there are depends on the driver, and step_dir may "
        "have enable",
    )
    enable_active: Literal["low", "high"] = Field(
        default="low", description="the level of the enable pin that lets current through the coils"
    )
    idle: Literal["hold", "release"] = Field(
        default="hold",
        description='at rest, once it has turned: "hold" = the coils keep their current; '
        '"release" = no current, and it turns freely',
    )
    steps_per_rev: int = Field(default=200, ge=1, le=65535, description="steps in one turn of the shaft")
    rate_max: int = Field(ge=1, le=65535, description="steps a second at full, 1 to 65535")
    ramp_ms: Millis = Field(default=300, description="from rest to full, and from full to rest, in ms")
    reverse_pause_ms: Millis = Field(default=0, description="rest between the two directions, in ms")
    on_loss: Literal["ramp"] = Field(default="ramp", description='when frames stop: "ramp" = down to rest')

    core_kind: ClassVar[int] = IS_STEPPER
    rows: ClassVar[str] = "steppers"

    @property
    def steps_hz(self) -> int:
        """The most steps a second."""
        return self.rate_max

    @property
    def run_down_ms(self) -> int:
        """How long it takes from full to rest, in ms."""
        return self.ramp_ms

    @property
    def loss_ramp_ms(self) -> int:
        """How long it takes from full to rest when frames stop, in ms."""
        return self.ramp_ms

    @property
    def current(self) -> bool:
        """Whether the machine can switch the current of its coils."""
        return self.driver == "four_wires" or "enable" in (self.pins or {})

    @model_validator(mode="after")
    def _pins_and_idle_fit_the_driver(self) -> "StepperOutput":
        wanted = STEPPER_PINS[self.driver]
        named = set(self.pins or {}) - ({"enable"} if self.driver == "step_dir" else set())
        if self.pins is not None and named != set(wanted):
            said = f"pins: are {', '.join(self.pins)}; {self.driver} has {', '.join(wanted)}"
            raise ValueError(said + renamed(self.pins, wanted))
        if self.idle == "release" and self.pins is not None and not self.current:
            raise ValueError(
                'idle: is "release", and no pin switches the current; '
                'give pins.enable, or take driver "four_wires"'
            )
        return self

    # ---- what others ask of it ----

    @property
    def on_pins(self) -> list[OnPin]:
        """Its pins, in the order of the file."""
        return [self._on_pin(role, number) for role, number in (self.pins or {}).items()]

    def _on_pin(self, role: str, number: int) -> OnPin:
        key = f"pins.{role}"
        if role == "step":
            return OnPin(key, number, STEP, "driver's step input", "a pulse for each step", "low")
        if role == "dir":
            return OnPin(key, number, PLAIN, "driver's direction input", "a direction", "low")
        if role == "enable":
            carries, low = f"{self.enable_active} while there is current", self.enable_active == "low"
            return OnPin(key, number, PLAIN, "driver's enable input", carries, "high" if low else "low")
        coil, _, end = role.partition("_")
        return OnPin(key, number, COIL, f"driver's {coil.upper()} {end}", "one end of a coil", "low")

    @property
    def pin_roles(self) -> tuple[str, ...]:
        """What its pins are called, in the order of ``core.machine.pins``. Four coils are told as a driver of
        steps is."""
        return ("step", "dir", "enable") if self.current else ("step", "dir")

    @property
    def pin_table(self) -> PinTable:
        """Its pins as a table."""
        if self.driver == "four_wires":
            return self._pin_table(COILS, 0, STEPPER_PINS[self.driver])
        if not self.current:
            return self._pin_table(ONE_DIRECTION, 0, self.pin_roles)
        return self._pin_table(STEPPED, 0, self.pin_roles, enable_low=self.enable_active == "low")

    @property
    def table(self) -> core.StepperTable:
        """One stepper."""
        return made(
            core.StepperTable,
            ramp=ramp_table(self.ramp_ms, self.reverse_pause_ms),
            facing=self.facing,
            rate_max=self.rate_max,
            ramp_ms=self.ramp_ms,
            holds=self.current and self.idle == "hold",
            least=(FULL // 2 - 1 + self.rate_max) // self.rate_max,
        )

    def in_words(self, name: str, timeout_ms: int) -> InWords:
        """One that lives."""
        return Stepper(name, self)

    @property
    def words(self) -> tuple[str, str]:
        """What drives it, and what it keeps to."""
        keeps = f"ramp {self.ramp_ms} ms, {self.reverse_pause_ms} ms before reversing"
        return "stepper" + self.turned, f"up to {self.rate_max} steps/s, {keeps}"

    @property
    def told_words(self) -> str:
        """What a function of the builder's is told that moves it."""
        return "A stepper: told.value steps a second, told.way forward or backward."

    def amount(self, share: float) -> str:
        """A share of full in the units of its driver."""
        return f"{share * self.rate_max:.2g} steps/s"

    def notes(self, name: str, fed: Fed) -> Iterator[Problem]:
        """Nothing may have been left out."""
        return iter(())
