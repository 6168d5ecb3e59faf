"""A port with a simulated machine on it.

Its time is its own: it passes when the handset's loop sleeps, and takes none of the user's.
"""

from nuvrik.ends.machine import Machine
from nuvrik.plan.form.models import Link
from nuvrik.plant.plant import Plant


class SimLine:
    """Port and clock in one, with the sensors that the link file names. ``backwards`` names outputs that are
    wired the wrong way round."""

    stream = True

    def __init__(self, link: Link, backwards: frozenset[str] = frozenset()) -> None:
        self.machine = Machine(link, stream=True, boot=1)
        self._plant = Plant(link, backwards)
        self._now_ms = 0.0
        self._tick_ms = link.tick_ms
        self._due_ms = 0.0

    def now_ms(self) -> int:
        """The simulated time."""
        return int(self._now_ms)

    def sleep(self, seconds: float) -> None:
        """Let simulated time go by, and the machine run in it."""
        end_ms = self._now_ms + 1000 * seconds
        while self._due_ms <= end_ms:
            self._now_ms = self._due_ms
            self.machine.sense(self.now_ms(), **self._plant.readings())
            self._plant.follow(self.machine.tick(self.now_ms()))
            self._plant.run(self._tick_ms)
            self._due_ms += self._tick_ms
        self._now_ms = end_ms

    def read(self) -> bytes:
        """What the machine says."""
        return self.machine.send(self.now_ms())

    def write(self, data: bytes) -> bool:
        """Bytes to the machine."""
        self.machine.feed(data, self.now_ms())
        return True

    def accepted(self) -> None:
        """There is only one other end."""

    def turns(self, name: str) -> float:
        """The shaft of a motor or stepper: turns in the way that the link file calls forward."""
        return self._plant.motors[name].turns

    def touched(self, name: str) -> bool:
        """Whether a servo has met its stop since this was last asked."""
        return self._plant.touched(name)
