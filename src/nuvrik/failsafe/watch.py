"""The state of one machine in words: a State and a Why around the numbers of ``core.watch``."""

from nuvrik.core.levels import NOBODY, TIMER_MAX
from nuvrik.core.watch import Watch, WatchTable
from nuvrik.failsafe.commands import Command
from nuvrik.failsafe.table import STATES
from nuvrik.failsafe.why import Code, Why


class LinkWatch:
    """The state of one machine: ``state``, and ``why`` as a code with a place and a count.

    Time, in milliseconds that only grow, reaches it through :meth:`pass_time`, which must be called
    before anything that arrived in that time is looked at.
    """

    def __init__(self, table: WatchTable) -> None:
        self.core = Watch(table)
        self._now_ms = 0
        self._why, self._told = Why(Code.FIRST_FRAME), (int(Code.FIRST_FRAME), NOBODY, 0)
        self.state = STATES[self.core.state]

    @property
    def why(self) -> Why:
        """What holds the machine back; the same object while it is the same reason."""
        told = self.core.why, self.core.place, self.core.number
        if told != self._told:
            self._told = told
            why, place, number = told
            self._why = Why(Code(why), -1 if place == NOBODY else place, number)
        return self._why

    def pass_time(self, now_ms: int) -> bool:
        """Let it be ``now_ms``. True if a silence begins, and the last sequence number is to be forgotten."""
        dt_ms, self._now_ms = now_ms - self._now_ms, now_ms
        begins = self.core.pass_time(dt_ms if dt_ms < TIMER_MAX else TIMER_MAX)
        self.state = STATES[self.core.state]
        return begins

    def ticked(self) -> None:
        """The machine has had a turn."""
        self.core.ticked()

    def command(self, command: Command) -> None:
        """An accepted command. One that lacks a required reading is no drive frame, and no sign of life."""
        arm, missing, moved = command
        if missing is None:
            self.core.drive(arm, NOBODY if moved is None else moved)
        else:
            self.core.bare(arm, missing)
        self.state = STATES[self.core.state]

    def stop(self) -> None:
        """A stop frame."""
        self.core.stop()
        self.state = STATES[self.core.state]
