"""What the firmware costs on a chip, in cycles of an emulated one: absolute, however slow the machine is.

    python benchmarks/chip.py [FIGURE ...]

Beside each stands what a builder would have written by hand: frames kept apart by zeros with a check over
them, and lines of comma-separated text converted with the C library. Wants the packages of `make
toolchain`."""

import json
import shutil
import statistics
import subprocess
import sys
import tempfile
from binascii import crc_hqx
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tools"))

from core_size import with_board, without_board

import nuvrik
from nuvrik.core.machine.watch import ARMED
from nuvrik.export.chips import CHIPS
from nuvrik.export.emulated import Emulated, build_emulator
from nuvrik.export.firmware import firmware
from nuvrik.export.on_avr import BOOTS_US, built, end_in
from nuvrik.export.wanted import Wanted
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import practice
from nuvrik.wire.cobs import stuff

BY_HAND = Path(__file__).parent / "by_hand"

GPIOR0 = 0x3E
"""A register that does nothing: what a program writes there marks a moment."""

FRAMES = 48

MOST = {
    "cycles_a_byte": 1.15,
    "share": 0.12,
    "flash_without_board": 6656,
    "ram_without_board": 160,
    "flash_whole": 17 * 1024,
    "ram_whole": 850,
}

OURS = """
#define board_take given_take
#include "nuvrik_all.c"
#include <avr/interrupt.h>
#include <avr/io.h>
#include "given.h"
static uint16_t at;
static bool ends;
/* The line: a frame in each turn, so that a tick follows, which mixes and follows. Each byte is marked. */
int16_t given_take(uint8_t line)
{
    (void)line;
    if (ends || at == sizeof GIVEN) {
        return -1;
    }
    GPIOR0 = (uint8_t)(4U + (at & 1U));
    ends = GIVEN[at] == 0 && at > 0 && GIVEN[at - 1] != 0;
    return GIVEN[at++];
}
void nuvrik_before_outputs(void)
{
    GPIOR0 = 8;
}
int main(void)
{
    uint16_t now_ms = 0;
    nuvrik_begin();
    cli();
    while (at < sizeof GIVEN) {
        now_ms += 20;
        ends = false;
        nuvrik_machine_loop_turn(now_ms, 20);
        GPIOR0 = 9;
    }
    for (;;) {
        board_alive();
    }
}
"""

IDLES = """
#include "nuvrik.h"
#include <avr/interrupt.h>
#include <avr/wdt.h>
volatile uint32_t idle;
void nuvrik_before_outputs(void)
{
}
int main(void)
{
    uint32_t last = 0;
    nuvrik_begin();
#if BARE
    wdt_disable();
    cli();
#endif
    for (;;) {
        uint32_t now = board_now_ms();
        if (now - last >= EVERY_MS) {
            last = now;
            nuvrik_turn();
        }
        idle++;
    }
}
"""


def driven(
    board: Emulated, link: nuvrik.Link, seed: int, lasts_ms: int, at: Callable[[int], None] = lambda _: None
) -> nuvrik.Handset:
    """A pilot drives a board for so long, from power-up on; ``at`` is called with each time in milliseconds.
    Gives the handset."""
    board.run(BOOTS_US)
    handset, recording = nuvrik.Handset(link, stream=True), practice(link, seed, lasts_ms + 1000)
    for ms in range(0, lasts_ms, 2):
        recording.play_into(handset, ms, ms)
        wire = handset.send(ms)
        board.run(BOOTS_US + 1000 * ms)
        if wire:
            board.send(wire)
        at(ms)
        answer = bytes(byte for _, byte in board.said())
        if answer:
            handset.feed(answer, ms)
    return handset


GIVEN = """#include <stdint.h>
static uint8_t GIVEN[] = {%s};
/* Does something with each of them, and marks where each begins and ends. */
#define FOR_EACH_GIVEN(does)                             \\
    do {                                                 \\
        GPIOR0 = 1;                                      \\
        for (uint16_t i = 0; i < sizeof GIVEN; i++) {    \\
            uint8_t byte = GIVEN[i];                     \\
            does;                                        \\
            GPIOR0 = (uint8_t)(4U + (i & 1U));           \\
        }                                                \\
    } while (0)
"""


def given(frames: list[bytes]) -> str:
    """Frames as a list in C, in RAM as what a line has received is."""
    return GIVEN % ",".join(str(byte) for byte in b"".join(frames))


