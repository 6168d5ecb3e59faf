"""Core as C, built on the spot and called from Python: the very text of a chip, for tests and rehearsals."""

import ctypes
import subprocess
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.expressions import c_name
from nuvrik.export.program import Program, Record, Routine
from nuvrik.plan.tables.sizes import BYTES, ROOM_FOR_NO_BYTES

C = Path(__file__).parents[1] / "firmware" / "c"
"""Where the C is that comes with the library."""

CORE = ("nuvrik_core.c", "nuvrik_core.h", "nuvrik_reads.h", "nuvrik_rom.h", "nuvrik_call.h")
"""What there is of core, without glue and boards."""

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
    link: Path | None = None,
) -> None:
    """Make a shared library of core, with what it is told of one link (``link``, a folder with its files) or,
    without, with room for the most of everything. CalledProcessError, with what the compiler says, if it has
    a warning."""
    if link is not None:
        # Beside what it is told of its link: a header is first looked for where the file is that wants it.
        for name in CORE:
            (link / name).write_text((C / name).read_text("utf-8"), "utf-8")
        source = link / "nuvrik_core.c"
    # What is known of a link makes some tests of it true, or false, for ever: that is what it is for.
    own = ["-Wno-type-limits", "-Wno-array-bounds", str(link / "link_tables.c")] if link else []
    words = [
        compiler,
        *STRICT,
        *flags,
        "-O1",
        "-shared",
        "-fPIC",
        *own,
        f"-I{C}",
        str(source),
        "-o",
        str(target),
    ]
    subprocess.run(words, check=True, capture_output=True, text=True)


class Native:
    """A shared library of core. Functions are called by the names they have in Python; ``make`` makes an
    object of a class, with its methods and fields."""

    def __init__(
        self, library: Path, program: Program | None = None, sizes: Mapping[str, int] | None = None
    ) -> None:
        self.program = program or Program()
        self._rooms = sizes or {}
        self._library = ctypes.CDLL(str(library))
        self._structs: dict[str, Any] = {}
        self._functions: dict[str, tuple[Any, list[Any]]] = {}

    def struct(self, name: str) -> Any:
        """The layout of a class, as a C compiler has it."""
        if name not in self._structs:
            record, fields = self.program.records[name], []
            for field, width in record.fields.items():
                kind = self._type(width)
                if not width.startswith("list["):
                    fields.append((field, kind))
                elif record.is_table:
                    fields += [(field, ctypes.POINTER(kind)), (f"{field}_count", ctypes.c_uint8)]
                else:
                    fields.append((field, kind * self._room(record.rooms[field])))
            self._structs[name] = type(name, (ctypes.Structure,), {"_fields_": fields})
        return self._structs[name]

    def _type(self, width: str) -> Any:
        if width.startswith("list["):
            width = width[5:-1]
            return self.struct(width) if width in self.program.records else TYPES[RANGES[width].c]
        if width in RANGES:
            return TYPES[RANGES[width].c]
        inner = self.struct(width)
        return ctypes.POINTER(inner) if self.program.records[width].is_table else inner

    def _array(self, width: str) -> Callable[[Sequence[int]], Any]:
        kind = self._type(width)
        return lambda given: (kind * len(given))(*given)

    def _room(self, room: str) -> int:
        if room.isdigit():
            return int(room)
        return self._rooms.get(room, self.program.constants[room].value) or (
            ROOM_FOR_NO_BYTES if room in BYTES else 1
        )

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
        """Call a function of C with numbers, tables, objects, and lists of numbers."""
        known = self._functions.get(routine.key)
        if known is None:
            known = self._functions[routine.key] = self._function(routine)
        function, kinds = known
        return function(*(one if kind is None else kind(one) for kind, one in zip(kinds, given, strict=True)))

    def _function(self, routine: Routine) -> tuple[Any, list[Any]]:
        """A function of C, and for each thing that it takes what makes it so, None for a number."""
        function = getattr(self._library, c_name(routine))
        function.restype = None if routine.gives == "None" else TYPES[RANGES[routine.gives].c]
        kinds: list[Any] = [ctypes.byref] if routine.owner else []
        takes: list[Any] = [ctypes.c_void_p] if routine.owner else []
        for width in routine.takes.values():
            number = width in RANGES
            kinds.append(
                None if number else self._array(width) if width.startswith("list[") else ctypes.byref
            )
            takes.append(TYPES[RANGES[width].c] if number else ctypes.c_void_p)
        function.argtypes = takes
        return function, kinds

    def __getattr__(self, name: str) -> Callable[..., Any]:
        routine = self.program.routines[name]
        return lambda *given: self.call(
            routine, *(self.table(one) if isinstance(one, Table) else one for one in given)
        )

    def make(self, name: str, table: Table) -> "NativeObject":
        """An object of a class of core."""
        made, there = self.struct(name)(), self.table(table)
        self.call(self.program.routines[f"{name}.__init__"], made, there)
        return NativeObject(self, self.program.records[name], made, there)

    def part(self, name: str, struct: Any) -> "NativeObject":
        """A part of such an object, of a class of its own."""
        return NativeObject(self, self.program.records[name], struct)


class NativeObject:
    """An object of core that lives in C. Its methods and fields have the names they have in Python."""

    def __init__(self, native: Native, record: Record, struct: Any, table: Any = None) -> None:
        self._native, self._record, self.struct = native, record, struct
        self._table = table  # C has only its address

    def __getattr__(self, name: str) -> Any:
        if name in self._record.fields:
            return getattr(self.struct, name)
        routine = self._native.program.routines[f"{self._record.name}.{name}"]
        call, struct = self._native.call, self.struct

        def method(*given: Any) -> Any:
            return call(routine, struct, *given)

        self.__dict__[name] = method
        return method
