"""Core as C, built on the spot and called from Python: the very text of a chip, for tests and rehearsals."""

import ctypes
import subprocess
from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from typing import Any

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.expressions import c_name
from nuvrik.export.fit.kinds import inner_of
from nuvrik.export.program import Record, Routine, core
from nuvrik.export.shape import Shape
from nuvrik.export.to_c import Printed, whole_core

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


HEAD = "#include <stdbool.h>\n#include <stdint.h>\n#include <string.h>\n\n"


@cache
def whole_source() -> str:
    """Core as a whole in C: every function of it can be called."""
    return HEAD + whole_core().text()


def fitted_source(shape: Shape) -> str:
    """Core in C as it is left for one end, every function of which can be called."""
    return HEAD + Printed(shape).text()


def build(target: Path, source: str = "", compiler: str = "gcc", flags: Sequence[str] = TRAPS) -> None:
    """Make a shared library of core as C, as a whole unless a ``source`` is given. CalledProcessError, with
    what the compiler says, if it has a warning."""
    file = target.with_suffix(".c")
    file.write_text(source or whole_source(), "utf-8")
    # What is known of a link makes some tests of it true, or false, for ever: that is what it is for.
    words = [
        compiler,
        *STRICT,
        *flags,
        "-Wno-type-limits",
        "-O1",
        "-shared",
        "-fPIC",
        str(file),
        "-o",
        str(target),
    ]
    subprocess.run(words, check=True, capture_output=True, text=True)


class Native:
    """A shared library of core, built of what ``shape`` says, by default of core as a whole. Functions are
    called by the names they have in Python; ``make`` makes an object of a class, with its methods and
    fields."""

    def __init__(self, library: Path, shape: Shape | None = None) -> None:
        self.shape = shape or Shape(core())
        self.program = self.shape.program
        self._library = ctypes.CDLL(str(library))
        self._structs: dict[str, Any] = {}
        self._functions: dict[str, tuple[Any, list[Any]]] = {}

    def struct(self, name: str) -> Any:
        """The layout of a class, as a C compiler has it."""
        if name not in self._structs:
            record, fields = self.program.records[name], []
            for field, width in self.shape.kept(record).items():
                inner = inner_of(width)
                if not inner:
                    fields.append((field, self._type(width)))
                elif record.is_table:
                    fields += (
                        [] if inner in self.shape.named else [(field, ctypes.POINTER(self._element(inner)))]
                    )
                    counted = (name, field) not in self.shape.lengths
                    fields += [(f"{field}_count", ctypes.c_uint8)] if counted else []
                else:
                    fields.append((field, self._type(inner) * self.shape.room(name, field)))
            self._structs[name] = type(name, (ctypes.Structure,), {"_fields_": fields})
        return self._structs[name]

    def _type(self, width: str) -> Any:
        if width in RANGES:
            return TYPES[RANGES[width].c]
        inner = self.struct(width)
        return ctypes.POINTER(inner) if self.program.records[width].is_table else inner

    def _element(self, inner: str) -> Any:
        """What stands in a list of a table."""
        return self.struct(inner) if inner in self.program.records else self._type(inner)

    def _array(self, width: str) -> Callable[[Sequence[int]], Any]:
        kind = self._type(width)
        return lambda given: (kind * len(given))(*given)

    def table(self, table: Table) -> Any:
        """A table and all that it leads to, as C keeps it."""
        record = self.program.records[type(table).__name__]
        made = self.struct(record.name)()
        for field, width in record.fields.items():
            value = getattr(table, field)
            inner = inner_of(width)
            if inner:
                setattr(made, f"{field}_count", len(value))
                of = self._element(inner)
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
        owned = bool(routine.owner) and not self.shape.implied(routine.owner)
        kinds: list[Any] = [ctypes.byref] if owned else []
        takes: list[Any] = [ctypes.c_void_p] if owned else []
        for width in routine.takes.values():
            if self.shape.implied(width):
                continue
            number, inner = width in RANGES, inner_of(width)
            kinds.append(None if number else self._array(inner) if inner else ctypes.byref)
            takes.append(TYPES[RANGES[width].c] if number else ctypes.c_void_p)
        function.argtypes = takes
        return function, kinds

    def __getattr__(self, name: str) -> Callable[..., Any]:
        routine = self.program.routines[name]
        return lambda *given: self.call(
            routine, *(self.table(one) if isinstance(one, Table) else one for one in given)
        )

    def make(self, name: str, table: Table) -> "NativeObject":
        """An object of a class of core. Of the one end that a fitted library has, each is a copy, which takes
        its place while something is done to it."""
        made, init = self.struct(name)(), self.program.routines[f"{name}.__init__"]
        if self.shape.implied(name):
            place = self.struct(name).in_dll(self._library, self.shape.paths[name])
            end = NativeObject(self, self.program.records[name], made, place=place)
            end.do(init)
            return end
        there = self.table(table)
        self.call(init, made, there)
        return NativeObject(self, self.program.records[name], made, there)

    def part(self, name: str, struct: Any) -> "NativeObject":
        """A part of such an object, of a class of its own."""
        return NativeObject(self, self.program.records[name], struct)


class NativeObject:
    """An object of core that lives in C. Its methods and fields have the names they have in Python; what the
    fitter has left nothing of does nothing, and holds none."""

    def __init__(
        self,
        native: Native,
        record: Record,
        struct: Any,
        table: Any = None,
        place: Any = None,
        whole: "NativeObject | None" = None,
    ) -> None:
        self._native, self._record, self.struct = native, record, struct
        self._table = table  # C has only its address
        self._place, self._whole = place, whole or self

    def do(self, routine: Routine, *given: Any) -> Any:
        """Call a routine, in the place of the only end that there is."""
        whole = self._whole
        if whole._place is None:
            return self._native.call(routine, self.struct, *given)
        size = ctypes.sizeof(whole.struct)
        ctypes.memmove(ctypes.byref(whole._place), ctypes.byref(whole.struct), size)
        back = self._native.call(routine, *given)
        ctypes.memmove(ctypes.byref(whole.struct), ctypes.byref(whole._place), size)
        return back

    def __getattr__(self, name: str) -> Any:
        record, program = self._record, self._native.program
        if name in record.fields:
            width = record.fields[name]
            if name not in self._native.shape.kept(record):
                return []
            value = getattr(self.struct, name)
            if width in program.records:
                part = NativeObject(self._native, program.records[width], value, whole=self._whole)
                self.__dict__[name] = part  # it is a part for ever, and looked up often
                return part
            return value
        routine = program.routines.get(f"{record.name}.{name}")

        def method(*given: Any) -> Any:
            return None if routine is None else self.do(routine, *given)

        self.__dict__[name] = method
        return method
