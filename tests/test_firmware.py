"""What ``export`` writes: it compiles without a warning, it is never written over what is the builder's, and
what does not fit is said before anything is written."""

import json
import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from chips import needs_a_chip
from links import write
from typed import nuvrik_command

import nuvrik
from nuvrik.export import boards
from nuvrik.export.chips import CHIPS
from nuvrik.export.firmware import firmware
from nuvrik.export.native import STRICT
from nuvrik.export.wanted import Wanted
from nuvrik.export.wiring import wires as wires_of
from nuvrik.plan.outputs import base
from nuvrik.plan.starters import starter_names, starter_text

pytestmark = pytest.mark.slow

NAMES = [*starter_names()]
AVR_STRICT = (
    "-Wall",
    "-Wextra",
    "-Wno-type-limits",
    "-Wshadow",
    "-Wundef",
    "-Wcast-qual",
    "-Werror",
    "-std=gnu99",
    "-Os",
)
CPP = ("-std=c++11", "-Wall", "-Wextra", "-Wno-type-limits", "-Werror", "-x", "c++")


@pytest.fixture
def tug(tmp_path: Path) -> Path:
    return write(tmp_path, "tug.toml", starter_text("tug"))


def written(
    name: str, board: str, folder: Path, packets: bool = False, end: str = boards.MACHINE
) -> list[Path]:
    folder.mkdir()
    made = firmware(Wanted(nuvrik.parse(starter_text(name)), f"{name}.toml", board, packets, end))
    for file, text in (made.files | made.own).items():
        (folder / file).write_text(text, "utf-8")
        if file.endswith((".c", ".h")):
            assert max(map(len, text.splitlines())) <= 120, file
    return sorted(folder.glob("*.c"))


def compiles(compiler: str, flags: tuple[str, ...], files: list[Path]) -> None:
    for file in files:
        words = [compiler, *flags, "-fsyntax-only", str(file)]
        done = subprocess.run(words, check=False, capture_output=True, text=True)
        assert done.returncode == 0, done.stderr[-3000:]


@needs_a_chip
@pytest.mark.parametrize("name", NAMES)
def test_what_is_written_compiles_without_a_warning(name: str, tmp_path: Path) -> None:
    link = nuvrik.parse(starter_text(name))
    chip = next(one.name for one in CHIPS.values() if not any(boards.misfits(link, one)))
    packets = link.medium.kind == "radio"
    flags = (*AVR_STRICT, f"-mmcu={chip}", "-DF_CPU=16000000UL")
    compiles("avr-gcc", flags, written(name, chip, tmp_path / "chip", packets))
    compiles("gcc", (*STRICT, "-Wno-type-limits"), written(name, "posix", tmp_path / "posix"))
    assert "PROGRAM  := nuvrik_machine\n" in (tmp_path / "posix" / "Makefile").read_text()
    compiles("avr-gcc", flags, written(name, chip, tmp_path / "handset", packets, boards.HANDSET))


@needs_a_chip
def test_a_bridge_and_a_board_of_ones_own_compile_too_as_c_and_as_cpp(tmp_path: Path) -> None:
    flags = (*AVR_STRICT, "-mmcu=atmega2560", "-DF_CPU=16000000UL")
    compiles("avr-gcc", flags, written("tug", "atmega2560", tmp_path / "bridge", True, boards.BRIDGE))
    flags = (*AVR_STRICT, "-mmcu=atmega328p", "-DF_CPU=16000000UL")
    compiles("avr-gcc", flags, written("curtain", "atmega328p", tmp_path / "ears", end=boards.LISTENER))
    blank = written("panel", "blank", tmp_path / "blank")
    compiles("gcc", (*STRICT, "-Wno-type-limits"), blank)
    blank += written("tug", "blank", tmp_path / "hand", True, boards.HANDSET)
    if shutil.which("g++"):
        compiles("g++", CPP, blank)


def test_a_folder_is_written_anew_and_what_is_the_builders_is_kept(tug: Path, tmp_path: Path) -> None:
    folder = tmp_path / "fw"
    said = nuvrik_command("export", tug, "--to", "c", "--end", "machine", "--board", "posix", "--out", folder)
    assert "main.c: yours" in said and "next: make" in said
    assert "is what" in nuvrik_command("export", tug, "--verify", folder)
    (folder / "main.c").write_text("int main(void) { return 7; }\n")
    edited = folder / "nuvrik.c"
    edited.write_text(edited.read_text() + "/* mine */\n")
    said = nuvrik_command("export", tug, "--verify", folder, code=1)
    assert "edited" in said and "nuvrik.c" in said and "main.c" not in said
    for turn in (1, 2):
        said = nuvrik_command("export", tug, "--board", "posix", "--out", folder)
        kept = folder / f"nuvrik.c.edited{turn}"
        assert kept.name in said and "/* mine */" in kept.read_text()
        assert "/* mine */" not in edited.read_text()
        edited.write_text(edited.read_text() + "/* mine */\n")
    nuvrik_command("export", tug, "--board", "posix", "--out", folder)
    assert (folder / "main.c").read_text() == "int main(void) { return 7; }\n"


