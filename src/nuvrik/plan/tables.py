"""A link as the whole numbers that the rules run on. Nowhere else is a link file made into tables.

Each function gives the table of one class in ``core``. What depends on a choice in the link file
(``recover``, ``arm = "none"``) is decided here, so that the rules need not ask.
"""

from typing import TypeVar

from nuvrik.core.levels import FULL, clamp, div
from nuvrik.core.motor import MotorTable, Point
from nuvrik.core.ramp import FINE, RampTable
from nuvrik.core.ranges import RANGES, width_name
from nuvrik.core.servo import GOES, RELEASES, STAYS, ServoTable
from nuvrik.core.watch import NOWHERE, STATES, Cell, WatchTable
from nuvrik.core.widths import Table
from nuvrik.failsafe import table as words
from nuvrik.failsafe.commands import CommandUses
from nuvrik.failsafe.table import Goal, Happening, State
from nuvrik.failsafe.why import Code
from nuvrik.levels import level_of
from nuvrik.plan.form.models import FailsafeSection, Link
from nuvrik.plan.form.outputs import MotorOutput, ServoOutput
from nuvrik.plan.wiring import moving_channels, output_routes

Made = TypeVar("Made", bound=Table)

AFTERWARDS = {
    Happening.DRIVE_OFF: Code.ARM_OFF,
    Happening.DRIVE_REST: Code.SWITCH_ARM_OFF,
    Happening.DRIVE_MOVED: Code.NOT_AT_REST,
    Happening.BARE_OFF: Code.NO_READING,
    Happening.BARE_ON: Code.NO_READING,
    Happening.STOP: Code.STOPPED,
    Happening.SILENCE: Code.SILENCE,
    Happening.GIVE_UP: Code.GAVE_UP,
}
"""Why nothing moves after each event, where nothing more helpful is known."""


def made(kind: type[Made], **values: object) -> Made:
    """A table of a kind. ValueError if a field is missing, too many, or out of the range of its width.

    >>> made(RampTable, rate=67109, dt_most=500, pause_ms=0).dt_most
    500
    """
    notes = kind.__annotations__
    if set(notes) != set(values):
        raise ValueError(f"{kind.__name__} takes {', '.join(notes)}, and not {', '.join(values)}")
    for name, note in notes.items():
        value, width = values[name], width_name(note)
        if width and not (isinstance(value, int) and RANGES[width].low <= value <= RANGES[width].high):
            raise ValueError(f"{kind.__name__}.{name} is {value!r}, which does not fit its width {width}")
    return kind(**values)


def watch_table(section: FailsafeSection) -> WatchTable:
    """The failsafe's timers and cells. ``recover`` and ``arm = "none"`` are in the cells."""
    armless = section.arm == "none"
    return made(
        WatchTable,
        timeout_ms=section.timeout_ms,
        good_frames=section.good_frames,
        gives_up=section.give_up_ms is not None,
        give_up_ms=section.give_up_ms or 0,
        armless=armless,
        cells=[_cell(event, state, section.recover, armless) for event in Happening for state in State],
    )


def _cell(event: Happening, state: State, recover: str, armless: bool) -> Cell:
    cell = words.TABLE[event][state]
    why = AFTERWARDS[event]
    if armless:
        cell = words.WITHOUT_ARM.get((event, state), cell)
        why = Code.ONE_MORE_AT_REST if event is Happening.DRIVE_REST else why
    leads = cell.counts_to
    if isinstance(leads, Goal):
        to = words.RECOVER[recover][leads]
        counts_to = STATES if to is None else _place(to)
    else:
        counts_to = _place(leads)
    return made(
        Cell,
        acts=cell != words.stay,
        to=_place(cell.to),
        run=NOWHERE if cell.run is None else cell.run,
        off_seen=NOWHERE if cell.off_seen is None else cell.off_seen,
        counts_to=counts_to,
        edge_to=_place(cell.edge_to),
        why=int(why),
    )


def _place(state: State | None) -> int:
    return NOWHERE if state is None else words.STATES.index(state)


def command_uses(link: Link) -> CommandUses:
    """What the channels of a link are to the failsafe."""
    names = list(link.channels)
    uses = moving_channels(link, output_routes(link))
    used = [(place, uses[name]) for place, name in enumerate(names) if name in uses]
    return CommandUses(
        channels=len(names),
        arm=names.index(link.arm_channel) if link.arm_channel else None,
        required=[(place, use.turns) for place, use in used if use.required],
        optional=[place for place, use in used if use.turns and not use.required],
        band=level_of(link.failsafe.rest_band),
    )


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
        points=0 if pulses else len(model.duty_curve),
        curve=[made(Point, x=level_of(x), y=level_of(y)) for x, y in model.duty_curve],
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