def each_byte(program: Path, folder: Path, link: nuvrik.Link | None = None) -> list[int]:
    """Cycles that a program takes for each byte, from mark to mark. With a link: of a machine, armed."""
    chip = Emulated(build_emulator(folder), program, CHIPS["atmega328p"])
    chip.watch(GPIOR0)
    chip.run(2_000_000)
    marks = [change.cycle for change in chip.changes()]
    if link is not None:
        assert end_in(chip, link, answers=False).machine.watch.state == ARMED
    return [after - before for before, after in pairwise(marks)]


def from_inside(wanted: Wanted, folder: Path, main: str) -> Path:
    """Firmware with a ``main.c`` that calls core itself, which is private to its file otherwise."""
    made = firmware(wanted)
    files = made.files | made.own | {"nuvrik.c": "typedef int nothing;\n", "main.c": main}
    files["nuvrik_all.c"] = made.files["nuvrik.c"]
    for name, text in files.items():
        (folder / name).write_text(str(text), "utf-8")
    subprocess.run(["make"], cwd=folder, check=True, capture_output=True, text=True)
    return folder / "firmware.elf"


def hand_written(name: str, frames: list[bytes], folder: Path) -> list[int]:
    """Cycles that a hand-written receiver takes for each byte of frames."""
    shutil.copy(BY_HAND / f"{name}.c", folder / "receiver.c")
    (folder / "given.h").write_text(given(frames), "utf-8")
    made = folder / f"{name}.elf"
    words = "avr-gcc -mmcu=atmega328p -DF_CPU=16000000UL -std=gnu99 -Os -flto -mrelax -Wl,--gc-sections"
    subprocess.run([*words.split(), str(folder / "receiver.c"), "-o", str(made)], check=True)
    return each_byte(made, folder)


def cycles_a_byte() -> dict[str, float]:
    """Cycles a received byte: ours from the line's buffer to a command that is judged, unpacked, and in the
    tick behind it mixed and followed, by a machine that is armed; beside frames kept apart by zeros with
    CRC-16 and a store; beside text converted with the C library."""
    link = nuvrik.parse(starter_text("tug"))
    values = [(at * 397 % 4001 - 2000, at * 211 % 4001 - 2000, 1) for at in range(FRAMES)]
    encoder = nuvrik.Encoder(link, stream=True)
    arming = [encoder.on_wire(encoder.command([0, 0, int(at > 5)], at + 240)) for at in range(12)]
    ours = [
        encoder.on_wire(encoder.command([8 * a, 8 * b, arm], at + 252 & 0xFF))
        for at, (a, b, arm) in enumerate(values)
    ]
    bodies = [
        bytes((0x10, at))
        + (a & 0xFFFF).to_bytes(2, "little")
        + (b & 0xFFFF).to_bytes(2, "little")
        + bytes((arm,))
        for at, (a, b, arm) in enumerate(values)
    ]
    framed = [stuff(body + crc_hqx(body, 0xFFFF).to_bytes(2, "big")) + b"\0" for body in bodies]
    lines = []
    for a, b, arm in values:
        text = f"M,{a},{b},{arm}".encode()
        check = 0
        for byte in text:
            check ^= byte
        lines.append(text + b"*%02X\n" % check)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "given.h").write_text(given([*arming, *ours]), "utf-8")
        program = from_inside(Wanted(link, "tug.toml", "atmega328p", answers=False), folder, OURS)
        took = each_byte(program, folder, link)[len(b"".join(arming)) :]
        took_framed = hand_written("frames", framed, folder)
        took_text = hand_written("text", lines, folder)
    of_each = {"ours": took, "by_hand": took_framed, "text": took_text}
    figure = {f"{name}_a_byte": statistics.mean(cycles) for name, cycles in of_each.items()}
    figure |= {f"{name}_inside_a_frame": statistics.median(cycles) for name, cycles in of_each.items()}
    figure |= {f"{name}_a_frame": sum(cycles) / FRAMES for name, cycles in of_each.items()}
    ratio = figure["ours_a_byte"] / figure["by_hand_a_byte"]
    return figure | {"ratio": ratio, "most": MOST["cycles_a_byte"]}


