"""Core to C99, line by line: one C function for each function of core, with its names and its comments."""

import ast
import re
import textwrap
from collections.abc import Iterator, Set
from itertools import groupby
from typing import TypeGuard

from nuvrik.core.ranges import RANGES
from nuvrik.export import parts
from nuvrik.export.body import Body, begins_as_zeros
from nuvrik.export.expressions import READS, c_name, macro_of, room_of
from nuvrik.export.program import Constant, Module, Outside, Program, Record, Routine
from nuvrik.export.values import LIMITS, number

WIDEST = 110
"""No line of C is longer."""

MADE = (
    "/* Made from {} by Nuvrik. Read it, step through it, port it, but do not edit it: the next making would "
    "undo that. */"
)


READS_DOC = """How the fields of tables are read.

A link's own header, link_sizes.h, may say of a field what it comes to, where that is the same in every such
table of the link. Then the compiler knows it, and leaves out what never comes to pass: a ramp that no motor
has, a question that nobody can ask."""


class Translation:
    """The C of a program: ``header`` and ``source``. ``unproven`` lists the stores that the widths alone do
    not prove to fit; checked mode looks at each in every test. Outside if core is not in its subset."""

    def __init__(self, program: Program) -> None:
        self._program = program
        self._filled = filled(program)
        self._changing = changing(program, self._filled)
        inside = {width for record in program.records.values() for width in record.fields.values()}
        inside |= {width[5:-1] for width in inside if width.startswith("list[")}
        self._roots = program.records.keys() - inside
        """The classes of which no object is part of another."""
        self.unproven: list[str] = []
        where = ", ".join(f"core/{module.name}.py" for module in program.modules)
        made = "\n".join(textwrap.wrap(MADE.format(where), WIDEST, subsequent_indent="   "))
        self.header = _file(made, self._header())
        self.reads = _file(made, self._reads())
        self.source = _file(made, self._source())

    # ---- the header ----

    def _header(self) -> Iterator[str]:
        yield from ("#ifndef NUVRIK_CORE_H", "#define NUVRIK_CORE_H", "")
        yield from ("#include <stdbool.h>", "#include <stdint.h>", "")
        yield from ('#include "link_sizes.h"', '#include "nuvrik_rom.h"', '#include "nuvrik_reads.h"', "")
        yield from ("#ifdef __cplusplus", 'extern "C" {', "#endif", "")
        yield from described(parts.__doc__ or "")
        yield from (*parts.defaults(), "")
        for module in self._program.modules:
            yield f"/* ---- {module.name} ---- */"
            yield ""
            yield from described(module.doc)
            yield ""
            yield from constants(module)
            for record in module.records:
                yield from self._struct(record)
            for routine in self._written(module):
                yield f"{self._signature(module, routine)};"
            yield ""
        yield from ("#ifdef __cplusplus", "}", "#endif", "", "#endif")

    def _written(self, module: Module) -> Iterator[Routine]:
        """The routines of a module but for those that would make what is all zeros."""
        for routine in module.routines:
            if routine.name != "__init__" or not begins_as_zeros(self._program, routine.owner):
                yield routine

    def _struct(self, record: Record) -> Iterator[str]:
        yield from described(record.doc)
        yield "typedef struct {"
        for name, width in record.fields.items():
            if width.startswith("list["):
                of = width[5:-1]
                c = RANGES[of].c if of in RANGES else f"Nuvrik{of}"
                if record.is_table:
                    yield from (f"    const NUVRIK_FLASH {c} *{name};", f"    uint8_t {name}_count;")
                else:
                    yield f"    {c} {name}[{room_of(record.rooms[name])}];"
            elif width in self._program.records:
                table = self._program.records[width].is_table
                kind = f"const NUVRIK_FLASH Nuvrik{width} *" if table else f"Nuvrik{width} "
                yield f"    {kind}{name};"
            else:
                yield f"    {RANGES[width].c} {name};"
        yield f"}} Nuvrik{record.name};"
        yield ""

    def _signature(self, module: Module, routine: Routine) -> str:
        body = Body(self._program, module, routine)
        takes = []
        for name, width in routine.takes.items():
            const = "const " if width.startswith("list[") and (routine.key, name) not in self._filled else ""
            takes.append(f"{const}{body.declared(width)}{name}")
        if routine.owner:
            const = "" if routine.key in self._changing else "const "
            takes.insert(0, f"{const}Nuvrik{routine.owner} *self")
        return f"{body.declared(routine.gives)}{c_name(routine)}({', '.join(takes) or 'void'})"

    def _reads(self) -> Iterator[str]:
        """How each field of a table is read, unless a link's own header says what it comes to."""
        yield from ("#ifndef NUVRIK_READS_H", "#define NUVRIK_READS_H", "")
        yield from described(READS_DOC)
        for record in (one for one in self._program.records.values() if one.is_table):
            yield ""
            for name, width in record.fields.items():
                macro = macro_of(record, name)
                if f"NUVRIK_{macro[7:]}" in self._enumerated:
                    raise Outside(None, f"{macro} is a constant and a field", "give one of them another name")
                kind = "P" if width not in RANGES else READS[RANGES[width].c]
                yield from _unless_defined(macro, f"NUVRIK_{kind}((table)->{name})")
                if width.startswith("list["):
                    yield from _unless_defined(f"{macro}_COUNT", f"NUVRIK_U8((table)->{name}_count)")
        yield from ("", "#endif")

    @property
    def _enumerated(self) -> Set[str]:
        return {f"NUVRIK_{name}" for name in self._program.constants}

    # ---- the source ----

    def _source(self) -> Iterator[str]:
        yield from ('#include "nuvrik_core.h"', "", "#include <string.h>", "", '#include "link_tables.h"', "")
        rest = []
        for module in self._program.modules:
            rest += [f"/* ---- {module.name} ---- */", ""]
            for routine in self._written(module):
                rest += self._function(module, routine)
        for bits in (16, 32):
            if f"nuvrik_abs{bits}(" in "\n".join(rest):
                yield f"static int{bits}_t nuvrik_abs{bits}(int{bits}_t x)"
                yield from ("{", f"    return (int{bits}_t)(x < 0 ? -x : x);", "}", "")
        yield from rest

    def _function(self, module: Module, routine: Routine) -> Iterator[str]:
        body = Body(self._program, module, routine)
        lines = body.lines()
        self.unproven += body.unproven
        doc = routine.node.body[0]
        yield from described(ast_text(doc))
        yield self._signature(module, routine)
        yield "{"
        if routine.name == "__init__" and routine.owner in self._roots:
            yield "    memset(self, 0, sizeof *self);"
        yield from lines
        yield "}"
        yield ""


