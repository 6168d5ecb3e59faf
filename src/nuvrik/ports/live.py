"""The two live loops: a recording to a port, and a port to demands."""

import random
import time
from collections.abc import Callable, Iterator
from typing import NamedTuple, Protocol

from nuvrik.core.levels import TIMER_MAX
from nuvrik.core.loop import EXPIRES, LISTENS, Loop, after_gap
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.medium import loop_table
from nuvrik.ports.leaving import NO_SIGNALS, Signals
from nuvrik.ports.port import PortError
from nuvrik.recordings.recording import Recording
from nuvrik.wire.events import Event, Frame

LONGEST_STEP_MS = 40
"""What a turn of the loop takes beyond this is not played: on a busy computer a recording is played late, and
no press in it is passed over."""

TURN_S = 0.002
"""How long the handset's loop sleeps between looks at the clock."""

BACKLOG_READS = 64
"""How often a port is read, at most, to find the end of what has queued up: a flood has none."""

Watcher = Callable[[int, Machine], None]
"""Told the time in ms since the start and the machine, after every tick."""


class ByteLine(Protocol):
    """What the loops need of a port."""

    @property
    def stream(self) -> bool:
        """Whether it carries a stream of bytes, or packets one by one."""

    def read(self) -> bytes:
        """What has arrived, a bounded amount, after a short wait at most."""

    def write(self, data: bytes) -> bool:
        """Send bytes, without waiting; False if they were dropped."""

    def accepted(self) -> None:
        """What was read last held a frame that this end has accepted: answers go to whoever sent it."""


class WallClock:
    """Milliseconds since it was made, on a clock that nobody can set back."""

    def __init__(self) -> None:
        self._start = time.monotonic()

    def now_ms(self) -> int:
        """The time."""
        return int((time.monotonic() - self._start) * 1000)

    def sleep(self, seconds: float) -> None:
        """Let time go by."""
        time.sleep(seconds)


class AnyClock(Protocol):
    """What the handset's loop needs of a clock; a simulated port brings its own."""

    def now_ms(self) -> int:
        """The time."""

    def sleep(self, seconds: float) -> None:
        """Let time go by."""


class _FromNow:
    """A clock whose time begins now."""

    def __init__(self, clock: AnyClock) -> None:
        self._start_ms = clock.now_ms()
        self._clock, self.sleep = clock, clock.sleep

    def now_ms(self) -> int:
        return self._clock.now_ms() - self._start_ms


def random_number(bits: int) -> int:
    """A number that nobody can foresee, for boots and sessions."""
    return random.SystemRandom().getrandbits(bits)


def backlog(line: ByteLine, first: bytes) -> Iterator[bytes]:
    """What has queued up in a port while nobody read it, piece by piece; ``first`` has been read already."""
    data = first
    for _ in range(BACKLOG_READS):
        if not data:
            return
        yield data
        data = line.read()


# ---- the machine ---------------------------------------------------------------------------


def run_machine(
    link: Link,
    line: ByteLine,
    watch: Watcher,
    for_ms: int | None = None,
    prepare: Callable[[Machine], None] = lambda machine: None,
    heard: Callable[[int, Event], None] = lambda now_ms, event: None,
    kick: Callable[[], None] = lambda: None,
    warn: Callable[[str], None] = lambda text: None,
    signals: Signals = NO_SIGNALS,
) -> Machine:
    """Be the machine until ``for_ms`` have passed, the port goes away or the program is interrupted.

    However it ends, the outputs are first brought to rest as on a silent link, tick by tick, and ``watch``
    sees it; that is carried out whole whatever ``watch`` raises, and an error of its own is raised
    afterwards. ``prepare`` is given the machine first, for hooks; ``heard`` is told every event; ``kick`` is
    for a watchdog, called once every tick is done, so that a loop that hangs is noticed; ``warn`` is told of
    a hook that has kept the loop for longer than a tick. Raises PortError if the port went away.
    """
    machine, clock = Machine(link, stream=line.stream, boot=random_number(32)), WallClock()
    prepare(machine)
    try:
        with signals.polled():
            _turn_by_turn(machine, line, clock, watch, for_ms, heard, kick, warn, signals)
    finally:
        with signals.leaving():
            trouble = _come_to_rest(machine, clock, watch, signals)
    if trouble is not None:
        raise trouble
    return machine


