"""Who may move, and when: the timers of the failsafe, and the table that every event is looked up in."""

from nuvrik.core.levels import NOBODY, TIMER_MAX, later
from nuvrik.core.widths import Table, u8, u16

WAITING = 0
STANDBY = 1
ARMED = 2
FAILSAFE = 3
STOPPED = 4

STATES = 5
"""How many states there are."""

NOWHERE = 255
"""In a cell: nothing of this kind happens."""

DRIVE_OFF = 0
DRIVE_REST = 1
DRIVE_MOVED = 2
BARE_OFF = 3
BARE_ON = 4
STOP = 5
SILENCE = 6
GIVE_UP = 7

WHY_NOTHING = 0
WHY_FIRST_FRAME = 1
WHY_ARM_OFF = 2
WHY_SWITCH_ARM_OFF = 3
WHY_NOT_AT_REST = 4
WHY_NO_READING = 5
WHY_STOPPED = 6
WHY_SILENCE = 7
WHY_GAVE_UP = 8
WHY_GOOD_FRAMES = 9
WHY_ONE_MORE_AT_REST = 10
WHY_STOP_SWITCH = 11
WHY_LOW_BATTERY = 12
WHY_OWN_CODE = 13
"""Why nothing moves. The place of a stop switch and of a battery is that of an item of telemetry; that of the
builder's own code is the number that it gave for its stop, 1 to 15."""


class Cell(Table):
    """What one event does in one state. acts: whether it does anything; to: the state it enters; run,
    off_seen: what these become; counts_to: where a full run of good frames leads, STATES for nowhere;
    edge_to: the state it enters if arm has been seen off since this one was entered. NOWHERE: it does nothing
    of that kind. why: what holds the machine back afterwards, where nothing more helpful is known."""

    acts: bool
    to: u8
    run: u8
    off_seen: u8
    counts_to: u8
    edge_to: u8
    why: u8


class WatchTable(Table):
    """What a link file says about silence. cells: one for each event in each state, with recover and arm =
    "none" already in them; armless: whether there is no arm."""

    timeout_ms: u16
    good_frames: u8
    gives_up: bool
    give_up_ms: u16
    armless: bool
    cells: list[Cell]


class Watch:
    """The state of one machine, and why nothing moves: a code, the place of a channel, a number. stopped_by,
    stopped_at: what stopped it last, and its place."""

    def __init__(self, table: WatchTable) -> None:
        self.table: WatchTable = table
        self.state: u8 = WAITING
        self.why: u8 = WHY_FIRST_FRAME
        self.place: u8 = NOBODY
        self.number: u16 = 0
        self.run: u8 = 0
        self.off_seen: u8 = 0
        self.counted: bool = False
        # Before the first drive frame there is nothing yet that a silence could end.
        self.silent: bool = True
        self.driven_ms: u16 = TIMER_MAX
        self.entered_ms: u16 = 0
        self.stopped_by: u8 = WHY_STOPPED
        self.stopped_at: u8 = NOBODY

    def pass_time(self, dt_ms: u16) -> bool:
        """Let dt_ms go by, before anything that arrived in that time is looked at. True if a silence begins:
        there has now been no drive frame for timeout_ms, and the caller forgets the last sequence number,
        once. Were it forgotten at every call of a long silence, an old echo could be accepted every time."""
        self.driven_ms = later(self.driven_ms, dt_ms)
        if self.table.gives_up:
            # First, because it leads to WAITING, where the silence that is judged next changes nothing more.
            self.entered_ms = later(self.entered_ms, dt_ms)
            if self.entered_ms >= self.table.give_up_ms:
                self.happen(GIVE_UP, NOBODY, 0)
        if self.driven_ms < self.table.timeout_ms:
            return False
        self.happen(SILENCE, NOBODY, self.table.timeout_ms)
        begins: bool = not self.silent
        self.silent = True
        return begins

    def ticked(self) -> None:
        """The machine has had a turn, and the run of good frames may rise again. However many frames come
        between two ticks, as when a backlog is read after the loop was held up, they count as one."""
        self.counted = False

    def drive(self, arm: bool, moved: u8) -> None:
        """A drive frame. moved: the place of the first channel that turns something and is not at rest."""
        self.driven_ms = 0
        self.silent = False
        if not (arm or self.table.armless):
            self.happen(DRIVE_OFF, NOBODY, 0)
        elif moved == NOBODY:
            self.happen(DRIVE_REST, NOBODY, 0)
        else:
            self.happen(DRIVE_MOVED, moved, 0)

    def bare(self, arm: bool, missing: u8) -> None:
        """A command that lacks a required reading: no drive frame, and no sign of life."""
        if arm or self.table.armless:
            self.happen(BARE_ON, missing, 0)
        else:
            self.happen(BARE_OFF, missing, 0)

    def stop(self, why: u8, place: u8) -> None:
        """A stop: a frame, WHY_STOPPED, or one of the machine's own."""
        self.stopped_by = why
        self.stopped_at = place
        self.happen(STOP, NOBODY, 0)

    def happen(self, event: u8, place: u8, number: u16) -> None:
        """Look an event up, do what its cell says, and say why nothing moves."""
        cell: Cell = self.table.cells[event * STATES + self.state]
        if cell.acts:
            self.carry_out(cell)
        elif event == GIVE_UP:
            # It means nothing in this state, and changes no reason.
            return
        if self.state == ARMED and event != BARE_ON:
            # Written out, because nearly every frame of a drive comes here.
            self.why = WHY_NOTHING
            self.place = NOBODY
            self.number = 0
        else:
            self.explain(event, cell, place, number)

    def carry_out(self, cell: Cell) -> None:
        """Do what a cell says."""
        if cell.to != NOWHERE:
            self.enter(cell.to)
        # The order matters: entering a state clears run and off_seen, and the cell may set them again.
        if cell.run != NOWHERE:
            self.run = cell.run
            self.counted = self.counted or cell.run > 0
        elif cell.counts_to != NOWHERE and not self.counted:
            if self.run < self.table.good_frames:
                self.run += 1
            self.counted = True
        if cell.off_seen != NOWHERE:
            self.off_seen = cell.off_seen
        if cell.counts_to < STATES and self.run >= self.table.good_frames:
            self.enter(cell.counts_to)
        if cell.edge_to != NOWHERE and (self.off_seen != 0 or self.table.armless):
            self.enter(cell.edge_to)

    def enter(self, state: u8) -> None:
        """Be in a state, with nothing counted yet."""
        self.entered_ms = 0
        self.state = state
        self.run = 0
        self.off_seen = 0

    def explain(self, event: u8, cell: Cell, place: u8, number: u16) -> None:
        """Say why nothing moves, with the code that helps most."""
        if self.state == STOPPED:
            self.say(self.stopped_by, self.stopped_at, self.run)
        elif cell.counts_to != NOWHERE and self.run > 0 and self.run < self.table.good_frames:
            self.say(WHY_GOOD_FRAMES, NOBODY, self.run)
        elif event != SILENCE or self.why != WHY_FIRST_FRAME:
            # Before the first frame "no drive frame for 400 ms" would be true and would help nobody.
            self.say(cell.why, place, number)

    def say(self, why: u8, place: u8, number: u16) -> None:
        """Keep a reason."""
        self.why = why
        self.place = place
        self.number = number