def changing(program: Program, filled: frozenset[tuple[str, str]]) -> frozenset[str]:
    """The methods that store in their object, call one that does, or give away a part of it, be it a list to
    a routine that fills it."""
    found: set[str] = set()
    while True:
        names = {key.split(".")[-1] for key in found}
        more = {
            key
            for key, routine in program.routines.items()
            if routine.owner and _stores(program, routine, names, filled)
        }
        if more <= found:
            return frozenset(found)
        found |= more


def filled(program: Program) -> frozenset[tuple[str, str]]:
    """The lists that a routine is given, by its key and their names, and stores in or gives on to one that
    does."""
    found: set[tuple[str, str]] = set()
    while True:
        more = set(found)
        for key, routine in program.routines.items():
            for node in ast.walk(routine.node):
                if _is_place(node) and isinstance(node.value, ast.Name):
                    more.add((key, node.value.id))
                if isinstance(node, ast.Call):
                    into = _filled_by(program, node, found)
                    more |= {(key, given.id) for given in into if isinstance(given, ast.Name)}
        if more == found:
            return frozenset(found)
        found = more


def _filled_by(program: Program, node: ast.Call, found: Set[tuple[str, str]]) -> Iterator[ast.expr]:
    """The lists that a call stores in."""
    name = ast.unparse(node.func).split(".")[-1]
    for routine in (one for one in program.routines.values() if one.name == name):
        for given, takes in zip(node.args, routine.takes, strict=False):
            if (routine.key, takes) in found:
                yield given