def idle_rate(link: nuvrik.Link, folder: Path, *, bare: bool, every_ms: int) -> float:
    """Turns a microsecond of an idle loop, from two seconds on, when the pilot has armed."""
    chip, said = CHIPS["atmega2560"], f"#define BARE {int(bare)}\n#define EVERY_MS {every_ms}U\n"
    board = Emulated(
        build_emulator(folder), built(Wanted(link, "m.toml", chip.name), folder, said + IDLES), chip
    )
    board.look_every(10_000)
    idle, seen = board.symbol("idle"), []

    def count() -> int:
        return int.from_bytes(board.memory[idle : idle + 4], "little")

    def look(ms: int) -> None:
        if ms == 2000:
            seen.append((count(), board.us))

    handset = driven(board, link, 3, 6000, look)
    if not bare:
        end = end_in(board, link)
        assert end.machine.watch.state == ARMED and end.refused == 0
        assert handset.telemetry["battery"].value is not None
    (first, first_us) = seen[0]
    return (count() - first) / (board.us - first_us)


def share_of_the_chip() -> dict[str, float]:
    """How much of a 16 MHz chip marram takes with 50 frames a second in, telemetry out, and 50 ticks a
    second, where its loop turns every two milliseconds, or every one: what is missing of the turns of an
    idle loop."""
    link, shares = nuvrik.parse(starter_text("marram")), []
    for every_ms in (2, 1):
        rates = []
        for bare in (True, False):
            with tempfile.TemporaryDirectory() as folder:
                rates.append(idle_rate(link, Path(folder), bare=bare, every_ms=every_ms))
        shares.append(1 - rates[1] / rates[0])
    return {"share": shares[0], "share_most": MOST["share"], "share_where_it_turns_every_ms": shares[1]}


def memory() -> dict[str, float]:
    """Bytes of flash and RAM: the tug one-way without a board; marram whole on an ATmega2560, its stack as
    deep as it gets in ten seconds of driving."""
    link, chip = nuvrik.parse(starter_text("marram")), CHIPS["atmega2560"]
    tug_flash, tug_ram = without_board(nuvrik.parse(starter_text("tug")), answers=False)
    _, flash, ram = with_board(link)
    with tempfile.TemporaryDirectory() as name:
        board = Emulated(
            build_emulator(Path(name)), built(Wanted(link, "m.toml", chip.name), Path(name)), chip
        )
        driven(board, link, 4, 10_000)
        stack = chip.first_ram + chip.ram - board.measured.deepest
    return {
        "tug_one_way_flash": tug_flash,
        "tug_one_way_flash_most": MOST["flash_without_board"],
        "tug_one_way_ram": tug_ram,
        "tug_one_way_ram_most": MOST["ram_without_board"],
        "marram_flash": flash,
        "marram_flash_most": MOST["flash_whole"],
        "marram_ram_with_stack": ram + stack,
        "marram_ram_with_stack_most": MOST["ram_whole"],
        "stack": stack,
    }


def a_million_frames(frames: int = 1_000_000) -> dict[str, float]:
    """As many frames through the line of an emulated chip: none lost, the stack no deeper, the clock still
    right."""
    link, chip = nuvrik.parse(starter_text("tug")), CHIPS["atmega328p"]
    encoder = nuvrik.Encoder(link, stream=True)
    round_of = [encoder.on_wire(encoder.command([at * 64, -at * 64, at & 1], at)) for at in range(256)]
    pace_us = 1000
    with tempfile.TemporaryDirectory() as name:
        board = Emulated(
            build_emulator(Path(name)), built(Wanted(link, "t.toml", chip.name), Path(name)), chip
        )
        board.look_every(64)
        board.run(BOOTS_US)
        end, sent, shallow = end_in(board, link), 0, 0
        while sent < frames:
            for at in range(32):
                board.send(round_of[(sent + at) & 255], 320)
                board.run(board.us + pace_us)
            sent += 32
            board.said()
            if sent == 3200:
                shallow = board.measured.deepest
        board.run(board.us + 50_000)
        clock = board.symbol("now_ms")
        now_ms = int.from_bytes(board.memory[clock : clock + 4], "little")
        # A reset sets the clock off a little after the first cycle.
        return {
            "sent": sent,
            "lost": sent - end.accepted + end.refused + board.measured.resets,
            "lost_most": 0,
            "stack_deeper_by": shallow - board.measured.deepest,
            "stack_deeper_by_most": 0,
            "clock_off_by_ms": abs(now_ms - board.us / 1000),
            "clock_off_by_ms_most": 3,
        }


CHIP_FIGURES: tuple[Callable[[], dict[str, float]], ...] = (
    memory,
    cycles_a_byte,
    share_of_the_chip,
    a_million_frames,
)


def main(names: list[str]) -> int:
    for figure_of in CHIP_FIGURES:
        if not names or figure_of.__name__ in names:
            print(f"{figure_of.__name__}: {json.dumps({k: round(v, 4) for k, v in figure_of().items()})}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
