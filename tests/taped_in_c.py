"""A tape of what a loop asked of its board, played to the C that is exported: see taped_boards."""

import ctypes
import subprocess
from pathlib import Path
from typing import Any

from taped_boards import Player, Tape

from nuvrik.export import boards
from nuvrik.export.firmware import board_header, link_files
from nuvrik.export.wanted import Wanted

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

    _fields_ = (
        ("at", ctypes.c_int16),
        ("value", ctypes.c_uint16),
        ("way", ctypes.c_int8),
        ("driven", ctypes.c_bool),
        ("braked", ctypes.c_bool),
    )


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


def in_c(wanted: Wanted, folder: Path, compiler: str = "gcc") -> ctypes.CDLL:
    """The C of an end as it is exported, on a board that asks Python for everything."""
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
    return ctypes.CDLL(str(made))


def c_plays(wanted: Wanted, tape: Tape, folder: Path, compiler: str = "gcc") -> None:
    """Its C, as it is exported."""
    built = in_c(wanted, folder, compiler)
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
