"""Motors behind a driver: forward and backward at any level."""

from collections.abc import Iterator
from itertools import pairwise
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.levels import FULL, clamp, div
from nuvrik.core.machine import motor as core
from nuvrik.core.machine.outputs import IS_MOTOR
from nuvrik.core.machine.pins import ONE_DIRECTION, PULSED, TWO_DIRECTIONS, TWO_POWERED, PinTable
from nuvrik.levels import in_percent, level_of
from nuvrik.plan.controls import AxisControl, SliderControl
from nuvrik.plan.form.base import Millis, Name, Pin
from nuvrik.plan.outputs.base import PLAIN, PULSE, PWM, Fed, OnPin, PinLevel, Turning
from nuvrik.plan.outputs.demand import FOLLOW, Demand, InWords, Mode, Told
from nuvrik.plan.problems import Problem, renamed
from nuvrik.plan.tables.made import curve_table, made, ramp_table

DRIVERS = {
    "pwm_2dir": (TWO_DIRECTIONS, ("pwm", "forward", "backward")),
    "pwm_1dir": (ONE_DIRECTION, ("pwm", "dir")),
    "two_pwm": (TWO_POWERED, ("forward", "backward")),
    "servo_pulse": (PULSED, ("pulse",)),
}
"""How core sets the pins of each kind of motor driver, and what they are called, in core's order. Pins
called pwm or pulse, and both of two_pwm, carry PWM."""

CAN_BRAKE = ("pwm_2dir", "two_pwm")


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

    def __init__(self, name: str, model: "MotorOutput") -> None:
        self.name = name
        self.told = Told(name)
        self.core = Quick(model.table, self.told)
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


