"""Both ends and the medium between them, run from one event to the next in virtual time.

Three things happen: the handset's loop turns (once a period), a frame arrives, the machine's loop
turns (once a tick). Between them time does not pass at all, so an hour takes seconds. Each end has
a clock of its own with a start and a pace of its own; both wrap at 2**16 ms as on a microcontroller.
"""

import random
from collections import deque
from collections.abc import Callable, Iterable
from heapq import heappop, heappush
from typing import Any, NamedTuple

from nuvrik.budget.conditions import Conditions
from nuvrik.core.levels import TIMER_MAX
from nuvrik.core.loop import EXPIRES, LISTENS, after_gap
from nuvrik.core.machine.states import ARMED, State
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.failsafe.why import Why
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plant.plant import Plant
from nuvrik.recordings.recording import Recording, Row
from nuvrik.rehearsal.medium import medium_of
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.messages import only_asks

MakeMachine = Callable[[Link], Machine]

# Moments are made by the thousand; a named tuple's own constructor costs twice this one.
_new = tuple.__new__

Arrivals = Iterable[tuple[int, bytes]]


class Moment(NamedTuple):
    """What the machine did from ``t_ms`` on: one demand an output. ``words`` say the same as ``why``."""

    t_ms: float
    state: State
    why: Why
    words: str
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
    frames were ``sent`` and ``accepted``, and at which others were ``refused`` with their reasons; what was
    done to it (``marks``: when, and what); and commands accepted that the handset had not sent just before
    (``strangers``: when, and what was odd)."""

    def __init__(self) -> None:
        self.moments: list[Moment] = []
        self.sent: list[float] = []
        self.accepted: list[float] = []
        self.refused: list[tuple[float, str]] = []
        self.marks: list[tuple[float, str]] = []
        self.strangers: list[tuple[float, str]] = []


class Clock:
    """An end's millisecond clock: when it began, and how fast it runs."""

    def __init__(self, start_ms: int) -> None:
        self.start_ms = start_ms
        self.pace = 1.0
        self.drifts = False
        """If it does not, its time is the world's and where it began."""

    def run_at(self, pace: float, t_us: int) -> None:
        """From now on run so much faster, without a jump."""
        now_ms = self.ms(t_us)
        self.pace, self.drifts = pace, pace != 1.0
        self.start_ms += now_ms - self.ms(t_us)

    def ms(self, t_us: int) -> int:
        """What it says at a time."""
        return int(t_us * self.pace) // 1000 + self.start_ms


