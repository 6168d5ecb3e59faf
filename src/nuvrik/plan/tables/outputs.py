"""The outputs of a link, their routes and their pins, as tables."""

from collections.abc import Sequence

from nuvrik.core.curve import CurveTable, Point
from nuvrik.core.levels import FULL, NOBODY, clamp, div
from nuvrik.core.machine.mix import Route, Term
from nuvrik.core.machine.motor import MotorTable
from nuvrik.core.machine.outputs import IS_MOTOR, IS_SERVO, IS_STEPPER, IS_SWITCH, OutputsTable, OutputTable
from nuvrik.core.machine.pins import (
    COILS,
    ONE_DIRECTION,
    PULSED,
    STEPPED,
    SWITCHED_HIGH,
    SWITCHED_LOW,
    TWO_DIRECTIONS,
    TWO_POWERED,
    PinTable,
)
from nuvrik.core.machine.servo import GOES, RELEASES, STAYS, ServoTable, SwitchTable
from nuvrik.core.machine.stepper import StepperTable
from nuvrik.core.ramp import FINE, RampTable
from nuvrik.levels import level_of
from nuvrik.plan import wiring
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import (
    STEPPER_PINS,
    AnyOutput,
    MotorOutput,
    ServoOutput,
    StepperOutput,
    SwitchOutput,
    pin_users,
)
from nuvrik.plan.tables.inputs import limits_of
from nuvrik.plan.tables.made import made

KINDS = {MotorOutput: IS_MOTOR, ServoOutput: IS_SERVO, StepperOutput: IS_STEPPER, SwitchOutput: IS_SWITCH}

USES = {
    "servo_pulse": PULSED,
    "pwm_1dir": ONE_DIRECTION,
    "pwm_2dir": TWO_DIRECTIONS,
    "two_pwm": TWO_POWERED,
}

ROLES = {
    PULSED: ("pulse",),
    ONE_DIRECTION: ("pwm", "dir"),
    TWO_DIRECTIONS: ("pwm", "forward", "backward"),
    TWO_POWERED: ("forward", "backward"),
}
"""What the pins of a motor's driver are called in a link file, in the order of ``core.machine.pins``."""


def outputs_table(link: Link) -> OutputsTable:
    """All outputs of a link. What counts as at rest counts as zero only for what turns."""
    routes, places = wiring.output_routes(link), {name: at for at, name in enumerate(link.channels)}
    band, stand = level_of(link.failsafe.rest_band), wiring.place_channels(link)
    by_kind: dict[int, list[AnyOutput]] = {kind: [] for kind in KINDS.values()}
    outputs, extra = [], 0
    for name, model in link.outputs.items():
        kind = KINDS[type(model)]
        route = route_table(routes[name], places, list(link.outputs), band if model.turns else 0)
        if kind == IS_SERVO and len(route.terms) > 1:
            for term in route.terms:
                channel = list(link.channels)[term.place]
                if channel in stand and link.channels[channel].optional:
                    term.extra, extra = extra, extra + 1
        outputs.append(made(OutputTable, kind=kind, at=len(by_kind[kind]), route=route))
        by_kind[kind].append(model)
    return made(
        OutputsTable,
        outputs=outputs,
        motors=[motor_table(one) for one in by_kind[IS_MOTOR] if isinstance(one, MotorOutput)],
        servos=[servo_table(one) for one in by_kind[IS_SERVO] if isinstance(one, ServoOutput)],
        steppers=[stepper_table(one) for one in by_kind[IS_STEPPER] if isinstance(one, StepperOutput)],
        switches=[switch_table(one) for one in by_kind[IS_SWITCH] if isinstance(one, SwitchOutput)],
        limits=limits_of(link),
        extra=[0] * extra,
    )


def route_table(route: wiring.Route, places: dict[str, int], outputs: list[str], band: int) -> Route:
    """How one output gets its level."""
    return made(
        Route,
        switched=route.switched,
        band=band,
        terms=[
            made(Term, place=places[name], weight=weight, extra=NOBODY)
            for name, weight in route.weights.items()
            if weight
        ],
        partner=NOBODY if route.partner is None else outputs.index(route.partner),
        turn=NOBODY if route.turn is None else places[route.turn],
        inner=route.inner,
    )


def curve_table(points: Sequence[Sequence[float]]) -> CurveTable:
    """A curve, from its points as fractions."""
    return made(CurveTable, points=[made(Point, x=level_of(x), y=level_of(y)) for x, y in points])


