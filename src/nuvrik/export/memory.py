"""How much of a chip firmware takes, as its compiler makes it."""

import shutil
import subprocess
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import NamedTuple

from nuvrik.export.chips import Chip
from nuvrik.plan.problems import Problem

STACK = 256
"""Bytes that have to be left for it: the deepest that was measured on an emulated chip, with everything
running, is 117, and the builder's own code wants some too."""

AMPLE = (
    "-Wl,--gc-sections -Wl,--defsym=__DATA_REGION_LENGTH__=0xf000 -Wl,--defsym=__TEXT_REGION_LENGTH__=0x3f000"
)
"""The linker makes what is too large for the chip as well, so that it can be said by how much."""

RAM = (".data", ".bss", ".noinit")
FLASH = (".text", ".data")


class Taken(NamedTuple):
    """Bytes of flash, and of RAM without the stack."""

    flash: int
    ram: int


def taken(files: Mapping[str, str]) -> Taken | None:
    """What firmware for an AVR takes, by building it; None where there is no compiler for it.
    CalledProcessError if it cannot be built."""
    if not all(map(shutil.which, ("avr-gcc", "avr-size", "make"))):
        return None
    with tempfile.TemporaryDirectory() as folder:
        for name, text in files.items():
            (Path(folder) / name).write_text(text, "utf-8")
        subprocess.run(
            ["make", "firmware.elf", f"LDFLAGS={AMPLE}"],
            cwd=folder,
            check=True,
            capture_output=True,
            text=True,
        )
        words = ["avr-size", "-A", str(Path(folder) / "firmware.elf")]
        said = subprocess.run(words, check=True, capture_output=True, text=True).stdout
    rows = [line.split() for line in said.splitlines()]
    sizes = {row[0]: int(row[1]) for row in rows if len(row) == 3 and row[0].startswith(".")}
    return Taken(sum(sizes.get(name, 0) for name in FLASH), sum(sizes.get(name, 0) for name in RAM))


def overfull(chip: Chip, found: Taken, larger: str) -> list[Problem]:
    """What does not fit into a chip, and what would."""
    problems = []
    do = f"--board {larger} has room" if larger else "leave out telemetry, requests or outputs"
    if found.flash > chip.flash:
        what = f"its program takes {found.flash} bytes of flash; the {chip.name} has {chip.flash}"
        problems.append(Problem("error", "--board", what, do))
    if found.ram + STACK > chip.ram:
        what = f"it takes {found.ram} bytes of RAM and some {STACK} of stack; the {chip.name} has {chip.ram}"
        problems.append(Problem("error", "--board", what, do))
    return problems
