"""The random life of one class of core, lived in Python and elsewhere at once."""

import json
import shutil
import subprocess
import sys
from collections.abc import Iterator, Mapping
from copy import deepcopy
from operator import attrgetter
from pathlib import Path
from random import Random
from typing import Any, Protocol

import lives
import lives_handset
import lives_infrared

from nuvrik.core.widths import Table
from nuvrik.export.native import Native
from nuvrik.export.tables_as_python import as_python
from nuvrik.export.traces.runners import copy_core

LIVES = lives.LIVES | lives_handset.LIVES | lives_infrared.LIVES
MICROPYTHON = shutil.which("micropython", path=str(Path(sys.executable).parent)) or ""


class Place(Protocol):
    """An object of a class of core that is not Python's."""

    def do(self, method: str, given: tuple[Any, ...]) -> None:
        """Call one of its methods, or "part.method"."""

    def apart(self, back: Any, ours: Any) -> str:
        """What came back, or what it holds now, that is not as in Python; "" for nothing."""


def live(name: str, table: Table, rng: Random, steps: int, places: Mapping[str, Place]) -> dict[str, str]:
    """Live a life of a class in Python and in all ``places`` at once. For each place the first step after
    which it differs, "" for none."""
    kind, _, life = LIVES[name]
    ours, living, wrong = kind(table), life(rng, table), dict.fromkeys(places, "")
    method, given = next(living)
    for at in range(steps):
        # Before it is lived here: a machine may put what is at rest to 0 in the very list that it is given.
        for place in places.values():
            place.do(method, deepcopy(given))
        back = attrgetter(method)(ours)(*given)
        for where, place in places.items():
            if not wrong[where] and (apart := place.apart(back, ours)):
                wrong[where] = f"step {at}, {method}{given}: {apart}"
        if places and all(wrong.values()):
            break
        method, given = living.send(back)
    return wrong


class InC:
    """It in C, as it was built."""

    def __init__(self, native: Native, name: str, table: Table) -> None:
        self._native, self._name, self._back = native, name, None
        self._made = native.make(name, table)

    def do(self, method: str, given: tuple[Any, ...]) -> None:
        """In this process."""
        one = self._made
        if "." in method:
            part, method = method.split(".")
            name = self._native.program.records[self._name].fields[part]
            one = self._native.part(name, getattr(self._made.struct, part))
        self._back = getattr(one, method)(*given)

    def apart(self, back: Any, ours: Any) -> str:
        """Number by number."""
        apart = dict(self._apart_in(self._name, ours, self._made.struct))
        return f"{back} in Python, {self._back} in C; {apart}" if self._back != back or apart else ""

    def _apart_in(self, name: str, ours: Any, theirs: Any, path: str = "") -> Iterator[tuple[str, Any]]:
        """Every number that an object has otherwise in Python than in C. Lists are as long as Python has
        them."""
        records = self._native.program.records
        for field, width in records[name].fields.items():
            inner, of = records.get(width), width.removeprefix("list[").removesuffix("]")
            one, other = getattr(ours, field), getattr(theirs, field)
            if of != width:
                for at, (each, its) in enumerate(zip(one, other, strict=False)):
                    if of in records:
                        yield from self._apart_in(of, each, its, f"{path}{field}[{at}].")
                    elif each != its:
                        yield f"{path}{field}[{at}]", (each, its)
            elif inner is None and one != other:
                yield path + field, (one, other)
            elif inner is not None and not inner.is_table:
                yield from self._apart_in(width, one, other, f"{path}{field}.")


SUM = '''
def sum_of(one, total=7):
    """All that an object holds, and those in it, as one number."""
    for name in sorted(one.__dict__):
        value = one.__dict__[name]
        for each in value if isinstance(value, list) else [value]:
            if name != "table" and hasattr(each, "__dict__"):
                total = sum_of(each, total)
            elif name != "table":
                total = (31 * total + int(each)) & 0x3FFFFFFF
    return total
'''

PROGRAM = """
import sys, json
sys.path.insert(0, {source!r})
from {module} import {name}
{table}
one = {name}(table)
{sum}
while True:
    line = sys.stdin.readline()
    if not line:
        break
    method, given = json.loads(line)
    at = one
    for word in method.split("."):
        at = getattr(at, word)
    back = at(*given)
    print(json.dumps([None if back is None else int(back), sum_of(one)]))
"""


class InMicroPython:
    """It in MicroPython. ``folder`` is for the program and a copy of core."""

    def __init__(self, name: str, table: Table, folder: Path) -> None:
        copy_core(folder)
        made: dict[str, Any] = {}
        exec(SUM, made)
        self._sum_of = made["sum_of"]
        words = {"source": str(folder), "module": LIVES[name][0].__module__, "name": name, "sum": SUM}
        program = folder / "one.py"
        program.write_text(PROGRAM.format(table=as_python(table, "table"), **words), "utf-8")
        line = [MICROPYTHON, "-X", "heapsize=8M", str(program)]
        self._process = subprocess.Popen(line, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        self._said = ""

    def do(self, method: str, given: tuple[Any, ...]) -> None:
        """In the interpreter."""
        assert self._process.stdin is not None and self._process.stdout is not None
        self._process.stdin.write(json.dumps([method, given]) + "\n")
        self._process.stdin.flush()
        self._said = self._process.stdout.readline()

    def apart(self, back: Any, ours: Any) -> str:
        """By the sum of all that it holds."""
        here = [None if back is None else int(back), self._sum_of(ours)]
        return "" if self._said and json.loads(self._said) == here else f"{here} in Python, not {self._said}"

    def close(self) -> None:
        """End it."""
        self._process.kill()
        self._process.communicate()
