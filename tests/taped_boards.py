"""Ends of links that turn on boards which exist only here. What a loop of core asks of its board and of the
builder's own code, and what it is answered, goes onto a tape; the same loop fitted to its link, in Python or
in C, has to ask the same things in the same order, and is answered from the tape."""

import random
from collections import deque
from typing import Any

import nuvrik
from nuvrik.core import board as core_board
from nuvrik.core.levels import FULL
from nuvrik.core.loops import bridge_loop, handset_loop, machine_loop, receiver_loop, remote_loop
from nuvrik.core.machine.desk import DONE, FAILED, REFUSED, RUNNING
from nuvrik.export import boards
from nuvrik.export.fit.fitted import run_here
from nuvrik.export.loops import LOOPS, loop_roots, loop_table
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import InfraredMedium, RadioMedium, UdpMedium
from nuvrik.plant.radio_chip import Ether, RadioChip
from nuvrik.recordings.pilot import practice
from nuvrik.recordings.recording import Recording

KINDS: dict[str, Any] = {
    "MachineLoop": machine_loop.MachineLoop,
    "HandsetLoop": handset_loop.HandsetLoop,
    "ReceiverLoop": receiver_loop.ReceiverLoop,
    "RemoteLoop": remote_loop.RemoteLoop,
    "BridgeLoop": bridge_loop.BridgeLoop,
}

STATUSES = (RUNNING, RUNNING, RUNNING, DONE, REFUSED, FAILED)

NOISE = 0.002
"""How often a byte, or a level, is not what was sent."""


class Tape(list[tuple[str, Any, Any]]):
    """What was asked, with what, and the answer."""


