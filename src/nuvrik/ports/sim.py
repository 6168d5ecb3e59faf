"""A port with a simulated machine on it, and faults that can be made on it.

Its time is its own: it passes when the handset's loop sleeps, and takes none of the user's; or, through
:class:`RealTime`, it is everybody's.
"""

import random
import time
from collections import deque

from nuvrik.ends.machine import Machine
from nuvrik.plan.form.models import Link
from nuvrik.plant.plant import Plant

HANGS_MS = 1000
"""How long a machine that hangs does nothing before its watchdog resets it."""

LATE_MS = 300
"""Less than most timeouts: only a delay guard notices."""

FAULTS = {
    "cable": "the cable is off: nothing passes either way",
    "loss": "every other frame is lost, by chance",
    "noise": "in every other frame a bit is inverted",
    "restart": "the machine starts anew",
    "hang": "the machine hangs for a second, and its watchdog resets it",
    "deaf": "nothing comes back from the machine",
    "twice": "every frame arrives twice",
    "late": f"what is sent arrives {LATE_MS} ms later",
}
"""Faults that can be made while it runs. All but restart and hang stay until they are taken away again."""


class SimLine:
    """Port and clock in one, with the sensors that the link file names. ``backwards`` names outputs that are
    wired the wrong way round; ``faults`` are those that are there now."""

    stream = True

    def __init__(self, link: Link, backwards: frozenset[str] = frozenset()) -> None:
        self._link, self._boots = link, 0
        self.machine = self._started()
        self._plant = Plant(link, backwards)
        self._now_ms = 0.0
        self._tick_ms = link.tick_ms
        self._due_ms = 0.0
        self._hangs_until_ms: float | None = None
        self._chance = random.Random(1)
        self.faults: set[str] = set()
        self._late: deque[tuple[float, bytes]] = deque()

    def _started(self) -> Machine:
        self._boots += 1
        return Machine(self._link, stream=True, boot=self._boots)

    def now_ms(self) -> int:
        """The simulated time."""
        return int(self._now_ms)

    def sleep(self, seconds: float) -> None:
        """Let simulated time go by, and the machine run in it."""
        end_ms = self._now_ms + 1000 * seconds
        while self._due_ms <= end_ms:
            self._now_ms = self._due_ms
            self._arrive()
            if not self._hanging():
                self.machine.sense(self.now_ms(), **self._plant.readings())
                self._plant.follow(self.machine.tick(self.now_ms()))
            self._plant.run(self._tick_ms)
            self._due_ms += self._tick_ms
        self._now_ms = end_ms

    pace = sleep

    def _hanging(self) -> bool:
        if self._hangs_until_ms is None:
            return False
        if self._now_ms < self._hangs_until_ms:
            return True
        self._hangs_until_ms = None
        self.machine = self._started()
        return False

    def read(self) -> bytes:
        """What the machine says."""
        said = b"" if self._hanging() else self._through(self.machine.send(self.now_ms()))
        return b"" if "deaf" in self.faults else said

    def write(self, data: bytes) -> bool:
        """Bytes to the machine."""
        data = self._through(data)
        for _ in range(2 if "twice" in self.faults else 1):
            self._late.append((self._now_ms + (LATE_MS if "late" in self.faults else 0), data))
        self._arrive()
        return True

    def _arrive(self) -> None:
        """What is due now reaches the machine."""
        while self._late and self._late[0][0] <= self._now_ms:
            _, data = self._late.popleft()
            if not self._hanging():
                self.machine.feed(data, self.now_ms())

    def _through(self, data: bytes) -> bytes:
        """What of some bytes comes through, with the faults that there are."""
        if not data or "cable" in self.faults or ("loss" in self.faults and self._chance.random() < 0.5):
            return b""
        if "noise" in self.faults and self._chance.random() < 0.5:
            place, bit = self._chance.randrange(len(data)), 1 << self._chance.randrange(8)
            return data[:place] + bytes([data[place] ^ bit]) + data[place + 1 :]
        return data

    def make(self, fault: str) -> bool:
        """Make a fault, or take one away that stays; gives whether it is there now. KeyError if there is none
        of that name."""
        if fault not in FAULTS:
            raise KeyError(f"there is no fault {fault}; there are: {', '.join(FAULTS)}")
        if fault == "hang":
            self._hangs_until_ms = self._now_ms + HANGS_MS
        elif fault == "restart":
            self.machine = self._started()
        else:
            self.faults ^= {fault}
            return fault in self.faults
        return True

    def accepted(self) -> None:
        """There is only one other end."""

    @property
    def waits(self) -> str:
        """It waits for nobody."""
        return ""

    def turns(self, name: str) -> float:
        """The shaft of a motor or stepper: turns in the way that the link file calls forward."""
        return self._plant.motors[name].turns

    def touched(self, name: str) -> bool:
        """Whether a servo has met its stop since this was last asked."""
        return self._plant.touched(name)


class RealTime:
    """A simulated machine in real time, for programs and people that wait."""

    def __init__(self, line: SimLine) -> None:
        self._line = line
        self._start = self._last = time.monotonic()
        self.now_ms = line.now_ms

    def sleep(self, seconds: float) -> None:
        """Let time go by, for both."""
        time.sleep(seconds)
        now = time.monotonic()
        self._line.sleep(now - self._last)
        self._last = now

    def pace(self, seconds: float) -> None:
        """Let it go by until the next of turns that are so far apart."""
        self.sleep(seconds - (time.monotonic() - self._start) % seconds)