def test_a_link_file_changed_since_is_named_by_section_and_key(tug: Path, tmp_path: Path) -> None:
    folder = tmp_path / "fw"
    nuvrik_command("export", tug, "--board", "posix", "--out", folder)
    text = tug.read_text()
    text_now = text.replace("timeout_ms = 400", "timeout_ms = 700")
    tug.write_text(text_now.replace("limit = 0.9", "limit = 0.8", 1))
    said = nuvrik_command("export", tug, "--verify", folder, code=1)
    assert "outputs, link" in said
    assert "failsafe.timeout_ms was 400, and is 700" in said
    assert "outputs.port_screw.limit was 0.9, and is 0.8" in said and "starboard" not in said
    tug.write_text(text + "\n# only a remark\n")
    assert "is what" in nuvrik_command("export", tug, "--verify", folder)


def test_folders_that_hold_something_else_are_left_alone(tug: Path, tmp_path: Path) -> None:
    other = tmp_path / "other"
    other.mkdir()
    (other / "thesis.txt").write_text("mine")
    assert "holds something else" in nuvrik_command("export", tug, "--out", other, code=2)
    assert [one.name for one in other.iterdir()] == ["thesis.txt"]
    folder = tmp_path / "fw"
    nuvrik_command("export", tug, "--board", "posix", "--out", folder)
    said = nuvrik_command("export", tug, "--out", folder, "--board", "blank", code=2)
    assert "another export (board posix, packets False)" in said
    assert "no export" in nuvrik_command("export", tug, "--verify", tmp_path, code=2)
    manifest = json.loads((folder / "export.json").read_text())
    (folder / "export.json").write_text(json.dumps(manifest | {"whole": False}))
    (folder / "nuvrik.c").unlink()
    assert "half-way" in nuvrik_command("export", tug, "--verify", folder, code=1)
    nuvrik_command("export", tug, "--board", "posix", "--out", folder)
    assert "is what" in nuvrik_command("export", tug, "--verify", folder)
    (folder / "export.json").write_text("{")
    for words in (("--board", "posix", "--out", folder), ("--verify", folder)):
        assert "damaged" in nuvrik_command("export", tug, *words, code=2)


SERVOS = "".join(
    f'[outputs.s{n}]\nkind = "servo"\npin = {n + 30}\nmix = {{ throttle = 1.0 }}\n' for n in range(13)
)
MOTOR = """[outputs.m]
kind = "motor"
driver = "pwm_1dir"
pins = { pwm = 10, dir = 7 }
mix = { pan = 1.0 }
"""
TILT = '[outputs.tilt_servo]\nkind = "servo"\npin = '
PINS = "pins = { pwm = 5, forward = 7, backward = 8 }"
PWM = "outputs.port_screw.pins.pwm"
FORWARD = "outputs.port_screw.pins.forward"
MANY = "".join(
    f'[telemetry.t{n}]\nkind = "analog"\nraw = [0, 1023]\nrange = [0.0, 5.0]\nevery_ms = 500\n'
    for n in range(29)
) + "".join(f'[outputs.s{n}]\nkind = "servo"\npin = {n + 5}\nmix = {{ opening = 1.0 }}\n' for n in range(12))
"""More than 2 KiB of RAM."""

MISFITS = [
    (
        "tug",
        "atmega328p",
        "pwm = 5",
        "pwm = 4",
        "outputs.port_screw.pins.pwm",
        "pins 3, 5, 6, 9, 10 or 11 can",
    ),
    ("tug", "atmega328p", "forward = 7", "forward = 20", FORWARD, "pins 0 to 19"),
    ("tug", "atmega328p", "forward = 7", "forward = 1", FORWARD, "serial line"),
    (
        "tug",
        "atmega328p",
        "pins = { pwm = 5, forward = 7, backward = 8 }",
        "",
        "outputs.port_screw",
        "no pins",
    ),
    ("crane", "atmega328p", "baud = 57600", "baud = 115200", "medium.baud", "+2.1 % off"),
    (
        "pan_tilt",
        "atmega328p",
        TILT + "10",
        MOTOR + TILT + "12",
        "outputs.pan_servo.pin",
        "pins 3, 5, 6 or 11",
    ),
    ("marram", "atmega2560", "pin = 54", "pin = 14", "telemetry.battery.pin", "54 to 69 (A0 to A15)"),
    ("marram", "atmega2560", "pin = 18", "pin = 30", "telemetry.port_shaft.pin", "cannot count"),
    ("marram", "atmega2560", "pwm = 4", "pwm = 44", "outputs.hook_left.pin", "a timer of 16 bits"),
    ("marram", "atmega2560", "[failsafe]", SERVOS + "[failsafe]", "outputs.s12.pin", "one timer times 12"),
    (
        "curtain",
        "atmega2560",
        "machine_in = 2",
        "machine_in = 30",
        "medium.pins.machine_in",
        "tells no edges",
    ),
    ("vent", "atmega328p", "[telemetry.shaft]", MANY + "[telemetry.shaft]", "--board", "atmega2560 has room"),
    ("vent", "atmega328p", "rate_max = ", "rate_max = 20", "outputs.shaft.rate_max", "10000 steps a second"),
]


