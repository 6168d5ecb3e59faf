"""A machine beside the real one: what a machine that was built from this file is told by what is sent.

The real one says its state, and what its telemetry carries. What it tells each output, and why, it says on no
link; so the host works it out, from the same frames, by the same rules."""

from nuvrik.core.levels import TIMER_MAX
from nuvrik.core.loop import EXPIRES, Loop
from nuvrik.core.machine.states import State
from nuvrik.ends.machine import Machine
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.medium import loop_table
from nuvrik.ports.around import Around
from nuvrik.ports.live import ByteLine


class Twin(Around):
    """A port, and a machine that hears what goes through it. Nothing of what it says is sent."""

    def __init__(self, link: Link, line: ByteLine) -> None:
        super().__init__(line)
        self.machine = Machine(link, stream=line.stream)
        self._loop, self._now_ms = Loop(loop_table(link)), 0
        self.agrees = True
        """Whether the real machine says that it is in the same state."""

    def write(self, data: bytes) -> bool:
        """Send; the twin hears what the line has taken."""
        taken = super().write(data)
        if taken:
            self.machine.feed(data, self._now_ms)
        return taken

    def pass_time(self, now_ms: int, state: State | None) -> None:
        """Let it turn. A machine that says that it is somewhere else has heard something else: then nothing
        is known, until both are at one again."""
        gap_ms, self._now_ms = now_ms - self._now_ms, now_ms
        if self._loop.turn(min(gap_ms, TIMER_MAX)) == EXPIRES:
            self.machine.expire(now_ms)
        if self._loop.ticks():
            self.machine.tick(now_ms)
            self.machine.send(now_ms)
        self.agrees = state is None or state is self.machine.state
