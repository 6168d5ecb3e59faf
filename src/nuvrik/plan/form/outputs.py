"""``[outputs.NAME]`` and ``[mix]``: what moves on the machine, and how channels become demands."""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from nuvrik.plan.form.base import Millis, Name, Pin, Section, Weight
from nuvrik.plan.problems import renamed

PinLevel = Literal["low", "high", "float"]


class _Output(Section):
    current_ma: int | None = Field(
        default=None, ge=1, le=100_000, description="the most current it draws, in mA, to check the supply"
    )
    fed_from: Literal["supply", "regulator"] = Field(
        default="supply", description='"supply" = battery or supply; "regulator" = the board\'s own regulator'
    )
    at_power_up: dict[Name, PinLevel] = Field(
        default_factory=dict,
        description='the level of its pins while the board starts, e.g. { pwm = "low" }; "float" = not held',
    )

    @property
    def turns(self) -> bool:
        """Whether it turns, and does not stand in a place or a state: a motor or a stepper."""
        return False


class _Moving(_Output):
    reverse: bool = Field(default=False, description="true if it moves the wrong way")
    mix: dict[Name, Weight] | None = Field(
        default=None,
        min_length=1,
        max_length=8,
        description="weights of channels, e.g. { throttle = 1.0, turn = 0.6 }, each -2 to 2",
    )


class _Turning(_Moving):
    dial: Name | None = Field(
        default=None, description="an item of telemetry that says how much of full scale is left to it"
    )
    end_forward: Name | None = Field(
        default=None, description="a digital item of telemetry: while on, it turns no further forward"
    )
    end_backward: Name | None = Field(
        default=None, description="a digital item of telemetry: while on, it turns no further backward"
    )


DRIVER_PINS = {
    "pwm_2dir": ("pwm", "forward", "backward"),
    "pwm_1dir": ("pwm", "dir"),
    "two_pwm": ("forward", "backward"),
    "servo_pulse": ("pulse",),
}
"""The pins of each kind of motor driver. A pin called pwm or pulse, or both pins of two_pwm, carry PWM."""

CAN_BRAKE = ("pwm_2dir", "two_pwm")


class MotorOutput(_Turning):
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

    @property
    def turns(self) -> bool:
        """Yes."""
        return True

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
        wanted = DRIVER_PINS[self.driver]
        if self.pins is not None and set(self.pins) != set(wanted):
            said = f"pins: are {', '.join(self.pins)}; {self.driver} has {', '.join(wanted)}"
            raise ValueError(said + renamed(self.pins, wanted))
        return self


class ServoOutput(_Moving):
    """``kind = "servo"``: goes to a place and stays there."""

    kind: Literal["servo"]
    pin: Pin | None = Field(default=None, description="the pin that carries the pulse")
    pulse_us: list[Annotated[int, Field(ge=400, le=2600)]] = Field(
        default=[1000, 1500, 2000],
        min_length=3,
        max_length=3,
        description="pulse at one end, centred, at the other end, in microseconds, 400 to 2600, rising",
    )
    angle: list[Annotated[float, Field(ge=-360, le=360)]] = Field(
        default=[-45.0, 45.0],
        min_length=2,
        max_length=2,
        description="the angles at the two ends, in degrees; only for people to read",
    )
    travel: list[Annotated[float, Field(ge=-1, le=1)]] = Field(
        default=[-1.0, 1.0],
        min_length=2,
        max_length=2,
        description="it never goes beyond these two places, -1 to 1, kept by the machine",
    )
    ramp_ms: Millis = Field(default=0, description="least time from the centre to an end, in ms; 0 = at once")
    at_start: Literal["silent", "centre"] = Field(
        default="silent",
        description='from power-up to first armed: "silent" = no pulses; "centre" = pulses for the centre',
    )
    on_loss: Literal["hold", "centre", "release", "preset"] = Field(
        default="hold",
        description='when frames stop: "hold" = stay; "centre"; "release" = no pulses; "preset" = go there',
    )
    preset: float = Field(default=0.0, ge=-1, le=1, description='where on_loss = "preset" goes, -1 to 1')

    @model_validator(mode="after")
    def _ranges_make_sense(self) -> "ServoOutput":
        low, centre, high = self.pulse_us
        if not low < centre < high:
            raise ValueError(f"pulse_us: {low}, {centre}, {high} do not rise")
        if not self.travel[0] <= 0 <= self.travel[1] or self.travel[0] == self.travel[1]:
            raise ValueError(f"travel: {self.travel} does not go from below to above the centre, 0")
        return self