def _turn_by_turn(
    machine: Machine,
    line: ByteLine,
    clock: WallClock,
    watch: Watcher,
    for_ms: int | None,
    heard: Callable[[int, Event], None],
    kick: Callable[[], None],
    warn: Callable[[str], None],
    signals: Signals,
) -> None:
    loop, before_ms = Loop(loop_table(machine.link)), 0
    while for_ms is None or before_ms < for_ms:
        signals.checkpoint()
        data = line.read()
        now_ms = clock.now_ms()
        gap_ms, before_ms = now_ms - before_ms, now_ms
        first = loop.turn(min(gap_ms, TIMER_MAX))
        if first == EXPIRES:
            machine.expire(now_ms)
        if first != LISTENS:
            events = [event for piece in backlog(line, data) for event in machine.skip(piece, now_ms)]
        else:
            events = machine.feed(data, now_ms)
        if any(isinstance(event, Frame) for event in events):
            line.accepted()
        for event in events:
            heard(now_ms, event)
        if loop.ticks():
            machine.tick(now_ms)
            watch(now_ms, machine)
            kick()
        answer = machine.send(now_ms)
        if answer:
            line.write(answer)
        _name_slow_hook(machine, clock.now_ms() - now_ms, warn)


def _name_slow_hook(machine: Machine, took_ms: int, warn: Callable[[str], None]) -> None:
    name = machine.hook_run()
    tick_ms = machine.link.tick_ms
    if name and took_ms > tick_ms:
        warn(
            f"the code of request {name} kept the loop for {took_ms} ms; a tick is {tick_ms} ms, and nothing "
            "can stop meanwhile: let it return at once, or yield"
        )


def _come_to_rest(
    machine: Machine, clock: WallClock, watch: Watcher, signals: Signals
) -> BaseException | None:
    """Every output to rest, tick by tick; gives the first thing that ``watch`` raised over it."""
    trouble: BaseException | None = None
    machine.expire(clock.now_ms())
    while True:
        now_ms = clock.now_ms()
        machine.tick(now_ms)
        if signals.at_once:
            machine.halt()
        try:
            watch(now_ms, machine)
        except Exception as error:
            trouble = trouble or error
        if machine.safe:
            return trouble
        time.sleep(machine.link.tick_ms / 1000)


# ---- the handset ---------------------------------------------------------------------------


def hear(handset: Handset, line: ByteLine, data: bytes, now_ms: int, gap_ms: int) -> None:
    """Let a handset hear what has just been read, ``gap_ms`` after its loop turned last. After a gap of a
    timeout whatever has queued up is thrown away: it was sent to somebody who was not listening."""
    first = after_gap(min(gap_ms, TIMER_MAX), handset.link.failsafe.timeout_ms)
    if first == EXPIRES:
        handset.expire(now_ms)
    if first != LISTENS:
        for _ in backlog(line, data):
            pass
        data = b""
    handset.feed(data, now_ms)


class Farewell(NamedTuple):
    """How a handset has left: how many frames with arm off the line has taken and how many it has not, and
    whether they were sent for as long as they should be."""

    sent: int
    dropped: int
    whole: bool

    @property
    def words(self) -> str:
        """What was done, for people to read."""
        if not self.whole:
            return f"left at once, after {self.sent} frames with arm off: the machine stops by its timeout"
        if not self.sent:
            return "the line took none of the frames with arm off: the machine stops by its timeout"
        dropped = f", {self.dropped} dropped" if self.dropped else ""
        return f"disarmed: {self.sent} frames with arm off and everything at rest sent{dropped}"


class Played(NamedTuple):
    """What came of a run: frames that the line did not take while it drove, how it left, and whether it was
    interrupted."""

    dropped: int
    farewell: Farewell
    interrupted: bool


