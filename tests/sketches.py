"""Sketches built as a sketch editor does, with the framework that Debian packages for AVR chips."""

import re
import subprocess
import tempfile
from functools import cache
from pathlib import Path

from nuvrik.export.chips import CHIPS, Chip
from nuvrik.export.firmware import SKETCH_FILE, firmware
from nuvrik.export.wanted import Wanted

FRAMEWORK = Path("/usr/share/arduino/hardware/arduino/avr")
VARIANTS = {"atmega328p": "standard", "atmega2560": "mega"}
KEPT = tempfile.TemporaryDirectory()


def _flags(chip: Chip) -> list[str]:
    folders = (
        FRAMEWORK / "cores" / "arduino",
        FRAMEWORK / "variants" / VARIANTS[chip.name],
        FRAMEWORK / "libraries" / "SPI" / "src",
    )
    return [
        f"-mmcu={chip.name}",
        f"-DF_CPU={chip.clock_hz}UL",
        *("-DARDUINO=10819", "-DARDUINO_ARCH_AVR", "-Os", "-flto", "-ffunction-sections", "-fdata-sections"),
        *(f"-I{folder}" for folder in folders),
    ]


CPP = ("-x", "c++", "-std=gnu++11", "-fno-exceptions", "-fno-threadsafe-statics", "-fpermissive")
STRICT = ("-Wall", "-Wextra", "-Werror", "-Wno-type-limits", "-Wno-array-bounds")
C = ("-x", "c", "-std=gnu99")


def _run(*words: object) -> None:
    done = subprocess.run([str(word) for word in words], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


@cache
def core_of(name: str) -> list[Path]:
    """The framework's own files for a chip, built once in a process."""
    chip, folder = CHIPS[name], Path(KEPT.name) / name
    folder.mkdir(exist_ok=True)
    made = []
    sources = [
        *(FRAMEWORK / "cores" / "arduino").iterdir(),
        FRAMEWORK / "libraries" / "SPI" / "src" / "SPI.cpp",
    ]
    for source in sources:
        if source.suffix in (".c", ".cpp", ".S"):
            made.append(folder / f"{source.name}.o")
            how = {".c": C, ".cpp": CPP, ".S": ("-x", "assembler-with-cpp")}[source.suffix]
            # The compiler's own header has this number for C only.
            _run(
                "avr-gcc",
                *_flags(chip),
                "-w",
                "-DDECIMAL_DIG=__DECIMAL_DIG__",
                *how,
                "-c",
                source,
                "-o",
                made[-1],
            )
    return made


def built_sketch(wanted: Wanted, folder: Path, main: str | None = None) -> Path:
    """Write a sketch and build it, with a program of one's own if one is given. AssertionError with what the
    compiler says if that fails."""
    made, chip = firmware(wanted), wanted.chip
    assert chip is not None
    folder.mkdir(exist_ok=True)
    if main is not None:
        made.own[SKETCH_FILE] = re.sub(
            r"int main\(void\)\n\{\n    nuvrik_begin\(\);\n    for \(;;\) \{\n(.*?)    \}\n\}",
            r"void setup() { nuvrik_begin(); }\nvoid loop()\n{\n\1}",
            main,
            flags=re.DOTALL,
        )
    texts = made.files | made.own
    texts[f"{folder.name}.ino"] = texts.pop(SKETCH_FILE)
    for name, text in texts.items():
        (folder / name).write_text(str(text), "utf-8")
    objects = []
    for file in (folder / name for name in texts):
        how = {".c": C, ".cpp": CPP, ".ino": (*CPP, "-include", "Arduino.h")}.get(file.suffix)
        if how:
            objects.append(folder / f"{file.name}.o")
            _run("avr-gcc", *_flags(chip), *STRICT, *how, "-c", file, "-o", objects[-1])
    program = folder / "sketch.elf"
    flags = [flag for flag in _flags(chip) if not flag.startswith("-I")]
    _run("avr-g++", *flags, "-w", "-Wl,--gc-sections", *objects, *core_of(chip.name), "-lm", "-o", program)
    return program


def room_of(program: Path) -> tuple[int, int]:
    """Flash and RAM that it takes, without the stack."""
    said = subprocess.run(["avr-size", "-A", program], capture_output=True, text=True, check=True).stdout
    sizes = {line.split()[0]: int(line.split()[1]) for line in said.splitlines() if line.startswith(".")}
    flash = sizes.get(".text", 0) + sizes.get(".data", 0)
    return flash, sum(sizes.get(name, 0) for name in (".data", ".bss", ".noinit"))
