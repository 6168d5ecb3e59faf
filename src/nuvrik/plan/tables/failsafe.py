"""Who may move, and what commands are to that, as tables."""

from nuvrik.core.levels import NOBODY
from nuvrik.core.machine import states as words
from nuvrik.core.machine.commands import CommandTable
from nuvrik.core.machine.states import Goal, Happening, State
from nuvrik.core.machine.watch import NOWHERE, STATES, Cell, WatchTable
from nuvrik.failsafe.why import Code
from nuvrik.levels import level_of
from nuvrik.plan.form.models import FailsafeSection, Link
from nuvrik.plan.tables.made import made
from nuvrik.plan.wiring import moving_channels, output_routes

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


def command_table(link: Link) -> CommandTable:
    """What the channels of a link are to the failsafe."""
    names = list(link.channels)
    uses = moving_channels(link, output_routes(link))
    used = [(place, uses[name]) for place, name in enumerate(names) if name in uses]
    return made(
        CommandTable,
        arm=names.index(link.arm_channel) if link.arm_channel else NOBODY,
        band=level_of(link.failsafe.rest_band),
        required=[place for place, use in used if use.required],
        optional=[place for place, use in used if use.turns and not use.required],
    )
