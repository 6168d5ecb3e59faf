"""Handsets that the library writes for a microcontroller, run whole, and what the library's own handset makes
of the same readings at the same times."""

import random
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

from python_chips import exported, run

import nuvrik
from nuvrik.export.firmware import firmware
from nuvrik.export.wanted import Wanted
from nuvrik.plan.controls import AxisControl, ButtonControl, ReadControl, SliderControl

READ_MS = 5
"""How often either reads its controls."""

UNREAD = -100_001
"""As BOARD_UNREAD."""

MAIN = """
#include "nuvrik.h"
#include <stdio.h>
#include <stdlib.h>
static FILE *rows;
static uint32_t now;
void nuvrik_before_frame(void)
{
    printf("r %lu\\n", (unsigned long)now);
    static const uint8_t numbers[] = { NUMBERS };
    for (uint8_t at = 0; at < sizeof numbers; at++) {
        long reading;
        if (fscanf(rows, "%ld", &reading) != 1) { exit(0); }
        if (reading != BOARD_UNREAD) { nuvrik_read(numbers[at], (int32_t)reading); }
    }
}
void board_begin(void) {}
uint8_t board_start(uint32_t *boot) { *boot = 1; return 0; }
uint32_t board_now_ms(void) { return now; }
int16_t board_take(uint8_t line) { (void)line; return -1; }
uint8_t board_packet(uint8_t *into) { (void)into; return 0; }
bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    (void)line;
    if (count != 0) {
        printf("s ");
        for (uint16_t i = 0; i < count; i++) { printf("%02x", bytes[i]); }
        printf("\\n");
    }
    return true;
}
void board_pin(uint8_t pin, bool high) { (void)pin; (void)high; }
void board_pwm(uint8_t pin, uint16_t on, uint16_t most) { (void)pin; (void)on; (void)most; }
void board_pulse(uint8_t pin, uint16_t us) { (void)pin; (void)us; }
void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{ (void)pins; (void)count; (void)rate; (void)left; }
int32_t board_input(uint8_t pin, uint8_t what) { (void)pin; (void)what; return BOARD_UNREAD; }
uint16_t board_edge(uint8_t pin, bool *high) { (void)pin; (void)high; return 0; }
bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t carrier_hz)
{ (void)pin; (void)high; (void)us; (void)carrier_hz; return true; }
void board_alive(void) {}
int main(int count, char **words)
{
    (void)count;
    rows = fopen(words[1], "r");
    nuvrik_begin();
    for (now = 1;; now++) { nuvrik_turn(); }
}
"""


def read_controls(link: nuvrik.Link) -> list[str]:
    """The controls with readings of their own, in the order of their numbers."""
    return [name for name, control in link.controls.items() if isinstance(control, ReadControl)]


def readings(link: nuvrik.Link, count: int, seed: int) -> Iterator[list[int]]:
    """Hands that rest, move, let go and fall silent; arm and stop among what they press."""
    rng = random.Random(seed)
    controls = {name: link.controls[name] for name in read_controls(link)}
    now = {name: _rest(one) for name, one in controls.items()}
    silent: set[str] = set()
    for at in range(count):
        if rng.random() < 0.02:
            silent = {n for n in now if rng.random() < 0.2} if rng.random() < 0.4 else set()
        if rng.random() < 0.02:
            now = {n: _rest(one) if isinstance(one, AxisControl) else now[n] for n, one in controls.items()}
        for name, one in controls.items():
            odds = 0.002 if name == link.failsafe.stop and now[name] == _rest(one) else 0.03
            if at > 100 and rng.random() < odds:
                now[name] = _moved(one, now[name], rng)
        yield [UNREAD if name in silent else reading for name, reading in now.items()]


def _rest(control: ReadControl) -> int:
    if isinstance(control, AxisControl | SliderControl):
        return control.points[1]
    return control.off if isinstance(control, ButtonControl) else 0


def _moved(control: ReadControl, reading: int, rng: random.Random) -> int:
    if isinstance(control, AxisControl | SliderControl):
        return rng.randint(min(control.points), max(control.points))
    return 1 - reading if isinstance(control, ButtonControl) else (reading + 1) & 0xFF


def in_c(link: nuvrik.Link, rows: list[list[int]], folder: Path) -> tuple[list[int], list[bytes]]:
    """The export in C, compiled as it is for a board of one's own: when it read, and what it sent."""
    made = firmware(Wanted(link, "link.toml", "blank", end="handset"))
    for name, text in made.files.items():
        (folder / name).write_text(text, "utf-8")
    numbers = ", ".join(f"NUVRIK_CONTROL_{name.upper()}" for name in read_controls(link))
    main = f'#define NUMBERS {numbers}\n#include "nuvrik_board.h"\n{MAIN}'
    (folder / "main.c").write_text(main, "utf-8")
    (folder / "rows.txt").write_text("\n".join(" ".join(map(str, row)) for row in rows) + "\n")
    words = [shutil.which("gcc") or "gcc", "-O0", "-std=c99", "-o", "handset", *folder.glob("*.c")]
    subprocess.run(list(map(str, words)), cwd=folder, check=True, capture_output=True, text=True)
    done = subprocess.run(
        [folder / "handset", "rows.txt"], cwd=folder, check=True, capture_output=True, text=True, timeout=60
    )
    events = [line.split() for line in done.stdout.splitlines()]
    return [int(at) for what, at in events if what == "r"], [
        bytes.fromhex(sent) for what, sent in events if what == "s"
    ]


OWN = """
import nuvrik
from nuvrik import own, wiring
# The session of what it asks follows from how often it has started: here it is the library's own.
wiring.board.start = lambda: (0, 1, 0)
link = nuvrik.start()
rows = open("rows.txt")
names = {names}
def before_frame():
    print("r", wiring.board.now_ms())
    for name, reading in zip(names, rows.readline().split()):
        if reading != "{unread}":
            own.read(name, int(reading))
link.before_frame = before_frame
turn = link.turn
def told():
    print("t", wiring.board.now_ms())
    turn()
link.turn = told
link.run()
"""


def in_micropython(
    link: nuvrik.Link, rows: list[list[int]], folder: Path
) -> tuple[list[int], list[int], bytes]:
    """The export to MicroPython, on the interpreter for Unix: when it read, when it turned, what it sent."""
    (folder / "rows.txt").write_text("\n".join(" ".join(map(str, row)) for row in rows) + "\n")
    program = OWN.format(names=read_controls(link), unread=UNREAD)
    exported(link, folder, end="handset", own={"main.py": program})
    ran = run(folder, [], READ_MS * len(rows))
    assert ran.code == 0, ran.said
    events = [line.split() for line in ran.said.splitlines() if line[:2] in ("r ", "t ")]
    sent = b"".join(row.sent for row in ran.rows if row.what == "line")
    turns = [int(at) for what, at in events if what == "t"]
    return [int(at) for what, at in events if what == "r"], turns, sent


def by_the_library(
    link: nuvrik.Link, rows: list[list[int]], reads: list[int], turns: list[int]
) -> list[bytes]:
    """What the library's handset sends that is given the same readings at the same times."""
    names, sent = read_controls(link), []
    handset = nuvrik.Handset(link, stream=True)
    given = dict(zip(reads, rows, strict=False))
    last_ms = max(given)
    for now_ms in turns:
        if now_ms > last_ms:
            break  # the hands are gone: the export takes leave
        if now_ms in given:
            row = dict(zip(names, given[now_ms], strict=True))
            handset.read(now_ms, **{name: one for name, one in row.items() if one != UNREAD})
        wire = handset.send(now_ms)
        if wire:
            sent.append(wire)
    return sent
