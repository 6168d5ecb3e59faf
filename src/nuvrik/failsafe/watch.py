"""Keeps the failsafe's timers and looks every event up in the table."""

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
from nuvrik.levels import LONG_AGO
from nuvrik.plan.models import FailsafeSection

POWER_UP = "waiting for a first frame"
WORDS = {
    DRIVE_OFF: "arm is off",
    DRIVE_REST: "switch arm off first",
    DRIVE_MOVED: "{} is not at rest",
    BARE_OFF: "{} has no reading",
    BARE_ON: "{} has no reading",
    STOP: "stop was pressed",
    SILENCE: "no drive frame for {} ms",
    GIVE_UP: "nothing good for long: starting again as at power-up",
}
"""Why nothing moves after each event, where nothing more helpful is known."""

AT_REST_ONCE_MORE = "one more frame at rest"
"""The same for a frame at rest where there is no arm to be switched."""


class LinkWatch:
    """The state of one machine: ``state``, and ``why`` in plain words.

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
        self.why = POWER_UP
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
        if self._give_up_ms is not None and now_ms - self._entered_ms >= self._give_up_ms:
            self._happen(GIVE_UP)
        if now_ms - self._driven_ms < self._timeout_ms:
            return False
        self._happen(SILENCE, str(self._timeout_ms))
        begins, self._silent = not self._silent, True
        return begins

    def ticked(self) -> None:
        """The machine has had a turn: the run of good frames may rise again. However many frames come
        between two ticks, as when a backlog is read after the loop was held up, they count as one."""
        self._counted = False

    def drive(self, *, arm: bool, moved: str | None) -> None:
        """A drive frame; ``moved`` names what is not at rest, None if everything is."""
        self._driven_ms = self._now_ms
        self._silent = False
        if not (arm or self._armless):
            self._happen(DRIVE_OFF)
        elif moved is None:
            self._happen(DRIVE_REST)
        else:
            self._happen(DRIVE_MOVED, moved)

    def bare(self, *, arm: bool, missing: str) -> None:
        """A command that lacks the reading of ``missing``. It is no sign of life."""
        self._happen(BARE_ON if arm or self._armless else BARE_OFF, missing)

    def stop(self) -> None:
        """A stop frame."""
        self._happen(STOP)

    def _happen(self, event: Happening, about: str = "") -> None:
        cell = TABLE[event][self.state]
        if self._armless:
            cell = WITHOUT_ARM.get((event, self.state), cell)
        if cell is not stay:
            self._carry_out(cell)
        elif self.state is ARMED and event is not BARE_ON:
            self.why = ""
            return
        self.why = self._reason(event, cell, about)

    def _carry_out(self, cell: Cell) -> None:
        if cell.to is not None:
            self._enter(cell.to)
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
        if state != self.state:
            self._entered_ms = self._now_ms
        self.state = state
        self._run = 0
        self._off_seen = 0

    def _reason(self, event: Happening, cell: Cell, about: str) -> str:
        """Why nothing moves, in the words that help most; "" where nothing holds the machine back."""
        if self.state is ARMED and event is not BARE_ON:
            return ""
        progress = f"{self._run} of {self._good_frames} good frames"
        if self.state is STOPPED:
            return f"{WORDS[STOP]}: {progress}" if self._run else WORDS[STOP]
        if cell.counts_to is not None and 0 < self._run < self._good_frames:
            return progress
        if event is SILENCE and self.why == POWER_UP:
            return POWER_UP
        if event is DRIVE_REST and self._armless:
            return AT_REST_ONCE_MORE
        return WORDS[event].format(about)
