"""Core as C, built on the spot and called from Python: the very text of a chip, for tests and rehearsals."""

import ctypes
import subprocess
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.expressions import c_name
from nuvrik.export.program import Program, Record, Routine

C = Path(__file__).parents[1] / "firmware" / "c"
"""Where the C is that comes with the library."""

TYPES: dict[str, Any] = {
    "bool": ctypes.c_bool,
    "uint8_t": ctypes.c_uint8,
    "int8_t": ctypes.c_int8,
    "uint16_t": ctypes.c_uint16,
    "int16_t": ctypes.c_int16,
    "uint32_t": ctypes.c_uint32,
    "int32_t": ctypes.c_int32,
}

STRICT = (
    "-std=c99",
    "-Wall",
    "-Wextra",
    "-Wconversion",
    "-Wshadow",
    "-Wcast-qual",
    "-Wundef",
    "-pedantic",
    "-Werror",
)
TRAPS = ("-fsanitize=undefined", "-fsanitize-undefined-trap-on-error")
"""Undefined behaviour ends the program at once; that needs no library of the compiler's."""


def build(
    target: Path,
    source: Path = C / "nuvrik_core.c",
    compiler: str = "gcc",
    flags: Sequence[str] = TRAPS,
) -> None:
    """Make a shared library of core. CalledProcessError, with what the compiler says, if it has a warning."""
    words = [compiler, *STRICT, *flags, "-O1", "-shared", "-fPIC", f"-I{C}", str(source), "-o", str(target)]
    subprocess.run(words, check=True, capture_output=True, text=True)


class Native:
    """A shared library of core. Functions are called by the names they have in Python; :meth:`make` makes an
    object of a class, with its methods and fields."""

    def __init__(self, library: Path, program: Program | None = None) -> None:
        self.program = program or Program()
        self._library = ctypes.CDLL(str(library))
        self.structs: dict[str, Any] = {}

    def struct(self, name: str) -> Any:
        """The layout of a class, as a C compiler has it."""
        if name not in self.structs:
            record, fields = self.program.records[name], []
            for field, width in record.fields.items():
                kind = self._type(width)
                if not width.startswith("list["):
                    fields.append((field, kind))
                elif record.is_table:
                    fields += [(field, ctypes.POINTER(kind)), (f"{field}_count", ctypes.c_uint8)]
                else:
                    fields.append((field, kind * self._room(record.rooms[field])))
            self.structs[name] = type(name, (ctypes.Structure,), {"_fields_": fields})
        return self.structs[name]

    def _type(self, width: str) -> Any:
        if width.startswith("list["):
            width = width[5:-1]
            return self.struct(width) if width in self.program.records else TYPES[RANGES[width].c]
        if width in RANGES:
            return TYPES[RANGES[width].c]
        inner = self.struct(width)
        return ctypes.POINTER(inner) if self.program.records[width].is_table else inner

    def _room(self, room: str) -> int:
        return int(room) if room.isdigit() else self.program.constants[room].value

    def table(self, table: Table) -> Any:
        """A table and all that it leads to, as C keeps it."""
        record = self.program.records[type(table).__name__]
        made = self.struct(record.name)()
        for field, width in record.fields.items():
            value = getattr(table, field)
            if width.startswith("list["):
                setattr(made, f"{field}_count", len(value))
                of = self._type(width)
                value = (of * len(value))(
                    *(self.table(one) if isinstance(one, Table) else one for one in value)
                )
            elif isinstance(value, Table):
                value = ctypes.pointer(self.table(value))
            setattr(made, field, value)
        return made

    def call(self, routine: Routine, *given: Any) -> Any:
        """Call a function of C with numbers, tables, and objects."""
        function = getattr(self._library, c_name(routine))
        function.restype = None if routine.gives == "None" else TYPES[RANGES[routine.gives].c]
        takes = [TYPES[RANGES[width].c] if width in RANGES else None for width in routine.takes.values()]
        given = tuple(
            (self._type(width) * len(one))(*one) if width.startswith("list[") else one
            for width, one in zip((["", *routine.takes.values()])[not routine.owner :], given, strict=True)
        )
        takes = [None, *takes] if routine.owner else takes
        return function(
            *(
                ctypes.byref(one) if kind is None else kind(one)
                for kind, one in zip(takes, given, strict=True)
            )
        )

    def __getattr__(self, name: str) -> Callable[..., Any]:
        routine = self.program.routines[name]
        return lambda *given: self.call(
            routine, *(self.table(one) if isinstance(one, Table) else one for one in given)
        )

    def make(self, name: str, table: Table) -> "NativeObject":
        """An object of a class of core."""
        return NativeObject(self, self.program.records[name], table)


class NativeObject:
    """An object of core that lives in C. Its methods and fields have the names they have in Python."""

    def __init__(self, native: Native, record: Record, table: Table) -> None:
        self._native, self._record = native, record
        self._table = native.table(table)
        self.struct = native.struct(record.name)()
        native.call(native.program.routines[f"{record.name}.__init__"], self.struct, self._table)

    def __getattr__(self, name: str) -> Any:
        if name in self._record.fields:
            return getattr(self.struct, name)
        routine = self._native.program.routines[f"{self._record.name}.{name}"]
        return lambda *given: self._native.call(routine, self.struct, *given)
