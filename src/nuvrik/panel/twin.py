"""A machine beside the real one: what a machine that was built from this file is told by what is sent.

The real one says its state, and what its telemetry carries. What it tells each output, and why, it says on no
link; so the host works it out, from the same frames, by the same rules."""

from nuvrik.ends.machine import Machine
from nuvrik.failsafe.table import State
from nuvrik.plan.form.models import Link
from nuvrik.ports.live import ByteLine


class Twin:
    """A port, and a machine that hears what goes through it. Nothing of it is sent."""

    def __init__(self, link: Link, line: ByteLine) -> None:
        self._link, self._line = link, line
        self.machine = Machine(link, stream=line.stream)
        self.accepted = line.accepted
        self._now_ms = 0
        self._due_ms = 0
        self.agrees = True
        """Whether the real machine says that it is in the same state."""

    @property
    def stream(self) -> bool:
        """As of the port."""
        return self._line.stream

    def read(self) -> bytes:
        """What has arrived."""
        return self._line.read()

    def write(self, data: bytes) -> bool:
        """Send; the twin hears what the line has taken."""
        taken = self._line.write(data)
        if taken:
            self.machine.feed(data, self._now_ms)
        return taken

    def pass_time(self, now_ms: int, state: State | None) -> None:
        """Let it tick. A machine that says that it is somewhere else has heard something else: then nothing
        is known, until both are at one again."""
        self._now_ms = now_ms
        if now_ms >= self._due_ms:
            self._due_ms = now_ms + self._link.tick_ms
            self.machine.tick(now_ms)
            self.machine.send(now_ms)
        self.agrees = state is None or state is self.machine.state