class World:
    """One rehearsal of one link. ``run`` goes to the end of the recording, or to a given time.

    It has many fields, and they are kept together on purpose: this is the bench itself, with everything on
    it that a fault may reach for. Split by owner (clocks, medium, plant, tampering), every fault would have
    to know whose each is, and there are four dozen of them.

    What faults may do: ``tamper`` with frames on their way (time of arrival and bytes in, any number of such
    out), have ``hands`` alter the readings, ``hung`` the handset's program while its loop still sends, set
    ``machine_stalled_until_us``, and call the methods below.
    """

    def __init__(
        self,
        link: Link,
        recording: Recording,
        conditions: Conditions | None = None,
        *,
        seed: int = 0,
        make: MakeMachine = Machine,
    ) -> None:
        self.link = link
        self.make = make
        """What makes the machine: the same rules may run elsewhere, as C or in MicroPython."""
        self.recording = recording
        self.rng = random.Random(seed)
        self.t_us = 0
        self._random = random.Random(f"{seed} nonces").randbytes
        """Random bytes of both ends, of a link with a key: another run of the same seed has the same."""
        self._period_us = link.period_ms * 1000
        self._tick_us = link.tick_ms * 1000
        self.handset_clock = Clock(self.rng.randrange(1 << 16))
        self.machine_clock = Clock(self.rng.randrange(1 << 16))
        self._begin(conditions or Conditions())

    def _begin(self, conditions: Conditions) -> None:
        """Everything as it is before anything has happened, whatever the time is."""
        self.trace = Trace()
        self.last_armed_sent_us: int | None = None
        """When the last frame that was accepted in ARMED left the handset."""
        self.tamper: Callable[[int, bytes], Arrivals] | None = None
        self.hands: Callable[[Row], Row] | None = None
        self.hung = False
        self.machine_stalled_until_us = 0
        self.plant = Plant(self.link)
        self.plant_runs = bool(self.link.telemetry)
        """Whether anybody looks at what moves. The order of its pins is followed in any case."""
        self._ways: list[int] = []
        self.sensing = bool(self.link.telemetry)
        """Whether the machine's sensors work."""
        self.twin: Machine | None = None
        self._demands: list[Demand] | None = None
        self._state: State | None = None
        self._turned_us = self.t_us
        self._ours: deque[tuple[bytes, int]] = deque(maxlen=400)
        """Frames of the handset since somebody has been tampering with them, and when they were sent."""
        self._newest_us = 0
        self._queue: list[tuple[int, int, Any, Any]] = []
        self._waiting: list[tuple[bytes, int | None]] = []
        """What has arrived while the machine's loop was held up, and when it was sent."""
        self._count = 0
        self.conditions = conditions
        self.recorded: list[bytes] = []
        """What somebody has written down of what the handset sent, where a fault has somebody do so."""
        self.air: Any = None
        """The radio chips of both ends, where a fault has put some there: see ``on_air``."""
        self._prepare(conditions)

    def _prepare(self, conditions: Conditions) -> None:
        """Set up both ends and what is between them, and start their loops."""
        link = self.link
        self.medium = medium_of(link.medium, conditions, self.rng)
        self.back = medium_of(link.medium, conditions, self.rng) if link.telemetry else None
        self.handset: Handset | None = self._new_handset()
        self.machine = self.new_machine()
        self.machine_on = True
        self.at(self.rng.randrange(self._period_us), self._handset_turn)
        self.at(self.rng.randrange(self._tick_us), self._machine_turn)

    def at(self, t_us: int, action: Any, given: Any = None) -> None:
        """Let ``action(given)`` happen at a time in microseconds, not before now."""
        self._count += 1
        heappush(self._queue, (t_us, self._count, action, given))

    def run(self, until_ms: int | None = None) -> Trace:
        """Run to ``until_ms`` (default: the end of the recording), or to ``until_us`` if somebody sets that
        meanwhile, and give what was seen."""
        self._run_to(1000 * (self.recording.duration_ms if until_ms is None else until_ms))
        return self.trace

    def _run_to(self, until_us: int) -> None:
        self.until_us, queue = until_us, self._queue
        while queue and queue[0][0] <= self.until_us:
            self.t_us, _, action, given = heappop(queue)
            action(given)

    # ---- what faults do ----------------------------------------------------------------------

    def cut(self, on: bool = True) -> None:
        """Let nothing through any more, or again."""
        self.medium.cut = on
        if self.back is not None:
            self.back.cut = on

    @property
    def at_rest(self) -> bool:
        """Whether every machine has stopped, as it must once nothing good reaches it any more."""
        return self.machine.safe and self.machine.state is not ARMED and (self.twin is None or self.twin.safe)

    def reset_handset(self, boot_ms: int) -> None:
        """The handset loses power, and its program starts afresh ``boot_ms`` later."""
        self.handset = None
        self.at(self.t_us + 1000 * boot_ms, self._boot_handset)

    def new_machine(self) -> Machine:
        """A machine of this link that has just got power."""
        if self.make is Machine:
            return Machine(self.link, random=self._random)
        return self.make(self.link)

    def _new_handset(self) -> Handset:
        return Handset(self.link, without=self.recording.missing(self.link), random=self._random)

    def _boot_handset(self, _: Any) -> None:
        self.handset = self._new_handset()
        self.handset_clock = Clock(-self.t_us // 1000)

    def kill_handset(self) -> None:
        """The handset's program ends without a word."""
        self.handset = None

    def reset_machine(self, boot_ms: int) -> None:
        """The machine loses power: every pin floats, and pull-downs hold the drivers off. It starts afresh
        ``boot_ms`` later."""
        self.machine_on = False
        self.machine = self.new_machine()
        self.plant.float_pins()
        self._see(self.machine.demands)
        self.at(self.t_us + 1000 * boot_ms, self._boot_machine)

    def _boot_machine(self, _: Any) -> None:
        self.machine_on = True
        self.machine_clock = Clock(-self.t_us // 1000)

    def inject(self, wire: bytes, t_us: int) -> None:
        """Bytes that arrive at the machine from somebody else."""
        self.at(t_us, self._arrive, (wire, None))

    # ---- the loops ---------------------------------------------------------------------------

    def _handset_turn(self, _: Any) -> None:
        t_us = self.t_us
        self._count += 1
        heappush(self._queue, (t_us + self._period_us, self._count, self._handset_turn, None))
        if self.handset is None:
            return
        clock = self.handset_clock
        now_ms = clock.ms(t_us) if clock.drifts else t_us // 1000 + clock.start_ms
        if not self.hung:
            self.recording.play_into(self.handset, t_us // 1000, now_ms, self.hands)
        wire = self.handset.send(now_ms)
        if wire:
            self._carry(wire)

    def _carry(self, wire: bytes) -> None:
        """What the handset sends goes on its way."""
        self.trace.sent.append(self.t_us / 1000)
        arrival = self.medium.send(wire, self.t_us)
        if arrival is None:
            return
        if self.tamper is None:
            self._count += 1
            heappush(self._queue, (arrival[0], self._count, self._arrive, (arrival[1], self.t_us)))
        else:
            self._tampered(self.tamper, *arrival)

    def _tampered(self, tamper: Callable[[int, bytes], Arrivals], arrives_us: int, wire: bytes) -> None:
        self._ours.append((wire, self.t_us))
        for when_us, other in tamper(arrives_us, wire):
            self.at(max(when_us, self.t_us), self._arrive, (other, self.t_us if other == wire else None))

    def _arrive(self, given: tuple[bytes, int | None]) -> None:
        if not self.machine_on:
            return
        if self.t_us < self.machine_stalled_until_us:
            self._waiting.append(given)
            return
        (wire, sent_us), t_us, clock, machine = given, self.t_us, self.machine_clock, self.machine
        now_ms = clock.ms(t_us) if clock.drifts else t_us // 1000 + clock.start_ms
        if self.twin is not None:
            self.twin.feed(wire, now_ms)
        for event in machine.feed(wire, now_ms):
            if self.link.authenticated and isinstance(event, Frame) and only_asks(event.values):
                # It is answered, and changes nothing.
                continue
            if sent_us is None or sent_us < self._newest_us or not isinstance(event, Frame):
                self._heard(event, sent_us)
                continue
            self.trace.accepted.append(t_us / 1000)
            self._newest_us = sent_us
            if machine.state is ARMED:
                self.last_armed_sent_us = sent_us

    def _heard(self, event: Event, sent_us: int | None) -> None:
        t_ms = self.t_us / 1000
        if not isinstance(event, Frame):
            self.trace.refused.append((t_ms, event.reason))
            return
        self.trace.accepted.append(t_ms)
        if sent_us is None:  # as it stands; but what was accepted of it may have been ours
            sent_us = self._sent_like(event)
        if sent_us is None:
            self.trace.strangers.append((t_ms, "a frame that the handset never sent"))
            return
        if self.machine.state is ARMED:
            if sent_us < self._newest_us:
                self.trace.strangers.append((t_ms, "a frame older than one accepted before"))
            self.last_armed_sent_us = sent_us
        self._newest_us = sent_us

    def _sent_like(self, event: Frame) -> int | None:
        """When the handset sent a frame that says the same; None if it never did."""
        raw = bytes(event.raw)
        for wire, at_us in reversed(self._ours):
            if raw in wire:
                return at_us
        for wire, at_us in reversed(self._ours):
            said = Decoder(self.link).taker(stream=not self.link.medium.datagrams)(wire)
            if any(isinstance(one, Frame) and one[1:4:2] == event[1:4:2] for one in said):
                return at_us
        return None

    def _machine_turn(self, _: Any) -> None:
        self._count += 1
        heappush(self._queue, (self.t_us + self._tick_us, self._count, self._machine_turn, None))
        if not self.machine_on or self.t_us < self.machine_stalled_until_us:
            return
        t_us, clock, machine = self.t_us, self.machine_clock, self.machine
        now_ms = clock.ms(t_us) if clock.drifts else t_us // 1000 + clock.start_ms
        dt_us, self._turned_us = t_us - self._turned_us, t_us
        first = after_gap(min(dt_us // 1000, TIMER_MAX), self.link.failsafe.timeout_ms)
        if first == EXPIRES:
            machine.expire(now_ms)
        if self.plant_runs and self.sensing:
            readings = self.plant.readings()
            machine.sense(now_ms, **readings)
            if self.twin is not None:
                self.twin.sense(now_ms, **readings)
        if self._waiting:
            self._read_backlog(now_ms, listens=first == LISTENS)
        demands, moments = self._ticked(machine, now_ms), self.trace.moments
        if (
            demands is not self._demands
            or machine.state is not self._state
            or machine.reason != moments[-1].why
        ):
            self._see(demands)
        if self.twin is not None:
            self.twin.tick(now_ms)
        if self.plant_runs:
            self.plant.run(dt_us / 1000)
        if self.back is not None:
            answer = self.machine.send(now_ms)
            arrival = self.back.send(answer, self.t_us) if answer else None
            if arrival is not None:
                self.at(arrival[0], self._come_back, arrival[1])

    def _ticked(self, machine: Machine, now_ms: int) -> list[Demand]:
        """What the outputs are told. If code of the builder's own ends the program, they stay as they are."""
        try:
            return machine.tick(now_ms)
        except SystemExit:
            self.machine_on = False
            return machine.demands

    def _read_backlog(self, now_ms: int, *, listens: bool) -> None:
        """What a port does once its loop turns again: after a gap of a timeout, only stops count."""
        waiting, self._waiting = self._waiting, []
        if not listens:
            for wire, _ in waiting:
                self.machine.skip(wire, now_ms)
            return
        for given in waiting:
            self._arrive(given)

    def _come_back(self, wire: bytes) -> None:
        if self.handset is not None:
            self.handset.feed(wire, self.handset_clock.ms(self.t_us))

    def _see(self, demands: list[Demand]) -> None:
        """Note what the machine does from now on."""
        machine = self.machine
        self._demands, self._state = demands, machine.state
        # While no way changes there is one pin an output that does, and no order to be wrong.
        ways = [demand.direction + 4 * demand.braked for demand in demands]
        if self.plant_runs or ways != self._ways:
            self._ways = ways
            self.plant.follow(demands)
        moments, why = self.trace.moments, machine.reason
        last = moments[-1] if moments else None
        words = last.words if last is not None and (why is last.why or why == last.why) else machine.why
        moments.append(_new(Moment, (self.t_us / 1000, self._state, why, words, demands)))
