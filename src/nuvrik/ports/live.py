"""The live loop of a machine, a port to demands; and what it shares with the handset's (``driving``)."""

import random
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from typing import Protocol

from nuvrik.core.levels import TIMER_MAX
from nuvrik.core.loop import EXPIRES, LISTENS, Loop
from nuvrik.ends.machine import Machine
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.medium import loop_table
from nuvrik.ports.leaving import NO_SIGNALS, Signals
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.kinds import COMMAND, STOP

TURN_S = 0.002
"""How long a handset's loop sleeps between looks at the clock."""

BACKLOG_READS = 64
"""How often a port is read, at most, to find the end of what has queued up: a flood has none."""

KEPT_PACKETS, FLOOD_READS = 64, 2000
"""With a key so many packets of those that have come are looked at, and so many are read for that."""

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

    def accepted(self, *, drives: bool) -> None:
        """What was read last held a frame that this end has accepted; whether it ``drives``: a command or a
        stop, whose sender is the other end from now on, unless another one still is."""

    def reply(self, data: bytes) -> bool:
        """Send an answer to whoever sent what was read last, whether that is the other end or not."""

    def another(self) -> bool:
        """Whether somebody else has become the other end since this was last asked."""


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

    def pace(self, seconds: float) -> None:
        """Wait for the next of turns that are so far apart, however long the last one took: what is due in a
        turn then goes out on time, and not when a turn happens to come round."""
        passed = time.monotonic() - self._start
        time.sleep(seconds - passed % seconds)


class AnyClock(Protocol):
    """What the handset's loop needs of a clock; a simulated port brings its own."""

    def now_ms(self) -> int:
        """The time."""

    def sleep(self, seconds: float) -> None:
        """Let time go by."""

    def pace(self, seconds: float) -> None:
        """Let time go by until the next of turns that are so far apart."""


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


def pieces(link: Link, line: ByteLine, first: bytes) -> Iterable[bytes]:
    """What has arrived; ``first`` has been read already. In packets and with a key, all that is there, and of
    that the newest: whoever floods a port is not to be heard before the one who has the key."""
    if line.stream or not link.authenticated or not first:
        return (first,)
    kept = deque([first], maxlen=KEPT_PACKETS)
    for _ in range(FLOOD_READS):
        data = line.read()
        if not data:
            break
        kept.append(data)
    return kept


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
        if line.another():
            machine.another(now_ms)
        if first != LISTENS:
            events = [event for piece in backlog(line, data) for event in machine.skip(piece, now_ms)]
        else:
            events = [
                event for piece in pieces(machine.link, line, data) for event in machine.feed(piece, now_ms)
            ]
        accepted = [event for event in events if isinstance(event, Frame)]
        if accepted:
            with_key = machine.link.authenticated
            drives = any(one.kind in (COMMAND, STOP) and one.proves(with_key) for one in accepted)
            line.accepted(drives=drives)
        while not line.stream and accepted and (answer := machine.answer()):
            # Asked by whoever it may be, and answered there: telemetry goes to the other end alone.
            line.reply(answer)
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