def _stores(program: Program, routine: Routine, names: set[str], filled: frozenset[tuple[str, str]]) -> bool:
    gives = program.records.get(routine.gives)
    if gives is not None and not gives.is_table:
        return True
    for node in ast.walk(routine.node):
        stored = isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Store)
        if stored or (_is_place(node) and "." in ast.unparse(node)):
            return True
        if isinstance(node, ast.Call):
            if isinstance(node.func, ast.Attribute) and node.func.attr in names:
                return True
            if any(isinstance(given, ast.Attribute) for given in _filled_by(program, node, filled)):
                return True
    return False


def _is_place(node: ast.AST) -> TypeGuard[ast.Subscript]:
    """Whether something is stored in a place of a list."""
    return isinstance(node, ast.Subscript) and isinstance(node.ctx, ast.Store)


def _file(made: str, lines: Iterator[str]) -> str:
    return "\n".join([made, *(part for line in lines for part in short(line)), ""])


def _unless_defined(macro: str, text: str) -> Iterator[str]:
    yield from (f"#ifndef {macro}", f"#define {macro}(table) {text}", "#endif")


def ast_text(node: object) -> str:
    """The text of a docstring statement, "" for any other."""
    value = getattr(getattr(node, "value", None), "value", "")
    return value if isinstance(value, str) else ""


def described(text: str) -> list[str]:
    """A docstring as a comment."""
    parts = [" ".join(part.split()) for part in text.strip().split("\n\n") if part.strip()]
    if not parts:
        return []
    lines = [line for part in parts for line in [*textwrap.wrap(plain(part), WIDEST - 7), ""]][:-1]
    if len(lines) == 1:
        return [f"/** {lines[0]} */"]
    return [f"/** {lines[0]}", *(f" *  {line}".rstrip() for line in lines[1:]), " */"]


def plain(text: str) -> str:
    """A docstring without the marks that only Python's tools read."""
    return re.sub(r":[a-z]+:`([^`]+)`", r"\1", text).replace("``", "")


def constants(module: Module) -> Iterator[str]:
    """The constants of a module: those that stand in lines one after the other are one enumeration."""
    if module.name == "sizes":
        for one in module.constants:
            yield from (f"#ifndef NUVRIK_{one.name}", *_define(one), "#endif", "")
        return
    runs = groupby(enumerate(module.constants), key=lambda one: one[1].line - one[0])
    for run in [[constant for _, constant in members] for _, members in runs]:
        small = all(LIMITS["int16_t"][0] <= one.value <= LIMITS["int16_t"][1] for one in run)
        if len(run) > 1 and small:
            yield "enum {"
            yield from (f"    NUVRIK_{one.name} = {one.value}," for one in run[:-1])
            yield f"    NUVRIK_{run[-1].name} = {run[-1].value}"
            yield "};"
            yield from described(run[-1].doc)
        else:
            for one in run:
                yield from _define(one)
        yield ""


def _define(one: Constant) -> Iterator[str]:
    yield from described(one.doc)
    yield f"#define NUVRIK_{one.name} {number(one.value).bracketed}"


def short(line: str) -> Iterator[str]:
    """A line of C, broken where it is too long."""
    indent = len(line) - len(line.lstrip())
    if line.lstrip().startswith("/*"):
        first, *more = textwrap.wrap(line.strip(), WIDEST - indent, subsequent_indent="   ")
        yield from (" " * indent + one for one in [first, *more])
        return
    while len(line) > WIDEST:
        marks = (" && ", " || ", " ? ", " : ", ", ", " + ", " - ", " ^ ", " = ")
        at = max(line.rfind(mark, indent + 12, WIDEST) for mark in marks)
        if at < 0:
            break
        cut = at + 2 if line[at] == "," else at + 1
        yield line[:cut].rstrip()
        line = " " * (indent + 4) + line[cut:].lstrip()
    yield line
