"""How much flash and RAM a machine's end of some links takes on an AVR, without a board and with its own.

    python tools/core_size.py [LINK ...]

Without a board means: what stands in for it only touches a byte that anybody may look at, so that a compiler
that looks at the whole program can leave nothing out. Wants avr-gcc (`make toolchain`)."""

import subprocess
import sys
import tempfile
from pathlib import Path

import nuvrik
from nuvrik.export.boards import misfits
from nuvrik.export.chips import CHIPS
from nuvrik.export.firmware import firmware
from nuvrik.export.memory import taken
from nuvrik.export.wanted import Wanted
from nuvrik.plan.starters import starter_text

FLAGS = (
    *("-mmcu=atmega2560", "-DF_CPU=16000000UL", "-std=gnu99", "-Os", "-flto", "-mcall-prologues", "-mrelax"),
    *("-Wno-type-limits", "-Wl,--gc-sections"),
)

STAND_IN = """
#include "nuvrik_board.h"
volatile uint8_t there;
void board_begin(void) { there = 1; }
uint8_t board_start(uint32_t *boot) { *boot = there; return there; }
uint32_t board_now_ms(void) { return there; }
int16_t board_take(uint8_t line) { there = line; return (int8_t)there; }
bool board_give(uint8_t line, const uint8_t *bytes, uint16_t count)
{
    there = bytes[count - line];
    return there;
}
uint8_t board_packet(uint8_t *into) { into[0] = there; return there; }
void board_pin(uint8_t pin, bool high) { there = pin; there = high; }
void board_pwm(uint8_t pin, uint16_t on, uint16_t most)
{
    there = pin;
    there = (uint8_t)on;
    there = (uint8_t)most;
}
void board_pulse(uint8_t pin, uint16_t us) { there = pin; there = (uint8_t)us; }
void board_steps(const uint8_t *pins, uint8_t count, int32_t rate, int32_t left)
{
    there = pins[count];
    there = (uint8_t)(rate + left);
}
int32_t board_input(uint8_t pin, uint8_t what) { there = pin; there = what; return there; }
uint16_t board_edge(uint8_t pin, bool *high) { there = pin; *high = there; return there; }
bool board_emit(uint8_t pin, bool high, uint16_t us, uint16_t hz)
{
    there = (uint8_t)(pin + high + us + hz);
    return there;
}
void board_alive(void) { there = 0; }
"""


def size_of(folder: Path) -> tuple[int, int]:
    """Bytes of flash and of RAM of what is in a folder."""
    made = folder / "firmware.elf"
    files = [str(one) for one in sorted(folder.glob("*.c"))]
    subprocess.run(["avr-gcc", *FLAGS, *files, "-o", str(made)], check=True)
    said = subprocess.run(["avr-size", str(made)], check=True, capture_output=True, text=True).stdout
    text, data, bss = (int(word) for word in said.splitlines()[1].split()[:3])
    return text + data, data + bss


def without_board(link: nuvrik.Link, *, answers: bool = True) -> tuple[int, int]:
    """Core, its tables and the loop, less what a program that does nothing takes."""
    with tempfile.TemporaryDirectory() as folder:
        here = Path(folder)
        made = firmware(Wanted(link, "link.toml", "blank", answers=answers))
        for name, text in (made.files | made.own | {"board.c": STAND_IN}).items():
            (here / name).write_text(text, "utf-8")
        whole = size_of(here)
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "main.c").write_text("int main(void) { for (;;) { } }\n" + STAND_IN, "utf-8")
        (Path(folder) / "nuvrik_board.h").write_text(made.files["nuvrik_board.h"], "utf-8")
        bare = size_of(Path(folder))
    return whole[0] - bare[0], whole[1] - bare[1]


def with_board(link: nuvrik.Link) -> tuple[str, int, int]:
    """The whole firmware on the smallest chip on which it fits, as its own Makefile builds it."""
    chip = next(one for one in CHIPS.values() if not any(misfits(link, one)))
    made = firmware(Wanted(link, "link.toml", chip.name))
    found = taken(made.files | made.own)
    if found is None:
        raise SystemExit("needs avr-gcc (make toolchain)")
    return chip.name, *found


def main(names: list[str]) -> int:
    """A line a link."""
    for name in names:
        link = nuvrik.parse(starter_text(name))
        flash, ram = without_board(link)
        chip, all_flash, all_ram = with_board(link)
        print(
            f"{name:12} without a board {flash:6} B {ram:5} B   whole, {chip}, {all_flash:6} B {all_ram:5} B"
        )
        if not link.telemetry and not link.requests:
            flash, ram = without_board(link, answers=False)
            print(f"{'':12} one way         {flash:6} B {ram:5} B")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:] or ["tug", "rover", "crane", "marram", "vent", "panel"]))
