"""A port with a simulated machine on it: the rehearsal's medium, machine and plant, and every fault of it.

Its time is its own: it passes when the handset's loop sleeps, and takes none of the user's; or, through
``RealTime``, it is everybody's.
"""

import time
from collections.abc import Collection
from typing import Any

from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.plan.form.models import Link
from nuvrik.ports.port import OneEnd
from nuvrik.rehearsal.bench import Bench, Verdict

AT_HAND = (
    "cable_pulled",
    "every_other_lost",
    "bits_flipped",
    "machine_brown_out",
    "held_back",
    "answers_lost",
    "all_repeated",
    "neighbour",
    "no_readings",
)
"""Faults worth a digit each where there is room for nine: of each kind one."""


class SimLine(OneEnd):
    """Port and clock in one, with the sensors that the link file names. ``backwards`` names outputs that are
    wired the wrong way round. Whoever drives through it takes their handset from ``handset``: faults of
    hands strike that one."""

    def __init__(self, link: Link, backwards: Collection[str] = ()) -> None:
        self.bench = Bench(link, backwards)
        self.stream = not link.medium.datagrams

    @property
    def machine(self) -> Machine:
        """The simulated machine; another one once it has started anew."""
        return self.bench.machine

    def handset(self, link: Link, **how: Any) -> Handset:
        """A handset for this line, as ``Handset`` makes it."""
        return self.bench.handset_of(link, **how)

    def now_ms(self) -> int:
        """The simulated time, by the clock of the handset."""
        return self.bench.their_ms

    def sleep(self, seconds: float) -> None:
        """Let simulated time go by, and the machine run in it."""
        self.bench.pass_time(round(1_000_000 * seconds))

    pace = sleep

    def read(self) -> bytes:
        """What the machine says: all of it, or the next packet."""
        return self.bench.take(all_of_it=self.stream)

    def write(self, data: bytes) -> bool:
        """Bytes to the machine."""
        self.bench.put(data)
        return True

    @property
    def at_hand(self) -> list[str]:
        """The faults that have a digit."""
        return [name for name in AT_HAND if name in self.bench.faults]

    @property
    def standing(self) -> str | None:
        """The fault that there is now."""
        return self.bench.standing

    def make(self, fault: str) -> str:
        """Make a fault, or take it away if it is there; gives what is so now, in words. KeyError if there is
        none of that name."""
        if self.bench.standing == fault:
            self.bench.take_away()
            return "taken away"
        self.bench.strike(fault)
        about = self.bench.faults[fault].imitates
        return f"{about} (once {self.bench.waits_for})" if self.bench.waits_for else about

    def verdicts(self) -> list[Verdict]:
        """What has come of faults since this was last asked."""
        said, self.bench.verdicts = self.bench.verdicts, []
        return said

    def turns(self, name: str) -> float:
        """The shaft of what turns: turns in the way that the link file calls forward."""
        return self.bench.plant.motors[name].turns

    def touched(self, name: str) -> bool:
        """Whether a servo has met its stop since this was last asked."""
        return self.bench.plant.touched(name)


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
