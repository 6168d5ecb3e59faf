"""Firmware as a sketch: the folder that an editor opens, what no sketch can do, and what a compiler says."""

import shutil
import subprocess
from pathlib import Path

import pytest
from chips import AS_SKETCH, needs_a_chip
from links import write
from sketches import built_sketch, room_of
from typed import nuvrik_command

import nuvrik
from nuvrik.export.boards import SKETCH, sketch_misfits
from nuvrik.export.firmware import firmware
from nuvrik.export.wanted import Wanted
from nuvrik.plan.starters import starter_text


def on(chip: str, name: str) -> str:
    """A starter on a board for sketches."""
    text = starter_text(name)
    said = f'[board]\nchip = "{chip}"\n'
    return text.replace("[board]\n", said) if "[board]" in text else f"{text}\n{said}"


def test_a_folder_that_an_editor_opens_and_a_program_that_is_written_once(tmp_path: Path) -> None:
    file, out = write(tmp_path, "tug.toml", on("atmega328p", "tug")), tmp_path / "tug_machine"
    said = nuvrik_command("export", file, "--board", "sketch", "--out", out)
    assert "open" in said and "sketch editor" in said
    assert {one.name for one in out.iterdir()} == {
        *("tug_machine.ino", "nuvrik.c", "nuvrik.h", "nuvrik_board.h", "board_sketch.cpp"),
        "board_without.c",
        *("README.md", "export.json"),
    }
    readme = (out / "README.md").read_text()
    assert "SPI" in readme and "A0" in readme and "wants dividers on SCK" in " ".join(readme.split())
    (out / "tug_machine.ino").write_text("// mine\n")
    nuvrik_command("export", file, "--board", "sketch", "--out", out)
    assert (out / "tug_machine.ino").read_text() == "// mine\n"
    nuvrik_command("export", file, "--verify", out)


REFUSED = {
    ("vent", "other"): ("outputs.shaft", "the framework has no word for it"),
    ("curtain", "other"): ("medium.pins.machine_in", "hears levels"),
}


@pytest.mark.parametrize(("name", "chip"), REFUSED)
def test_what_no_sketch_can_do_is_refused_with_the_board_that_can(name: str, chip: str) -> None:
    found = list(sketch_misfits(nuvrik.parse(on(chip, name)), "machine", packets=False))
    where, what = REFUSED[name, chip]
    assert any(one.where.startswith(where) and what in one.what and "atmega" in one.do for one in found), (
        found
    )


def test_what_counts_needs_a_pin_with_an_interrupt_of_its_own() -> None:
    text = on("atmega328p", "cable_rover").replace(
        "[failsafe]", '[telemetry.turns]\nkind = "shaft"\nbits = 12\npin = 12\nevery_ms = 100\n\n[failsafe]'
    )
    found = list(sketch_misfits(nuvrik.parse(text), "machine", packets=False))
    assert [one.where for one in found] == ["telemetry.turns.pin"] and "pins 2 or 3" in found[0].do


def test_a_chip_that_nobody_knows_is_answered_with_the_list(tmp_path: Path) -> None:
    file = write(tmp_path, "tug.toml", on("atmega99", "tug"))
    said = nuvrik_command("export", file, "--board", "sketch", "--out", tmp_path / "no", code=2)
    assert "board.chip" in said and all(one in said for one in ("atmega328p", "atmega2560", "other"))


# A framework in one header, without what only some chips have.
STUB = """
#include <stdint.h>
#include <stddef.h>
enum { LOW, HIGH, INPUT, OUTPUT, INPUT_PULLUP, CHANGE, A0 = 14 };
void digitalWrite(int, int); int digitalRead(int); void pinMode(int, int); void analogWrite(int, int);
int analogRead(int); unsigned long millis(); unsigned long micros();
void noInterrupts(); void interrupts(); void attachInterrupt(int, void (*)(void), int);
int digitalPinToInterrupt(int);
struct Line {
    void begin(long); int read(); int availableForWrite(); size_t write(uint8_t);
};
extern Line Serial;
"""


@pytest.mark.skipif(not shutil.which("g++"), reason="a C++ compiler: make toolchain")
@pytest.mark.parametrize("name", ["pan_tilt", "cable_rover"])
def test_a_core_without_what_it_needs_is_told_so_in_one_sentence(name: str, tmp_path: Path) -> None:
    wanted = Wanted(nuvrik.parse(on("other", name)), "link.toml", SKETCH)
    for file, text in firmware(wanted).files.items():
        (tmp_path / file).write_text(str(text), "utf-8")
    (tmp_path / "Arduino.h").write_text(STUB)
    words = ["g++", "-std=c++11", "-Wall", "-Wextra", "-I", tmp_path, "-c", tmp_path / "board_sketch.cpp"]
    done = subprocess.run(
        [*map(str, words), "-o", str(tmp_path / "made.o")], capture_output=True, text=True, check=False
    )
    errors = [line for line in done.stderr.splitlines() if "error:" in line]
    warned = [line for line in done.stderr.splitlines() if "warning:" in line]
    assert len(warned) == 1 and "a loop that hangs keeps motors on" in warned[0]
    if name == "pan_tilt":
        assert "this core has no servo library" in errors[0]
    else:
        assert done.returncode == 0 and not errors


@needs_a_chip
@pytest.mark.slow
@pytest.mark.parametrize("sketch", AS_SKETCH[1:])
@pytest.mark.parametrize(("packets", "flash", "ram"), [(False, 11 * 1024, 700), (True, 13 * 1024, 850)])
def test_it_takes_no_more_of_a_chip_than_is_promised(
    packets: bool, flash: int, ram: int, sketch: bool, tmp_path: Path
) -> None:
    wanted = Wanted(nuvrik.parse(on("atmega328p", "tug")), "link.toml", SKETCH, packets=packets)
    took = room_of(built_sketch(wanted, tmp_path / "tug"))
    print(f"\ntug as a sketch{' by radio' if packets else ''}: {took[0]} bytes of flash, {took[1]} of RAM")
    assert took <= (flash, took[1]) and took[1] <= ram
