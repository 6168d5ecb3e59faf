"""Ends of links that turn on boards which exist only here. What a loop of core asks of its board and of the
builder's own code, and what it is answered, goes onto a tape; the same loop fitted to its link, in Python or
in C, has to ask the same things in the same order, and is answered from the tape."""

import ctypes
import random
import subprocess
from collections import deque
from pathlib import Path
from typing import Any

import nuvrik
from nuvrik.core import board as core_board
from nuvrik.core.levels import FULL
from nuvrik.core.loops import bridge_loop, handset_loop, machine_loop, receiver_loop, remote_loop
from nuvrik.core.machine.desk import DONE, FAILED, REFUSED, RUNNING
from nuvrik.export import boards
from nuvrik.export.firmware import board_header, link_files
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


C_BOARD = """
#include <string.h>
typedef int32_t (*Asked)(uint8_t what, int32_t a, int32_t b, int32_t c, int32_t d, void *bytes);
Asked asked;
uint32_t board_now_ms(void) { return (uint32_t)asked(0, 0, 0, 0, 0, 0); }
void board_begin(void) { asked(1, 0, 0, 0, 0, 0); }
uint8_t board_start(uint32_t *boot) { return (uint8_t)asked(2, 0, 0, 0, 0, boot); }
int16_t board_take(uint8_t line) { return (int16_t)asked(3, line, 0, 0, 0, 0); }
bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{ return asked(4, line, count, 0, 0, (void *)bytes) != 0; }
uint8_t board_packet(uint8_t *into) { return (uint8_t)asked(5, 0, 0, 0, 0, into); }
void board_pin(uint8_t pin, bool high) { asked(6, pin, high, 0, 0, 0); }
void board_pwm(uint8_t pin, uint16_t on, uint16_t most) { asked(7, pin, on, most, 0, 0); }
void board_pulse(uint8_t pin, uint16_t us) { asked(8, pin, us, 0, 0, 0); }
void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{ asked(9, count, rate, left, 0, (void *)pins); }
int32_t board_input(uint8_t pin, uint8_t what) { return asked(10, pin, what, 0, 0, 0); }
uint16_t board_edge(uint8_t pin, bool *into) { return (uint16_t)asked(11, pin, 0, 0, 0, into); }
bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t carrier_hz)
{ return asked(12, pin, high, us, carrier_hz, 0) != 0; }
void board_spi(uint8_t *box, uint8_t count) { asked(17, count, 0, 0, 0, box); }
void board_alive(void) { asked(13, 0, 0, 0, 0, 0); }
"""
OWN = {
    "machine": "void nuvrik_before_outputs(void) { asked(14, 0, 0, 0, 0, 0); }\n",
    "handset": "void nuvrik_before_frame(void) { asked(15, 0, 0, 0, 0, 0); }\n",
}
CALL = """uint8_t nuvrik_on_{name}(NuvrikCall *call)
{{ return (uint8_t)asked(16, call->request, call->first, call->over, 0, &call->value); }}
"""
ASKED = ctypes.CFUNCTYPE(
    ctypes.c_int32,
    *(ctypes.c_uint8, ctypes.c_int32, ctypes.c_int32, ctypes.c_int32, ctypes.c_int32, ctypes.c_void_p),
)
CALLED = {"own_stop": "stop"}
"""What is called otherwise in C."""


class Told(ctypes.Structure):
    """A demand, as C has it."""

    _fields_ = (("at", ctypes.c_int16), ("value", ctypes.c_uint16), ("way", ctypes.c_int8))


class PlayerInC(Player):
    """The same, for C."""

    now_ms = 0

    def __init__(self, tape: Tape, built: ctypes.CDLL) -> None:
        super().__init__(tape)
        self.built = built
        if hasattr(built, "nuvrik_told"):
            built.nuvrik_told.restype = ctypes.POINTER(Told)
        self.failed: AssertionError | None = None
        self._asked = ASKED(self._answer)
        ctypes.c_void_p.in_dll(built, "asked").value = ctypes.cast(self._asked, ctypes.c_void_p).value

    def ask(self, method: str, *values: int) -> Any:
        function = getattr(self.built, f"nuvrik_{CALLED.get(method, method)}")
        function.restype = ctypes.c_bool if method in ("limit", "move") else None
        return function(*values)

    def told(self, wanted: Wanted) -> list[tuple[int, int]]:
        """What each output is told."""
        many = len(wanted.link.outputs) if wanted.end == boards.MACHINE else 0
        ones = [self.built.nuvrik_told(at).contents for at in range(many)]
        return [(one.value, one.way) for one in ones]

    def _answer(self, what: int, a: int, b: int, c: int, d: int, bytes: int) -> int:
        try:
            return 0 if self.failed else int(self._do(what, a, b, c, d, bytes) or 0)
        except AssertionError as failed:
            self.failed = failed
            return 0

    def _do(self, what: int, a: int, b: int, c: int, d: int, at: int) -> Any:
        if what == 0:
            return ctypes.c_int32(self.now_ms).value
        small = ctypes.cast(at, ctypes.POINTER(ctypes.c_uint8)) if at else None
        if what == 2:
            return self.start(ctypes.cast(at, ctypes.POINTER(ctypes.c_uint32)))
        if what == 4:
            return self.give(a, small[:b] if b else b"", b)
        if what in (5, 11):
            return self.packet(small) if what == 5 else self.edge(a, small)
        if what == 17:
            return self.spi(small, a)
        if what == 6:
            return self.pin(a, bool(b))
        if what == 9:
            return self.steps(small, a, b, c)
        if what == 12:
            return self.emit(a, bool(b), c, d)
        if what in (14, 15):
            return self.own("before_outputs" if what == 14 else "before_frame", ())
        if what == 16:
            status, value = self.own("call", (a, bool(b), bool(c)))
            ctypes.cast(at, ctypes.POINTER(ctypes.c_int32))[0] = value
            return status
        word, count = {
            1: ("begin", 0),
            3: ("take", 1),
            7: ("pwm", 3),
            8: ("pulse", 2),
            10: ("input", 2),
            13: ("alive", 0),
        }[what]
        return self.next(word, (a, b, c)[:count])


def c_plays(wanted: Wanted, tape: Tape, folder: Path, compiler: str = "gcc") -> None:
    """Its C, as it is exported."""
    for name, text in (link_files(wanted) | {"nuvrik_board.h": board_header()}).items():
        (folder / name).write_text(text, "utf-8")
    own = OWN.get(wanted.end, "") + "".join(CALL.format(name=name) for name in wanted.calls)
    (folder / "board.c").write_text(f'#include "nuvrik.h"\n{C_BOARD}{own}', "utf-8")
    made = folder / f"{wanted.end}.so"
    words = [
        compiler,
        "-std=c99",
        "-O1",
        "-Wall",
        "-Wextra",
        "-Werror",
        "-Wno-type-limits",
        "-shared",
        "-fPIC",
    ]
    words += ["-fsanitize=undefined", "-fsanitize-undefined-trap-on-error"]
    files = [str(folder / "nuvrik.c"), str(folder / "board.c")]
    subprocess.run([*words, *files, "-o", str(made)], check=True, capture_output=True, text=True)
    built = ctypes.CDLL(str(made))
    player = PlayerInC(tape, built)
    built.nuvrik_begin()
    while player.at < len(tape) and player.failed is None:
        _, (_, gap_ms), _ = tape[player.at]
        player.at += 1
        player.now_ms += gap_ms
        built.nuvrik_turn()
        if player.failed is None:
            player.next("told", player.told(wanted))
    if player.failed is not None:
        raise player.failed
