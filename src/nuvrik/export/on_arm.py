"""Core on an emulated Cortex-M3: 32 bits, another compiler's idea of an int, and the very same numbers."""

import shutil
import struct
import subprocess
import weakref
from dataclasses import dataclass
from pathlib import Path

from nuvrik.ends.machine import Machine
from nuvrik.export.elsewhere import ElsewhereMachine, Step
from nuvrik.export.fitted_c import life_shape
from nuvrik.export.native import C, fitted_source
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.ends import end_table

COMPILER, EMULATOR = "arm-none-eabi-gcc", "qemu-system-arm"
FLAGS = (
    *("-mcpu=cortex-m3", "-mthumb", "-std=c99", "-Os", "-Wall", "-Wextra", "-Wno-type-limits", "-Werror"),
    *(
        "-ffunction-sections",
        "-fdata-sections",
        "-nostartfiles",
        "--specs=picolibc.specs",
        "-Wl,--gc-sections",
    ),
)
LIFE = Path(__file__).parent / "traces" / "life.c"

WORDS = (
    *("begin", "turn", "stream", "slots", "skip", "packet", "send"),
    *("reading", "axes", "wish", "over", "expire", "halt", "cap", "own"),
)
"""The words of steps, in the order in which ``life.c`` counts them."""


LIVED = (
    ("MachineEnd", "take"),
    ("MachineEnd", "slot"),
    ("MachineEnd", "end_packet"),
    ("MachineEnd", "send"),
    ("Machine", "called"),
    ("Telling", "take_axis"),
)
"""Routines that a link may do without."""

KINDS = ("MOTORS", "SERVOS", "STEPPERS", "SWITCHES")


def build_life(link: Link, folder: Path, *, stream: bool) -> Path:
    """Build what carries out the steps of a link's lives. CalledProcessError if that fails."""
    shape = life_shape(link, stream=stream)
    kinds = [(one.kind, one.at) for one in end_table(link, stream=stream).machine.outputs.outputs]
    (folder / "core.c").write_text(fitted_source(shape), "utf-8")
    # What the fitter has left nothing of, no step of this link asks for.
    left = {f"HAS_{name.upper()}": int(f"{owner}.{name}" in shape.program.routines) for owner, name in LIVED}
    left |= {f"HAS_{KINDS[kind]}": int(any(one == kind for one, _ in kinds)) for kind in range(len(KINDS))}
    left |= {"OUTPUTS": ",".join(f"{{{kind},{at}}}" for kind, at in kinds)}  # type: ignore[dict-item]
    made = folder / "life.elf"
    words = [COMPILER, *FLAGS, *(f"-D{name}={value}" for name, value in left.items()), f"-I{folder}"]
    words += [f"-T{C / 'boards' / 'cortex_m3.ld'}", str(C / "boards" / "cortex_m3_start.c"), str(LIFE)]
    subprocess.run([*words, "-o", str(made)], check=True, capture_output=True, text=True)
    return made


class RunsOnArm:
    """One machine on an emulated chip, which carries out steps as they come down its line."""

    def __init__(self, program: Path) -> None:
        words = [EMULATOR, "-M", "mps2-an385", "-display", "none", "-monitor", "none", "-serial", "stdio"]
        self._process = subprocess.Popen(
            [*words, "-kernel", str(program)], stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        weakref.finalize(self, _end, self._process)

    def do(self, step: Step) -> tuple[list[int], list[int]]:
        """Carry one out. RuntimeError if the emulator has ended."""
        assert self._process.stdin is not None
        numbers: list[int] = []
        for one in step[1:]:
            numbers += one if isinstance(one, list) else [one]
        head = struct.pack("<BH", WORDS.index(step[0]), len(numbers))
        self._process.stdin.write(head + struct.pack(f"<{len(numbers)}i", *numbers))
        self._process.stdin.flush()
        return self._numbers(), self._numbers()

    def _numbers(self) -> list[int]:
        count = struct.unpack("<H", self._read(2))[0]
        return list(struct.unpack(f"<{count}i", self._read(4 * count)))

    def _read(self, count: int) -> bytes:
        assert self._process.stdout is not None
        data = self._process.stdout.read(count)
        if len(data) < count:
            raise RuntimeError("the emulator of the Cortex-M3 has ended")
        return data


def _end(process: subprocess.Popen[bytes]) -> None:
    process.kill()
    process.communicate()


@dataclass(frozen=True)
class OnArm:
    """Makes machines on an emulated Cortex-M3, out of a program that ``on_arm`` has built."""

    program: Path

    def __call__(self, link: Link) -> Machine:
        return ElsewhereMachine(link, RunsOnArm(self.program), stream=not link.medium.datagrams)


def on_arm(link: Link, folder: Path) -> OnArm:
    """Build core for a link, and make machines of it. CalledProcessError, or FileNotFoundError for a tool
    that is not here."""
    for tool in (COMPILER, EMULATOR):
        if shutil.which(tool) is None:
            raise FileNotFoundError(f"there is no {tool} here; `make toolchain` installs it")
    return OnArm(build_life(link, folder, stream=not link.medium.datagrams))