STEPPER_PINS = {"step_dir": ("step", "dir"), "four_wires": ("a_plus", "a_minus", "b_plus", "b_minus")}
"""The pins of each kind of stepper driver: a pulse a step and a direction, to which an ``enable`` may come;
or the four ends of the motor's two coils, each behind a transistor or half a bridge."""


class StepperOutput(_Turning):
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

    @property
    def turns(self) -> bool:
        """Yes."""
        return True

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


class SwitchOutput(_Output):
    """``kind = "switch"``: off or on, as a flag says."""

    kind: Literal["switch"]
    follows: Name = Field(description="the flag channel that switches it")
    pin: Pin | None = Field(default=None, description="the pin that switches it")
    active: Literal["high", "low"] = Field(
        default="high", description='"high": the pin is high when on; "low": it is low when on'
    )
    on_loss: Literal["off", "hold"] = Field(
        default="off", description='when frames stop: "off", or "hold" as it was (a light, never a motor)'
    )


AnyOutput = MotorOutput | ServoOutput | StepperOutput | SwitchOutput
Output = Annotated[AnyOutput, Field(discriminator="kind")]


class _SidesMix(Section):
    left: list[Name] = Field(min_length=1, max_length=16, description="the outputs on the left (port) side")
    right: list[Name] = Field(
        min_length=1, max_length=16, description="the outputs on the right (starboard) side"
    )


class OneStickMix(_SidesMix):
    """``style = "one_stick"``: left = throttle + turn, right = throttle - turn."""

    style: Literal["one_stick"]
    throttle: Name = Field(description="the channel that drives both sides")
    turn: Name = Field(description="the channel that turns: added to the left side, taken from the right")
    turn_weight: float = Field(default=1.0, ge=-2, le=2, description="how strongly the turn counts, -2 to 2")
    overflow: Literal["clip", "scale"] = Field(
        default="clip",
        description='beyond full: "clip" = each side for itself; "scale" = both, so that the turn survives',
    )


class PivotMix(_SidesMix):
    """``style = "pivot"``: a turn slows the inner side only; at full turn it stands still."""

    style: Literal["pivot"]
    throttle: Name = Field(description="the channel that drives both sides")
    turn: Name = Field(description="the channel that turns: + takes from the right side, - from the left")


class TwoStickMix(_SidesMix):
    """``style = "two_stick"``: one stick for each side."""

    style: Literal["two_stick"]
    left_throttle: Name = Field(description="the channel that drives the left side")
    right_throttle: Name = Field(description="the channel that drives the right side")


AnyMix = OneStickMix | TwoStickMix | PivotMix
Mix = Annotated[AnyMix, Field(discriminator="style")]


def pin_users(output: AnyOutput) -> dict[str, int]:
    """The pins an output names: its key in the link file -> the number."""
    if isinstance(output, ServoOutput | SwitchOutput):
        return {} if output.pin is None else {"pin": output.pin}
    return {f"pins.{role}": pin for role, pin in (output.pins or {}).items()}


def pwm_roles(output: AnyOutput) -> tuple[str, ...]:
    """Which of those pins must be able to carry PWM."""
    if isinstance(output, ServoOutput):
        return ("pin",)
    if not isinstance(output, MotorOutput):
        return ()
    roles = ("forward", "backward") if output.driver == "two_pwm" else ("pwm", "pulse")
    return tuple(f"pins.{role}" for role in roles)
