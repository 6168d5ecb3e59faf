"""Keeps the failsafe's timers and looks every event up in the table."""

from nuvrik.failsafe.commands import Command
from nuvrik.failsafe.table import (
    ARMED,
    BARE_OFF,
    BARE_ON,
    DRIVE_MOVED,
    DRIVE_OFF,
    DRIVE_REST,
    GIVE_UP,
    RECOVER,
    SILENCE,
    STOP,
    STOPPED,
    TABLE,
    WAITING,
    WITHOUT_ARM,
    Cell,
    Goal,
    Happening,
    State,
    stay,
)
from nuvrik.failsafe.why import NOTHING, Code, Why
from nuvrik.levels import LONG_AGO
from nuvrik.plan.form.models import FailsafeSection

CODES = {
    DRIVE_OFF: Code.ARM_OFF,
    DRIVE_REST: Code.SWITCH_ARM_OFF,
    DRIVE_MOVED: Code.NOT_AT_REST,
    BARE_OFF: Code.NO_READING,
    BARE_ON: Code.NO_READING,
    STOP: Code.STOPPED,
    SILENCE: Code.SILENCE,
    GIVE_UP: Code.GAVE_UP,
}
"""Why nothing moves after each event, where nothing more helpful is known."""


class LinkWatch:
    """The state of one machine: ``state``, and ``why`` as a code with a place and a count.

    Time, in milliseconds that only grow, reaches it through :meth:`pass_time`, which must be called
    before anything that arrived in that time is looked at.
    """

    def __init__(self, rules: FailsafeSection) -> None:
        self._timeout_ms = rules.timeout_ms
        self._good_frames = rules.good_frames
        self._give_up_ms = rules.give_up_ms
        self._recover = RECOVER[rules.recover]
        self._armless = rules.arm == "none"
        self.state = WAITING
        self.why = Why(Code.FIRST_FRAME)
        self._run = 0
        self._off_seen = 0
        self._counted = False
        # Before the first drive frame there is nothing yet that a silence could end.
        self._silent = True
        self._now_ms = 0
        self._driven_ms = LONG_AGO
        self._entered_ms = 0

    def pass_time(self, now_ms: int) -> bool:
        """Let it be ``now_ms``. True if a silence begins: there has now been no drive frame for
        ``timeout_ms``, and the caller forgets the last sequence number, once. (Were it forgotten at every
        call of a long silence, one old echo or incomplete command would be accepted again and again.)"""
        self._now_ms = now_ms
        # Giving up first: it leads to WAITING, where the silence that is judged next changes nothing more.
        if self._give_up_ms is not None and now_ms - self._entered_ms >= self._give_up_ms:
            self._happen(GIVE_UP)
        if now_ms - self._driven_ms < self._timeout_ms:
            return False
        self._happen(SILENCE, count=self._timeout_ms)
        begins, self._silent = not self._silent, True
        return begins

    def ticked(self) -> None:
        """The machine has had a turn: the run of good frames may rise again. However many frames come
        between two ticks, as when a backlog is read after the loop was held up, they count as one."""
        self._counted = False

    def command(self, command: Command) -> None:
        """An accepted command. One that lacks a required reading is no drive frame, and no sign of life."""
        arm, missing, moved = command
        on = arm or self._armless
        if missing is not None:
            self._happen(BARE_ON if on else BARE_OFF, missing)
            return
        self._driven_ms = self._now_ms
        self._silent = False
        if not on:
            self._happen(DRIVE_OFF)
        elif moved is None:
            self._happen(DRIVE_REST)
        else:
            self._happen(DRIVE_MOVED, moved)

    def stop(self) -> None:
        """A stop frame."""
        self._happen(STOP)

    def _happen(self, event: Happening, place: int = -1, count: int = 0) -> None:
        cell = TABLE[event][self.state]
        # Without an arm channel two cells differ; everything else is the same rule.
        if self._armless:
            cell = WITHOUT_ARM.get((event, self.state), cell)
        if cell is not stay:
            self._carry_out(cell)
        elif self.state is ARMED and event is not BARE_ON:
            self.why = NOTHING
            return
        self.why = self._reason(event, cell, place, count)

    def _carry_out(self, cell: Cell) -> None:
        if cell.to is not None:
            self._enter(cell.to)
        # The order matters: entering a state clears run and off_seen, and the cell may set them again.
        if cell.run is not None:
            self._run = cell.run
            self._counted = self._counted or cell.run > 0
        elif cell.counts_to is not None and not self._counted:
            self._run = min(self._run + 1, self._good_frames)
            self._counted = True
        if cell.off_seen is not None:
            self._off_seen = cell.off_seen
        if cell.counts_to is not None and self._run >= self._good_frames:
            self._arrive(cell.counts_to)
        if cell.edge_to is not None and (self._off_seen or self._armless):
            self._enter(cell.edge_to)

    def _arrive(self, goal: State | Goal) -> None:
        to = self._recover[goal] if isinstance(goal, Goal) else goal
        if to is not None:
            self._enter(to)

    def _enter(self, state: State) -> None:
        # Entering the state it is in (a stop in STOPPED) does not make it new: give_up counts on.
        if state != self.state:
            self._entered_ms = self._now_ms
        self.state = state
        self._run = 0
        self._off_seen = 0

    def _reason(self, event: Happening, cell: Cell, place: int, count: int) -> Why:
        """Why nothing moves, as the code that helps most; NOTHING where nothing holds the machine back."""
        if self.state is ARMED and event is not BARE_ON:
            return NOTHING
        if self.state is STOPPED:
            return Why(Code.STOPPED, number=self._run)
        if cell.counts_to is not None and 0 < self._run < self._good_frames:
            return Why(Code.GOOD_FRAMES, number=self._run)
        # Before the first frame "no drive frame for 400 ms" would be true and would help nobody.
        if event is SILENCE and self.why.code is Code.FIRST_FRAME:
            return self.why
        if event is DRIVE_REST and self._armless:
            return Why(Code.ONE_MORE_AT_REST)
        return Why(CODES[event], place, count)
