"""The failsafe table: for each state and each event, what happens.

A cell is written with five words:

=============  ===================================================================================
``stay``       remain; optionally set ``off_seen``
``go(S)``      enter state S; ``run`` and ``off_seen`` become 0 there unless the cell sets them
``count(S)``   add one to ``run``; at ``good_frames`` in a row, enter S
``broken``     the run of good frames is broken: ``run`` becomes 0
``edge(S)``    enter S if arm has been seen off since this state was entered, else say so and stay
=============  ===================================================================================

RETURN and AT_REST stand for what ``recover`` in the link file says.
"""

from enum import StrEnum
from typing import NamedTuple


class State(StrEnum):
    """The five states of a machine. Only in ARMED do outputs follow the handset."""

    WAITING = "WAITING"
    STANDBY = "STANDBY"
    ARMED = "ARMED"
    FAILSAFE = "FAILSAFE"
    STOPPED = "STOPPED"


STATES = tuple(State)
"""By the number that each has in ``core.machine.watch`` and in a telemetry frame."""


class Happening(StrEnum):
    """What can happen. A drive frame is a command in which every required channel has a reading."""

    DRIVE_OFF = "drive frame, arm off"
    DRIVE_REST = "drive frame, arm on, at rest"
    DRIVE_MOVED = "drive frame, arm on, not at rest"
    BARE_OFF = "command without a required reading, arm off"
    BARE_ON = "command without a required reading, arm on"
    STOP = "stop frame"
    SILENCE = "no drive frame for timeout_ms"
    GIVE_UP = "give_up_ms in this state"


class Goal(StrEnum):
    """Where a run of good frames leads, where that depends on ``recover``."""

    RETURN = "as recover says, not at rest"
    AT_REST = "as recover says, at rest"


class Cell(NamedTuple):
    """What one event does in one state."""

    to: State | None = None
    run: int | None = None
    off_seen: int | None = None
    counts_to: State | Goal | None = None
    edge_to: State | None = None


def go(to: State, run: int = 0, off_seen: int = 0, counts_to: State | None = None) -> Cell:
    return Cell(to=to, run=run, off_seen=off_seen, counts_to=counts_to)


def count(counts_to: State | Goal) -> Cell:
    return Cell(counts_to=counts_to)


def edge(to: State) -> Cell:
    return Cell(edge_to=to)


stay = Cell()
broken = Cell(run=0)
arm_off_seen = Cell(off_seen=1)
arm_off_forgotten = Cell(off_seen=0)

# Under names of their own, which are also looked up faster than members of an enumeration.
WAITING, STANDBY, ARMED, FAILSAFE, STOPPED = State
DRIVE_OFF, DRIVE_REST, DRIVE_MOVED, BARE_OFF, BARE_ON, STOP, SILENCE, GIVE_UP = Happening
RETURN, AT_REST = Goal
_returned = go(WAITING, run=1, counts_to=STANDBY)
_disarmed = go(STANDBY, off_seen=1)

# fmt: off
_ROWS = {
    #             WAITING         STANDBY            ARMED         FAILSAFE         STOPPED
    DRIVE_OFF:   (count(STANDBY), arm_off_seen,      _disarmed,    _returned,       count(STANDBY)),
    DRIVE_REST:  (count(STANDBY), edge(ARMED),       stay,         count(AT_REST),  broken),
    DRIVE_MOVED: (count(STANDBY), arm_off_forgotten, stay,         count(RETURN),   broken),
    BARE_OFF:    (broken,         arm_off_forgotten, go(STANDBY),  go(WAITING),     broken),
    BARE_ON:     (broken,         arm_off_forgotten, stay,         broken,          broken),
    STOP:        (go(STOPPED),    go(STOPPED),       go(STOPPED),  go(STOPPED),     broken),
    SILENCE:     (broken,         go(WAITING),       go(FAILSAFE), broken,          broken),
    GIVE_UP:     (stay,           stay,              stay,         go(WAITING),     stay),
}
# fmt: on

TABLE: dict[Happening, dict[State, Cell]] = {
    event: dict(zip(State, row, strict=True)) for event, row in _ROWS.items()
}

RECOVER: dict[str, dict[Goal, State | None]] = {
    "rearm": {AT_REST: STANDBY, RETURN: STANDBY},
    "at_rest": {AT_REST: ARMED, RETURN: None},
    "resume": {AT_REST: ARMED, RETURN: ARMED},
}
"""Where a full run leads from FAILSAFE under each ``recover``; None: stay, the run held full."""

WITHOUT_ARM: dict[tuple[Happening, State], Cell] = {(DRIVE_REST, STOPPED): count(STANDBY)}
"""Cells that differ where ``arm = "none"``: without a switch, rest is the only way out of a stop."""