class Recorder:
    """A board, and the builder's own code, as they live: what one end sends arrives at the other."""

    def __init__(self, end: str, link: nuvrik.Link, rng: random.Random, wanted: Wanted) -> None:
        self.end, self.link, self.rng = end, link, rng
        self.tape, self.now_us, self.wanted = Tape(), 0, wanted
        self.bytes: deque[int] = deque()
        self.packets: deque[bytes] = deque()
        self.levels: deque[tuple[int, bool]] = deque()
        self.other: Recorder | None = None
        self.busy_until_us = 0
        self.hands: Recording | None = None
        self.chip: RadioChip | None = None
        self.at_us = 0

    def _said(self, word: str, given: Any, answer: Any) -> Any:
        self.tape.append((word, given, answer))
        return answer

    # ---- the board ----

    def begin(self) -> None:
        self._said("begin", (), None)

    def start(self, boot: Any) -> int:
        answer = self.rng.randrange(1 << 32), self.rng.randrange(5)
        boot[0] = answer[0]
        self._said("start", (), answer)
        return answer[1]

    def take(self, line: int) -> int:
        return self._said("take", (line,), self.bytes.popleft() if self.bytes else -1)

    def give(self, line: int, frame: Any, count: int) -> bool:
        free = self.now_us >= self.busy_until_us and self.rng.random() < 0.97
        if count and free:
            self.busy_until_us = self.now_us + 300 * count
            self._arrives(bytes(frame[:count]))
        return self._said("give", (line, bytes(frame[:count]), count), free)

    def _arrives(self, data: bytes) -> None:
        if self.other is not None and self.rng.random() > 0.01:
            torn = bytes(b ^ (self.rng.random() < NOISE) * self.rng.randrange(256) for b in data)
            self.other.bytes.extend(torn)
            self.other.packets.append(torn)

    def packet(self, into: Any) -> int:
        data = self.packets.popleft() if self.packets else b""
        data = data[: len(into)]
        into[: len(data)] = list(data)
        self._said("packet", (), data)
        return len(data)

    def edge(self, pin: int, into: Any) -> int:
        us, high = self.levels.popleft() if self.levels else (0, False)
        into[0] = high
        self._said("edge", (pin,), (us, high))
        return us

    def emit(self, pin: int, high: bool, us: int, carrier_hz: int) -> bool:
        room = self.rng.random() < 0.9
        if room and self.other is not None:
            strayed = max(1, us + self.rng.randint(-20, 20))
            inverted = isinstance(self.link.medium, InfraredMedium)
            self.other.levels.append((strayed, bool(high) != inverted))
        return self._said("emit", (pin, bool(high), us, carrier_hz), room)

    def pin(self, pin: int, high: bool) -> None:
        pins = self.wanted.driver
        if pins and self.chip and pin in (pins.csn, pins.ce):
            (self.chip.csn if pin == pins.csn else self.chip.ce)(bool(high), self._later())
        self._said("pin", (pin, bool(high)), None)

    def spi(self, box: Any, count: int) -> None:
        given, chip = bytes(box[:count]), self.chip
        answer = bytes(chip.exchange(byte, self._later()) for byte in given) if chip else given
        if self.rng.random() < NOISE:
            answer = bytes([self.rng.choice(answer)]) * count
        for at, byte in enumerate(answer):
            box[at] = byte
        self._said("spi", (given, count), answer)

    def _later(self) -> int:
        """A moment later, within a turn."""
        self.at_us = max(self.at_us + 2, self.now_us)
        return self.at_us

    def strike(self) -> None:
        """Now and then something happens to the radio chip."""
        chip, rng = self.chip, self.rng
        if chip and rng.random() < 0.02:
            chip.absent, chip.deaf, chip.hung = (
                rng.choice((None, None, 0, 255)),
                rng.random() < 0.1,
                rng.random() < 0.1,
            )
            if rng.random() < 0.3:
                chip.power(self._later())
            elif rng.random() < 0.5:
                chip.registers[rng.choice(list(chip.registers))] = rng.randrange(256)

    def pwm(self, pin: int, on: int, most: int) -> None:
        self._said("pwm", (pin, on, most), None)

    def pulse(self, pin: int, us: int) -> None:
        self._said("pulse", (pin, us), None)

    def steps(self, pins: Any, count: int, rate: int, left: int) -> None:
        self._said("steps", (tuple(pins[:count]), rate, left), None)

    def input(self, pin: int, what: int) -> int:
        pins = self.wanted.driver
        if pins and self.chip and pin == pins.irq:
            return self._said("input", (pin, what), int(self.chip.irq(self._later())))
        most = 2 if what in (core_board.DIGITAL, core_board.LATCHED) else 1024
        raw = self.rng.choice((self.rng.randrange(most), core_board.NOT_READ))
        return self._said("input", (pin, what), raw)

    def alive(self) -> None:
        self._said("alive", (), None)

    # ---- the builder's own code: what it calls, and with what ----

    def before_outputs(self) -> None:
        self.does("before_outputs", self._asks())

    def _asks(self) -> list[tuple[Any, ...]]:
        rng, asks = self.rng, []
        outputs = len(self.link.outputs)
        if rng.random() < 0.02 and outputs:
            asks.append(
                ("limit", rng.randrange(outputs + 1), rng.choice((0, FULL, rng.randint(-9, FULL + 9))))
            )
        if rng.random() < 0.002:
            asks.append(("own_stop", rng.randint(1, 15)))
        if self.wanted.glue == boards.MACHINE and self.link.telemetry and rng.random() < 0.2:
            asks.append(("tell", rng.randrange(len(self.link.telemetry)), rng.randint(-2000, 2000)))
        if self.wanted.calls and rng.random() < 0.01:
            asks.append(("move", rng.randrange(outputs + 1), rng.randint(-FULL, FULL)))
        return asks

    def before_frame(self) -> None:
        names, row = self.wanted.controls, self.hands.at(self.now_us // 1000) if self.hands else {}
        asks = [("read", names.index(name), raw) for name, raw in row.items() if raw is not None]
        self.does("before_frame", asks)

    def call(self, call: Any) -> int:
        status, value = self.rng.choice(STATUSES), self.rng.randint(-99, 99)
        given = call.request, bool(call.first), bool(call.over)
        asks = [("move", self.rng.randrange(len(self.link.outputs)), self.rng.randint(-FULL, FULL))]
        call.value = value
        self.does("call", [] if call.over else asks, given, (status, value))
        return status

    def does(self, word: str, asks: list[Any], given: Any = (), answer: Any = None) -> None:
        """Own code calls the loop, and what it is given back is on the tape too."""
        self.tape.append((word, given, (asks, answer)))
        for method, *values in asks:
            back = getattr(self.loop, method)(*values)
            self.tape.append((method, tuple(values), None if back is None else bool(back)))


class Player:
    """The same board and own code, out of a tape. AssertionError where something else is asked."""

    def __init__(self, tape: Tape) -> None:
        self.tape, self.at = tape, 0

    def next(self, word: str, given: Any) -> Any:
        wanted, before, answer = self.tape[self.at]
        assert (wanted, before) == (word, given), f"at {self.at}: {word}{given}, on the tape {wanted}{before}"
        self.at += 1
        return answer

    def start(self, boot: Any) -> int:
        boot[0], why = self.next("start", ())
        return why

    def give(self, line: int, frame: Any, count: int) -> bool:
        return self.next("give", (line, bytes(frame[:count]), count))

    def packet(self, into: Any) -> int:
        data = self.next("packet", ())
        for at, byte in enumerate(data):
            into[at] = byte
        return len(data)

    def edge(self, pin: int, into: Any) -> int:
        us, into[0] = self.next("edge", (pin,))
        return us

    def emit(self, pin: int, high: bool, us: int, carrier_hz: int) -> bool:
        return self.next("emit", (pin, bool(high), us, carrier_hz))

    def spi(self, box: Any, count: int) -> None:
        for at, byte in enumerate(self.next("spi", (bytes(box[:count]), count))):
            box[at] = byte

    def pin(self, pin: int, high: bool) -> None:
        self.next("pin", (pin, bool(high)))

    def steps(self, pins: Any, count: int, rate: int, left: int) -> None:
        self.next("steps", (tuple(pins[:count]), rate, left))

    def before_outputs(self) -> None:
        self.own("before_outputs", ())

    def before_frame(self) -> None:
        self.own("before_frame", ())

    def call(self, call: Any) -> int:
        status, call.value = self.own("call", (call.request, bool(call.first), bool(call.over)))
        return status

    def own(self, word: str, given: Any) -> Any:
        asks, answer = self.next(word, given)
        for method, *values in asks:
            back = self.ask(method, *values)
            assert self.next(method, tuple(values)) == (None if back is None else bool(back)), method
        return answer

    def ask(self, method: str, *values: int) -> Any:
        return getattr(self.loop, method)(*values)

    def __getattr__(self, word: str) -> Any:
        if word not in ("begin", "take", "pwm", "pulse", "input", "alive"):
            raise AttributeError(word)
        return lambda *given: self.next(word, given)


MEAN_MS = 8
"""How long a turn takes, one with another."""


def told(loop: Any, wanted: Wanted) -> list[tuple[int, int]]:
    """What each output is told after a turn."""
    if wanted.end != boards.MACHINE:
        return []
    demands = [loop.end.machine.outputs.told(at) for at in range(len(wanted.link.outputs))]
    return [(one.value, one.way) for one in demands]


def live(link: nuvrik.Link, ends: tuple[str, str], turns: int, seed: int) -> dict[str, tuple[Wanted, Tape]]:
    """Two ends of a link that hear one another: what each asked of its board."""
    rng = random.Random(seed)
    tapes: dict[str, Recorder] = {}
    packets = isinstance(link.medium, RadioMedium | UdpMedium)
    for end in ends:
        wanted = Wanted(link, "link.toml", "blank", packets=packets, end=end)
        tapes[end] = Recorder(end, link, random.Random(f"{seed} {end}"), wanted)
    first, second = (tapes[end] for end in ends)
    first.other, second.other = second, first
    if first.wanted.driver:
        air = Ether(lambda us: rng.random() < 0.05)
        first.chip, second.chip = RadioChip(air), RadioChip(air)
    if second.end == "handset":
        second.hands = practice(link, seed % 1000, MEAN_MS * turns)
    asks = nuvrik.Handset(link, stream=not packets) if link.frame.sealed else None
    for one in (first, second):
        given = (one, one)[: 1 if one.wanted.glue == boards.BRIDGE else 2]
        one.loop = KINDS[LOOPS[one.wanted.glue]](loop_table(one.wanted), *given)
        one.loop.begin()
    now_ms = 0
    for _ in range(turns):
        gap_ms = rng.randint(1, 2 * MEAN_MS - 1) if rng.random() < 0.998 else rng.choice((300, 5000, 65535))
        now_ms += gap_ms
        if asks is not None and rng.random() < 0.01:
            asks.greet()
            question = asks.send(now_ms)
            first.bytes.extend(question)
            first.packets.extend([question] if question else [])
        for one in (first, second):
            one.now_us = 1000 * now_ms
            one.strike()
            one.tape.append(("turn", (now_ms & 0xFFFF, gap_ms), None))
            one.loop.turn(now_ms & 0xFFFF, gap_ms)
            one.tape.append(("told", told(one.loop, one.wanted), None))
    return {end: (one.wanted, one.tape) for end, one in tapes.items()}


def fitted_plays(wanted: Wanted, tape: Tape) -> None:
    """Core fitted to the end, in Python."""
    player = Player(tape)
    roots = loop_roots(wanted, python=False)
    space = run_here(loop_table(wanted), roots)
    given = (player, player)[: 1 if wanted.glue == boards.BRIDGE else 2]
    player.loop = space[LOOPS[wanted.glue]](space["link"], *given)
    player.loop.begin()
    while player.at < len(tape):
        _, given, _ = tape[player.at]
        player.at += 1
        player.loop.turn(*given)
        player.next("told", told(player.loop, wanted))