@pytest.mark.parametrize(("name", "board", "old", "new", "where", "what"), MISFITS)
def test_what_does_not_fit_is_said_and_nothing_is_written(
    name: str, board: str, old: str, new: str, where: str, what: str, tmp_path: Path
) -> None:
    if "has room" in what and not shutil.which("avr-gcc"):
        pytest.skip("avr-gcc: make toolchain")  # what it takes is known once it is built
    text = starter_text(name)
    assert old in text
    file = write(tmp_path, "link.toml", text.replace(old, new, 1))
    said = nuvrik_command("export", file, "--board", board, "--out", tmp_path / "fw", code=1)
    said = " ".join(said.split())
    assert f"{where}: " in said and what in said and not (tmp_path / "fw").exists()


def test_a_driver_of_ones_own_needs_no_pins_of_the_medium(tmp_path: Path) -> None:
    text = re.sub(
        r"\[medium\].*?\n\[", '[medium]\nkind = "on_off_keyed"\n\n[', starter_text("tug"), flags=re.DOTALL
    )
    file = write(tmp_path, "keyed.toml", text.replace("rate_hz = 50", "rate_hz = 10"))
    words = ("export", file, "--board", "atmega2560", "--out", tmp_path / "fw")
    assert "medium.pins.machine_in: is not there" in " ".join(nuvrik_command(*words, code=1).split())
    assert "radio.c: yours" in nuvrik_command(*words, "--packets")
    pins = "pins = { machine_in = 12, handset_out = 11 }\n"
    keyed = file.read_text().replace('"on_off_keyed"\n', f'"on_off_keyed"\n{pins}')
    sensor = '[telemetry.door]\nkind = "digital"\nevery_ms = 500\n[failsafe]'
    file.write_text(keyed.replace("[failsafe]", sensor))
    said = " ".join(nuvrik_command(*words, code=1).split())
    assert "medium.pins.machine_out: is not there, and [telemetry] wants a way back" in said


def test_options_that_make_no_sense_are_said(tug: Path, tmp_path: Path) -> None:
    for words, what in (
        (("--to", "rust"), "--to"),
        (("--end", "middle"), "--end"),
        (("--end", "bridge", "--board", "blank", "--packets"), "no bridge"),
        (("--board", "atmega"), "atmega328p"),
        (("--end", "handset", "--one-way"), "--end machine"),
    ):
        file = write(tmp_path, "crane.toml", starter_text("crane")) if "bridge" in words else tug
        assert what in nuvrik_command("export", file, "--out", tmp_path / "fw", *words, code=2)
    assert not (tmp_path / "fw").exists()


@needs_a_chip
def test_the_page_about_boards_can_be_followed_up_to_the_flashing(tmp_path: Path) -> None:
    """Every command of it, as it is typed there."""
    page = (Path(__file__).parents[1] / "docs/firmware.md").read_text("utf-8")
    evening = page[page.index("## An evening") : page.index("## What does not fit")]
    typed = [line.strip() for line in evening.splitlines() if line.startswith("    ")]
    until = next(at for at, line in enumerate(typed) if " flash " in line)
    assert typed[0].startswith("nuvrik new") and len(typed[:until]) > 5
    environment = os.environ | {"PATH": f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"}
    for line in [*typed[:until], *(one for one in typed[until:] if "--verify" in one)]:
        done = subprocess.run(line.split(), cwd=tmp_path, env=environment, check=False, capture_output=True)
        assert done.returncode == 0, (line, done.stdout, done.stderr)
    assert (tmp_path / "firmware/firmware.hex").exists()


def test_the_builders_sheet_has_every_wire(tug: Path, tmp_path: Path) -> None:
    for name in ("tug", "marram"):
        file, picture = write(tmp_path, f"{name}.toml", starter_text(name)), tmp_path / f"{name}.png"
        nuvrik_command("check", file, "--wiring", picture)
        link = nuvrik.load(file)
        chip = next(one for one in CHIPS.values() if not any(boards.misfits(link, one)))
        radio = getattr(link.medium, "machine", None)
        wires = list(wires_of(link, chip, boards.MACHINE, radio))
        assert ("the radio, SCK" in {wire.to for wire in wires}) == (radio is not None) == (name == "tug")
        assert picture.read_bytes()[:4] == b"\x89PNG" and len({wire.pin for wire in wires}) == len(wires)
        powered = [use for use in boards.uses_of_outputs(link) if use.role in (base.PWM, base.STEP)]
        held = {wire.pin for wire in wires if wire.needs == "10 k to ground"}
        assert {str(use.pin) for use in powered} <= held
    assert "names no pin" in nuvrik_command("check", file, "--end", "handset", "--wiring", picture, code=2)
    assert "--end" in nuvrik_command("check", tug, "--end", "moon", "--wiring", picture, code=2)
