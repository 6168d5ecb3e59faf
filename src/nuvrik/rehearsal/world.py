"""Both ends and the medium between them, run from one event to the next in virtual time.

Three things happen: the handset's loop turns (once a period), a frame arrives, the machine's loop
turns (once a tick). Between them time does not pass at all, so an hour takes seconds. Each end has
a clock of its own with a start of its own; both wrap at 2**16 ms as on a microcontroller.
"""

import random
from heapq import heappop, heappush
from typing import Any, NamedTuple

from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.failsafe.table import ARMED, State
from nuvrik.mixing.demand import Demand
from nuvrik.plan.models import Link
from nuvrik.rehearsal.medium import Conditions, medium_of
from nuvrik.rehearsal.recording import Recording
from nuvrik.wire.events import Frame


class Moment(NamedTuple):
    """What the machine did from ``t_ms`` on: one demand an output."""

    t_ms: float
    state: State
    why: str
    demands: list[Demand]

    @property
    def values(self) -> list[int]:
        """One number an output, in its driver's units, signed."""
        return [demand.signed for demand in self.demands]

    @property
    def efforts(self) -> list[int]:
        """How hard each output is driven, 0 at rest."""
        return [demand.effort for demand in self.demands]


class Trace:
    """What was seen in a run: ``moments`` whenever the machine changed, and the times in ms at which
    frames were ``sent`` and ``heard``, and at which others were ``refused`` with their reasons."""

    def __init__(self) -> None:
        self.moments: list[Moment] = []
        self.sent: list[float] = []
        self.heard: list[float] = []
        self.refused: list[tuple[float, str]] = []


class World:
    """One rehearsal of one link. ``run`` goes to the end of the recording, or to a given time."""

    def __init__(
        self, link: Link, recording: Recording, conditions: Conditions | None = None, *, seed: int = 0
    ) -> None:
        self.link = link
        self.recording = recording
        self.rng = random.Random(seed)
        self.trace = Trace()
        self.t_us = 0
        self.last_armed_sent_us: int | None = None
        """When the last frame that was obeyed in ARMED left the handset."""
        self._period_us = link.link.period_ms * 1000
        self._tick_us = link.link.tick_ms * 1000
        self._handset_start_ms = self.rng.randrange(1 << 16)
        self._machine_start_ms = self.rng.randrange(1 << 16)
        self._demands: list[Demand] | None = None
        self._state: State | None = None
        self._queue: list[tuple[int, int, Any, Any]] = []
        self._count = 0
        self._prepare(conditions or Conditions())

    def _prepare(self, conditions: Conditions) -> None:
        """Set up both ends and what is between them, and start their loops."""
        link = self.link
        self.medium = medium_of(link.medium, conditions, self.rng)
        self.handset: Handset | None = Handset(link)
        self.machine = Machine(link)
        self.at(self.rng.randrange(self._period_us), self._handset_turn)
        self.at(self.rng.randrange(self._tick_us), self._machine_turn)

    def at(self, t_us: int, action: Any, given: Any = None) -> None:
        """Let ``action(given)`` happen at a time in microseconds, not before now."""
        self._count += 1
        heappush(self._queue, (t_us, self._count, action, given))

    def run(self, until_ms: int | None = None) -> Trace:
        """Run to ``until_ms`` (default: the end of the recording), and give what was seen."""
        until_us = 1000 * (self.recording.duration_ms if until_ms is None else until_ms)
        queue = self._queue
        while queue and queue[0][0] <= until_us:
            self.t_us, _, action, given = heappop(queue)
            action(given)
        return self.trace

    def cut(self, on: bool = True) -> None:
        """Let nothing through any more, or again."""
        self.medium.cut = on

    @property
    def at_rest(self) -> bool:
        """Whether the machine has stopped, as it must once nothing good reaches it any more."""
        return self.machine.safe and self.machine.state is not ARMED

    def reset_handset(self, boot_ms: int) -> None:
        """The handset loses power, and its program starts afresh ``boot_ms`` later."""
        self.handset = None
        self.at(self.t_us + 1000 * boot_ms, self._boot_handset)

    def _boot_handset(self, _: Any) -> None:
        self.handset = Handset(self.link)
        self._handset_start_ms = -self.t_us // 1000

    def _handset_turn(self, _: Any) -> None:
        t_us = self.t_us
        self._count += 1
        heappush(self._queue, (t_us + self._period_us, self._count, self._handset_turn, None))
        if self.handset is None:
            return
        now_ms = t_us // 1000 + self._handset_start_ms
        self.recording.play_into(self.handset, t_us // 1000, now_ms)
        wire = self.handset.send(now_ms)
        if wire:
            self.trace.sent.append(t_us / 1000)
            arrival = self.medium.send(wire, t_us)
            if arrival is not None:
                self.at(arrival[0], self._arrive, (arrival[1], t_us))

    def _arrive(self, given: tuple[bytes, int]) -> None:
        wire, sent_us = given
        for event in self.machine.feed(wire, self.t_us // 1000 + self._machine_start_ms):
            if isinstance(event, Frame):
                self.trace.heard.append(self.t_us / 1000)
                if self.machine.state is ARMED:
                    self.last_armed_sent_us = sent_us
            else:
                self.trace.refused.append((self.t_us / 1000, event.reason))

    def _machine_turn(self, _: Any) -> None:
        self._count += 1
        heappush(self._queue, (self.t_us + self._tick_us, self._count, self._machine_turn, None))
        self._see(self.machine.tick(self.t_us // 1000 + self._machine_start_ms))

    def _see(self, demands: list[Demand]) -> None:
        """Note what the machine does from now on, if that is new."""
        t_us, machine, moments = self.t_us, self.machine, self.trace.moments
        if demands is self._demands and machine.state is self._state and machine.why == moments[-1].why:
            return
        self._demands, self._state = demands, machine.state
        moments.append(Moment(t_us / 1000, machine.state, machine.why, demands))
