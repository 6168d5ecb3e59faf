"""The two live loops: a recording to a port, and a port to demands."""

import random
import time
from collections.abc import Callable
from typing import Protocol

from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.plan.models import Link
from nuvrik.ports.port import PortError
from nuvrik.rehearsal.recording import Recording
from nuvrik.wire.events import Event

LONGEST_GAP_MS = 30_000
"""A longer gap in a loop is made a timeout here: the 16-bit clock of the ends could not tell it."""

LONGEST_STEP_MS = 40
"""What a turn of the loop takes beyond this is not played: on a busy computer a recording is played late, and
no press in it is passed over."""

TURN_S = 0.002
"""How long the handset's loop sleeps between looks at the clock."""

Watcher = Callable[[int, Machine], None]
"""Told the time in ms since the start and the machine, after every tick."""


class ByteLine(Protocol):
    """What the loops need of a port."""

    @property
    def stream(self) -> bool:
        """Whether it carries a stream of bytes, or packets one by one."""

    def read(self) -> bytes:
        """What has arrived, after a short wait at most."""

    def write(self, data: bytes) -> bool:
        """Send bytes; False if they were dropped."""


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


def run_machine(
    link: Link,
    line: ByteLine,
    watch: Watcher,
    for_ms: int | None = None,
    prepare: Callable[[Machine], None] = lambda machine: None,
    heard: Callable[[int, Event], None] = lambda now_ms, event: None,
    kick: Callable[[], None] = lambda: None,
) -> Machine:
    """Be the machine until ``for_ms`` have passed, the port goes away or the program is interrupted.

    However it ends, the outputs are first brought to rest as on a silent link, tick by tick, and
    ``watch`` sees it. ``prepare`` is given the machine first, for hooks; ``heard`` is told every event;
    ``kick`` is for a watchdog, called once every tick is done, so that a loop that hangs is noticed.
    Raises PortError if the port went away.
    """
    machine, clock = Machine(link, stream=line.stream, boot=random_number(32)), WallClock()
    prepare(machine)
    tick_ms, due_ms, before_ms = link.link.tick_ms, 0, 0
    try:
        while for_ms is None or before_ms < for_ms:
            data = line.read()
            now_ms = clock.now_ms()
            if now_ms - before_ms > LONGEST_GAP_MS:
                machine.expire()
            before_ms = now_ms
            for event in machine.feed(data, now_ms):
                heard(now_ms, event)
            if now_ms >= due_ms:
                # Aim at whole ticks, but do not make up for missed ones.
                due_ms = max(due_ms + tick_ms, now_ms)
                machine.tick(now_ms)
                watch(now_ms, machine)
                kick()
            answer = machine.send(now_ms)
            if answer:
                line.write(answer)
    finally:
        _come_to_rest(machine, clock, tick_ms, watch)
    return machine


def _come_to_rest(machine: Machine, clock: WallClock, tick_ms: int, watch: Watcher) -> None:
    machine.expire()
    while True:
        now_ms = clock.now_ms()
        machine.tick(now_ms)
        watch(now_ms, machine)
        if machine.safe:
            return
        time.sleep(tick_ms / 1000)


def run_handset(
    link: Link,
    line: ByteLine,
    recording: Recording,
    told: Callable[[int, int, Handset], None] | None = None,
    clock: AnyClock | None = None,
) -> int:
    """Be the handset: play a recording into a port, then take leave. Gives the number of frames that
    the line did not take.

    However it ends (end of recording, Ctrl-C, an exception), sticks at rest and arm off are sent for
    ``timeout_ms`` and two more frames, unless the port is gone; that raises PortError.
    ``told`` is called in every turn of the loop with the time, how much of the recording has been
    played, and the handset.
    """
    handset = Handset(link, stream=line.stream, session=random_number(16))
    clock = _FromNow(clock or WallClock())
    dropped = played_ms = before_ms = 0
    stumbled = False

    def send(now_ms: int) -> None:
        nonlocal dropped
        handset.feed(line.read(), now_ms)
        if told is not None:
            told(now_ms, played_ms, handset)
        wire = handset.send(now_ms)
        if wire and not line.write(wire):
            dropped += 1

    try:
        while played_ms < recording.duration_ms:
            now_ms = clock.now_ms()
            step_ms, before_ms = now_ms - before_ms, now_ms
            stumbled, before = step_ms > LONGEST_STEP_MS, stumbled
            # Readings that went stale meanwhile are first taken again as they were.
            played_ms += 0 if stumbled and not before else min(step_ms, LONGEST_STEP_MS)
            recording.play_into(handset, played_ms, now_ms)
            send(now_ms)
            clock.sleep(TURN_S)
    except PortError:
        raise
    except BaseException:
        # Also for Ctrl-C, which is no Exception: nothing may leave a machine armed.
        _take_leave(link, handset, clock, send)
        raise
    _take_leave(link, handset, clock, send)
    return dropped


def _take_leave(link: Link, handset: Handset, clock: AnyClock, send: Callable[[int], None]) -> None:
    handset.disarm()
    until_ms = clock.now_ms() + link.failsafe.timeout_ms + 2 * link.link.period_ms
    while (now_ms := clock.now_ms()) <= until_ms:
        send(now_ms)
        clock.sleep(TURN_S)


def log_header(link: Link) -> list[str]:
    """The columns of a machine's log."""
    return ["t_ms", "state", "why", *link.outputs]


def log_row(t_ms: int, machine: Machine) -> list[str]:
    """One row of a machine's log: signed duty for each output."""
    return [str(t_ms), str(machine.state), machine.why, *(str(demand.signed) for demand in machine.demands)]