class MotorOutput(Turning):
    """``kind = "motor"``: a motor behind a driver."""

    kind: Literal["motor"]
    driver: Literal["pwm_2dir", "pwm_1dir", "two_pwm", "servo_pulse"] = Field(
        description='"pwm_2dir" = PWM + two direction pins; "pwm_1dir" = PWM + one; "two_pwm" = a PWM pin a '
        'direction; "servo_pulse" = a speed controller that takes servo pulses'
    )
    pins: dict[Name, Pin] | None = Field(
        default=None, description="the machine's pins, by number; which there are depends on the driver"
    )
    duty_max: int = Field(
        default=255, ge=1, le=65535, description="the PWM count that is full on, 1 to 65535 (8 bits: 255)"
    )
    pwm_hz: int | None = Field(
        default=None,
        ge=10,
        le=50_000,
        description="how often a second its PWM goes up, 10 to 50000, on boards that can choose; "
        "if left out, what the board does: 1000 in MicroPython, 976 on AVR",
    )
    pulse_us: list[Annotated[int, Field(ge=400, le=2600)]] = Field(
        default=[1000, 1500, 2000],
        min_length=3,
        max_length=3,
        description="for servo_pulse: full backward, at rest, full forward, in microseconds, 400 to 2600",
    )
    start_duty: float = Field(
        default=0.0, ge=0, lt=1, description="the least duty that moves it, as a fraction of duty_max"
    )
    limit: float = Field(
        default=1.0,
        gt=0,
        le=1,
        description="the most duty ever used, as a fraction of duty_max, kept by the machine",
    )
    duty_curve: list[
        Annotated[list[Annotated[float, Field(ge=0, le=1)]], Field(min_length=2, max_length=2)]
    ] = Field(
        default_factory=list,
        max_length=16,
        description="points [level, share of the duty above start], 0 to 1, rising, so that speed is even",
    )
    ramp_ms: Millis = Field(
        default=0, description="from rest to full, and from full to rest, in ms; 0 = at once"
    )
    reverse_pause_ms: Millis = Field(default=0, description="rest between the two directions, in ms")
    idle: Literal["coast", "brake"] = Field(
        default="coast",
        description='at rest: "coast" = turns freely; "brake" = both sides of the motor joined',
    )
    hold_duty: float = Field(
        default=0.0,
        ge=0,
        le=0.5,
        description="duty that holds a load while at rest, fraction of duty_max, to 0.5",
    )
    hold_toward: Literal["forward", "backward"] = Field(
        default="forward", description="which way hold_duty pulls"
    )
    hold_ms: Millis = Field(
        default=0,
        description="hold for at most this long, in ms; 0 = as long as it is armed, which heats the motor",
    )
    hold_from_arming: bool = Field(
        default=False,
        description="true: hold as soon as it is armed (a load that is up then); "
        "false: only once it has been moved since",
    )
    on_loss: Literal["ramp", "off", "brake"] = Field(
        default="ramp",
        description='when frames stop: "ramp" = down to rest; "off" = no power, at once; '
        '"brake" = at once, both sides of the motor joined',
    )

    core_kind: ClassVar[int] = IS_MOTOR
    rows: ClassVar[str] = "motors"

    @property
    def run_down_ms(self) -> int:
        """How long it takes from full to rest, in ms."""
        return self.ramp_ms

    @property
    def loss_ramp_ms(self) -> int:
        """How long it takes from full to rest when frames stop, in ms."""
        return self.ramp_ms if self.on_loss == "ramp" else 0

    @model_validator(mode="after")
    def _numbers_fit_together(self) -> "MotorOutput":
        if self.start_duty >= self.limit:
            raise ValueError(
                f"start_duty: {self.start_duty} is not below limit {self.limit}, so nothing is left to use"
            )
        low, rest, high = self.pulse_us
        if not low < rest < high:
            raise ValueError(f"pulse_us: {low}, {rest}, {high} do not rise")
        points = self.duty_curve
        if points and not (
            len(points) > 1 and all(a[0] < b[0] and a[1] <= b[1] for a, b in pairwise(points))
        ):
            raise ValueError("duty_curve: does not rise: each point must lie beyond the one before")
        if self.hold_duty and self.driver == "servo_pulse":
            raise ValueError("hold_duty: a servo_pulse driver has no duty to hold with")
        for key in ("idle", "on_loss"):
            if getattr(self, key) == "brake" and self.driver not in CAN_BRAKE:
                able = " and ".join(CAN_BRAKE)
                raise ValueError(f'{key}: is "brake"; {able} can join both sides, {self.driver} cannot')
        wanted = DRIVERS[self.driver][1]
        if self.pins is not None and set(self.pins) != set(wanted):
            said = f"pins: are {', '.join(self.pins)}; {self.driver} has {', '.join(wanted)}"
            raise ValueError(said + renamed(self.pins, wanted))
        return self

    # ---- what others ask of it ----

    @property
    def by_pulses(self) -> bool:
        """Whether it hangs on a speed controller that takes servo pulses."""
        return self.driver == "servo_pulse"

    @property
    def on_pins(self) -> list[OnPin]:
        """Its pins, in the order of the file."""
        return [self._on_pin(role, number) for role, number in (self.pins or {}).items()]

    def _on_pin(self, role: str, number: int) -> OnPin:
        powered = role == "pwm" or self.driver == "two_pwm"
        board = PULSE if role == "pulse" else PWM if powered else PLAIN
        carries = {PULSE: "servo pulses", PWM: "PWM", PLAIN: "a direction"}[board]
        inputs = {"pwm": "PWM or enable input", "dir": "direction input", "pulse": "signal wire"}
        of = f"driver's {inputs.get(role, role + ' input')}"
        return OnPin(f"pins.{role}", number, board, of, carries, "low")

    @property
    def pin_roles(self) -> tuple[str, ...]:
        """What its pins are called, in the order of ``core.machine.pins``."""
        return DRIVERS[self.driver][1]

    @property
    def pin_table(self) -> PinTable:
        """Its pins as a table."""
        return self._pin_table(DRIVERS[self.driver][0], self.duty_max, self.pin_roles)

    @property
    def table(self) -> core.MotorTable:
        """One motor. On a driver with few counts rounding may bring the limit below the start; then the start
        is all."""
        low, rest, high = self.pulse_us
        pulses = self.by_pulses
        start, limit = level_of(self.start_duty), level_of(self.limit)
        ways = (high - rest, rest - low) if pulses else (self.duty_max, self.duty_max)
        least = [div(start * way, FULL) for way in ways]
        most = [clamp(div(limit * way, FULL), one, 65535) for way, one in zip(ways, least, strict=True)]
        return made(
            core.MotorTable,
            ramp=ramp_table(self.ramp_ms, self.reverse_pause_ms),
            facing=self.facing,
            pulses=pulses,
            rest=rest if pulses else 0,
            start=least[0],
            top=most[0],
            back_start=least[1],
            back_top=most[1],
            curve=curve_table(() if pulses else self.duty_curve),
            hold=min(div(level_of(self.hold_duty) * self.duty_max, FULL), most[0]),
            hold_toward=1 if self.hold_toward == "forward" else -1,
            hold_ms=self.hold_ms,
            hold_from_arming=self.hold_from_arming,
            brakes_idle=self.idle == "brake",
            brakes_lost=self.on_loss == "brake",
            ramps_on_loss=self.on_loss == "ramp",
        )

    def in_words(self, name: str, timeout_ms: int) -> InWords:
        """One that lives."""
        return Motor(name, self)

    @property
    def words(self) -> tuple[str, str]:
        """What drives it, and what it keeps to."""
        keeps = f"ramp {self.ramp_ms} ms, {self.reverse_pause_ms} ms before reversing"
        keeps += "" if self.on_loss == "ramp" else f"; on loss: {self.on_loss}"
        if self.by_pulses:
            low, rest, high = self.pulse_us
            most = f", at most {100 * self.limit:g} % of the way" if self.limit < 1 else ""
            return self.driver + self.turned, f"pulse {low} to {high} us, at rest {rest}{most}, {keeps}"
        duty = f"duty {round(self.start_duty * self.duty_max)} to {round(self.limit * self.duty_max)}"
        long = f"for {self.hold_ms} ms" if self.hold_ms else "as long as it is armed"
        held = f", holds with {round(self.hold_duty * self.duty_max)} {long}"
        held += ", from arming on" if self.hold_from_arming else ""
        said = f"{duty} of {self.duty_max}, {keeps}"
        return self.driver + self.turned, said + (held if self.hold_duty else "")

    @property
    def told_words(self) -> str:
        """What a function of the builder's is told that moves it."""
        if self.by_pulses:
            return "Servo pulses: told.value microseconds, 0 for none."
        return f"A motor: told.value of {self.duty_max} is full on, told.way forward or backward."

    def amount(self, share: float) -> str:
        """A share of full in the units of its driver."""
        return f"{share * self.duty_max:.2g} counts"

    def runs_at_start(self, role: str, level: PinLevel) -> tuple[str, str] | None:
        """A motor may run while the board starts unless every pin of its bridge is low."""
        if level == "low" or role not in ("pwm", "forward", "backward"):
            return None
        how = "high" if level == "high" else "held by nothing"
        what = f"is {level}: the pin is {how} while the board starts, so the motor may run"
        return what, "fit a pull-down resistor, or use a pin that starts low"

    def notes(self, name: str, fed: Fed) -> Iterator[Problem]:
        """Starts that tremble, what may have been left at nothing, and what becomes of a load."""
        where = f"outputs.{name}"
        for source, control in fed.controls.items() if self.start_duty else ():
            if isinstance(control, AxisControl | SliderControl) and not control.zone:
                what = f"is 0, and {name} starts with {self.start_duty:.0%} of its duty at once"
                do = "give it one: nuvrik calibrate finds it"
                yield Problem("note", f"controls.{source}.dead_zone", what, do)
        if not self.start_duty and not self.by_pulses:
            what = "is 0: below the duty at which it starts it only buzzes, and gets warm"
            do = f"find it: nuvrik jog LINK {name} --find-start --port PORT"
            yield Problem("note", f"{where}.start_duty", what, do)
        if not self.reverse_pause_ms and fed.both_ways and not self.by_pulses:
            what = "is 0: it is driven the other way while it still turns, which its driver and gears feel"
            yield Problem("note", f"{where}.reverse_pause_ms", what, "give it 100 or so")
        if not self.hold_duty:
            return
        if not self.hold_ms:
            what = "is 0: it holds as long as it is armed, and the motor gets warm"
            yield Problem("note", f"{where}.hold_ms", what, "look how warm it gets, or give it a limit")
        if self.on_loss != "brake" and self.idle != "brake":
            what = "lets its load go when frames stop, and when it is disarmed"
            do = 'idle = "brake" and on_loss = "brake" slow the fall; a gear that locks prevents it'
            yield Problem("note", f"{where}.hold_duty", what, do)