class _Sender:
    """One handset on one line: a turn of its loop, and its farewell."""

    def __init__(
        self,
        handset: Handset,
        line: ByteLine,
        clock: AnyClock,
        told: Callable[[int, int, Handset], None] | None,
    ) -> None:
        self.handset, self._line, self._clock, self._told = handset, line, clock, told
        self.played_ms = 0
        self._before_ms = 0
        self.taken = self.dropped = 0

    def turn(self, now_ms: int) -> None:
        """Hear, tell, send."""
        handset, data = self.handset, self._line.read()
        gap_ms, self._before_ms = now_ms - self._before_ms, now_ms
        hear(handset, self._line, data, now_ms, gap_ms)
        if self._told is not None:
            self._told(now_ms, self.played_ms, handset)
        wire = handset.send(now_ms)
        if wire:
            taken = self._line.write(wire)
            self.taken += taken
            self.dropped += not taken

    def leave(self, signals: Signals) -> Farewell:
        """Sticks at rest and arm off for ``timeout_ms`` and two more frames, whatever is raised by whoever is
        told of it."""
        handset, link = self.handset, self.handset.link
        handset.disarm()
        self.taken = self.dropped = 0
        told, self._told = self._told, None
        until_ms = self._clock.now_ms() + link.failsafe.timeout_ms + 2 * link.period_ms
        while (now_ms := self._clock.now_ms()) <= until_ms and not signals.at_once:
            self.turn(now_ms)
            if told is not None:
                try:
                    told(now_ms, self.played_ms, handset)
                except Exception:
                    told = None  # it has been said, or will be, by whoever called
            self._clock.sleep(TURN_S)
        return Farewell(self.taken, self.dropped, whole=not signals.at_once)


def run_handset(
    link: Link,
    line: ByteLine,
    recording: Recording,
    told: Callable[[int, int, Handset], None] | None = None,
    clock: AnyClock | None = None,
    signals: Signals = NO_SIGNALS,
) -> Played:
    """Be the handset: play a recording into a port, then take leave.

    However it ends (end of recording, a signal, an exception), sticks at rest and arm off are sent for
    ``timeout_ms`` and two more frames, unless the port is gone; that raises PortError. An exception is
    raised again afterwards; a signal is told in what is returned. ``told`` is called in every turn of the
    loop with the time, how much of the recording has been played, and the handset.
    """
    without = recording.missing(link)
    handset = Handset(link, stream=line.stream, session=random_number(16), without=without)
    clock = _FromNow(clock or WallClock())
    sender = _Sender(handset, line, clock, told)
    interrupted = False
    try:
        with signals.polled():
            _play(sender, recording, clock, signals)
    except PortError:
        raise
    except KeyboardInterrupt:
        interrupted = True
    except BaseException:
        # Whatever it is, nothing may leave a machine armed.
        with signals.leaving():
            sender.leave(signals)
        raise
    dropped = sender.dropped
    with signals.leaving():
        return Played(dropped, sender.leave(signals), interrupted)


def _play(sender: _Sender, recording: Recording, clock: AnyClock, signals: Signals) -> None:
    before_ms, stumbled = 0, False
    while sender.played_ms < recording.duration_ms:
        signals.checkpoint()
        now_ms = clock.now_ms()
        step_ms, before_ms = now_ms - before_ms, now_ms
        stumbled, before = step_ms > LONGEST_STEP_MS, stumbled
        # Readings that went stale meanwhile are first taken again as they were.
        sender.played_ms += 0 if stumbled and not before else min(step_ms, LONGEST_STEP_MS)
        recording.play_into(sender.handset, sender.played_ms, now_ms)
        sender.turn(now_ms)
        clock.sleep(TURN_S)


def log_header(link: Link) -> list[str]:
    """The columns of a machine's log."""
    return ["t_ms", "state", "why", *link.outputs]


def log_row(t_ms: int, machine: Machine) -> list[str]:
    """One row of a machine's log: signed duty for each output."""
    return [str(t_ms), str(machine.state), machine.why, *(str(demand.signed) for demand in machine.demands)]
