"""Lives lived again: with core as C, and in MicroPython."""

import ctypes
import json
import shutil
import subprocess
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any, Protocol

from nuvrik.core.loops.machine_end import EndTable
from nuvrik.export.fit.roots import roots_of
from nuvrik.export.micropython import core_files
from nuvrik.export.native import Native
from nuvrik.export.program import CORE
from nuvrik.export.traces import seen as seen_file
from nuvrik.export.traces.driver import Life, Step
from nuvrik.export.traces.seen import carry_out, seen
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.ends import end_table

Kinds = list[tuple[int, int]]


class NativeEnd:
    """A machine's end in C, with what ``seen.carry_out`` and ``seen.seen`` ask of one."""

    def __init__(self, native: Native, table: EndTable) -> None:
        self._made = native.make("MachineEnd", table)
        self.struct = self._made.struct

    def __getattr__(self, name: str) -> Any:
        return getattr(self._made, name)

    def copy_from(self, other: "NativeEnd") -> None:
        """Be as another end of the same link is."""
        ctypes.memmove(ctypes.byref(self.struct), ctypes.byref(other.struct), ctypes.sizeof(self.struct))

    @property
    def calls(self) -> bool:
        """Whether the builder's own code is to be called."""
        return bool(self.struct.calls)

    @calls.setter
    def calls(self, value: bool) -> None:
        self.struct.calls = value


def in_c(native: Native, life: Life, steps: int) -> str:
    """Live a life in Python and in C at once; the first step after which they differ, "" for none."""
    there = {"C": NativeLife(native, life)}
    return next((said for said in in_all(there, life, steps).values() if said), "")


class Lived(Protocol):
    """Something that lives a life along with Python."""

    def do(self, step: Step) -> tuple[list[int], list[int]]:
        """Carry a step out; what comes back, and what can be seen afterwards."""


class NativeLife:
    """A life in C."""

    def __init__(self, native: Native, life: Life) -> None:
        self._native, self._table, self._kinds = native, life.table, life.kinds
        self._end = NativeEnd(native, life.table)

    def do(self, step: Step) -> tuple[list[int], list[int]]:
        """In this process."""
        if step[0] == "begin":
            self._end = NativeEnd(self._native, self._table)
        return carry_out(self._end, step), seen(self._end, self._kinds)


def in_all(places: Mapping[str, Lived], life: Life, steps: int) -> dict[str, str]:
    """Live a life in Python and in other places at once. For each place the first step after which it
    differs, "" for none."""
    wrong = dict.fromkeys(places, "")
    for at, (step, back, here) in zip(range(steps), life, strict=False):
        for name, place in places.items():
            if not wrong[name] and (there := place.do(step)) != (back, here):
                wrong[name] = f"step {at}, {step}: {back} {here} in Python, {there} in {name}"
    return wrong


PROGRAM = """
import sys, json
sys.path.insert(0, {source!r})
from nuvrik.core.loops.machine_end import MachineEnd
from nuvrik.tables import link as table
from seen import carry_out, seen
kinds = {kinds!r}
ends = {{}}
while True:
    line = sys.stdin.readline()
    if not line:
        break
    number, step = json.loads(line)
    if step[0] == "begin":
        ends[number] = MachineEnd(table)
    end = ends[number]
    print(json.dumps([carry_out(end, step), seen(end, kinds)]))
"""


def in_micropython(interpreter: str, life: Life, steps: int, folder: Path, *, readable: bool = False) -> str:
    """Live a life in Python and then in MicroPython, as it is exported; the first step after which they
    differ, "" for none. ``folder`` is for the export and a program that lives it."""
    program = prepared(life.link, folder, stream=life.stream, readable=readable)
    lived = [one for _, one in zip(range(steps), life, strict=False)]
    text = "".join(json.dumps([0, step]) + "\n" for step, _, _ in lived)
    words = [interpreter, "-X", "heapsize=8M", str(program)]
    done = subprocess.run(words, input=text, check=False, capture_output=True, text=True)
    if done.returncode:
        return f"MicroPython: {done.stderr[-600:]}"
    for at, ((step, back, here), line) in enumerate(zip(lived, done.stdout.splitlines(), strict=True)):
        if json.loads(line) != [back, here]:
            return f"step {at}, {step}: {back} {here} in Python, {line} in MicroPython"
    return ""


def prepared(link: Link, folder: Path, *, stream: bool, readable: bool = False) -> Path:
    """A program that carries out steps, one a line, and beside it a machine's end as it is exported."""
    roots = roots_of(Wanted(link, "", "any", packets=not stream))
    files = core_files(end_table(link, stream=stream), roots, readable=readable)
    for name, text in {"__init__.py": "", **files}.items():
        file = folder / "nuvrik" / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text, "utf-8")
    (folder / "seen.py").write_text(Path(seen_file.__file__).read_text("utf-8"), "utf-8")
    kinds = [(one.kind, one.at) for one in end_table(link, stream=stream).machine.outputs.outputs]
    program = folder / "life.py"
    program.write_text(PROGRAM.format(source=str(folder), kinds=kinds), "utf-8")
    return program


def copy_core(folder: Path) -> None:
    """Core as it is, where MicroPython finds it."""
    there = folder / "nuvrik" / "core"
    if not there.exists():
        shutil.copytree(CORE, there, ignore=shutil.ignore_patterns("__pycache__"))
        (folder / "nuvrik" / "__init__.py").write_text("")


def lived(life: Iterable[tuple[Step, list[int], list[int]]], steps: int) -> Iterator[dict[str, Any]]:
    """So many steps of a life as they are written into a file of vectors."""
    for _, (step, back, here) in zip(range(steps), life, strict=False):
        yield {"step": step, "back": back, "seen": here}