def motor_table(model: MotorOutput) -> MotorTable:
    """One motor. On a driver with few counts rounding may bring the limit below the start; then the start is
    all."""
    low, rest, high = model.pulse_us
    pulses = model.driver == "servo_pulse"
    start, limit = level_of(model.start_duty), level_of(model.limit)
    ways = (high - rest, rest - low) if pulses else (model.duty_max, model.duty_max)
    least = [div(start * way, FULL) for way in ways]
    most = [clamp(div(limit * way, FULL), one, 65535) for way, one in zip(ways, least, strict=True)]
    return made(
        MotorTable,
        ramp=ramp_table(model.ramp_ms, model.reverse_pause_ms),
        facing=-1 if model.reverse else 1,
        pulses=pulses,
        rest=rest if pulses else 0,
        start=least[0],
        top=most[0],
        back_start=least[1],
        back_top=most[1],
        curve=curve_table(() if pulses else model.duty_curve),
        hold=min(div(level_of(model.hold_duty) * model.duty_max, FULL), most[0]),
        hold_toward=1 if model.hold_toward == "forward" else -1,
        hold_ms=model.hold_ms,
        hold_from_arming=model.hold_from_arming,
        brakes_idle=model.idle == "brake",
        brakes_lost=model.on_loss == "brake",
        ramps_on_loss=model.on_loss == "ramp",
    )


def servo_table(model: ServoOutput) -> ServoTable:
    """One servo. Where a loss takes it, a centre is a place like any other."""
    low, high = level_of(model.travel[0]), level_of(model.travel[1])
    pulses = dict(zip(("pulse_low", "pulse_centre", "pulse_high"), model.pulse_us, strict=True))
    return made(
        ServoTable,
        slew=ramp_table(model.ramp_ms),
        facing=-1 if model.reverse else 1,
        low=low,
        high=high,
        **pulses,
        on_loss={"hold": STAYS, "release": RELEASES}.get(model.on_loss, GOES),
        lost_place=clamp(level_of(model.preset), low, high) if model.on_loss == "preset" else 0,
        silent=model.at_start == "silent",
    )


def ramp_table(ramp_ms: int, pause_ms: int = 0) -> RampTable:
    """A ramp from 0 to full in ``ramp_ms``, 0: at once."""
    return made(
        RampTable,
        rate=-(-FULL * FINE // ramp_ms) if ramp_ms else 0,
        dt_most=2 * ramp_ms,
        pause_ms=pause_ms,
    )


def stepper_table(model: StepperOutput) -> StepperTable:
    """One stepper."""
    return made(
        StepperTable,
        ramp=ramp_table(model.ramp_ms, model.reverse_pause_ms),
        facing=-1 if model.reverse else 1,
        rate_max=model.rate_max,
        ramp_ms=model.ramp_ms,
        holds=model.current and model.idle == "hold",
        least=(FULL // 2 - 1 + model.rate_max) // model.rate_max,
    )


def switch_table(model: SwitchOutput) -> SwitchTable:
    """One switch."""
    return made(SwitchTable, holds=model.on_loss == "hold")


def pin_table(model: AnyOutput) -> PinTable:
    """The pins of one output."""
    if isinstance(model, MotorOutput):
        use, most = USES[model.driver], model.duty_max
    elif isinstance(model, SwitchOutput):
        use, most = (SWITCHED_HIGH if model.active == "high" else SWITCHED_LOW), 1
    elif isinstance(model, StepperOutput) and model.current:
        use, most = (COILS if model.driver == "four_wires" else STEPPED), 0
    else:
        use, most = (ONE_DIRECTION if isinstance(model, StepperOutput) else PULSED), 0
    low = use == STEPPED and getattr(model, "enable_active", "") == "low"
    return made(PinTable, use=use, most=most, enable_low=low, numbers=_pin_numbers(model))


def _pin_numbers(model: AnyOutput) -> list[int]:
    """The board's pins of an output, in the order of ``core.machine.pins``."""
    if isinstance(model, StepperOutput) and model.driver == "four_wires":
        roles = STEPPER_PINS[model.driver]
    else:
        roles = pin_roles(model)
    given = {key.rpartition(".")[2]: pin for key, pin in pin_users(model).items()}
    return [given.get(role, NOBODY) for role in roles]


def pin_roles(model: AnyOutput) -> tuple[str, ...]:
    """What the pins of an output are called, in the order of ``core.machine.pins``. Four coils are told as a
    driver of steps is."""
    if isinstance(model, StepperOutput):
        return ("step", "dir", "enable") if model.current else ("step", "dir")
    return ROLES[USES[model.driver]] if isinstance(model, MotorOutput) else ("pin",)
