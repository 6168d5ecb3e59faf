"""A program of core as C99: one C function for each function of core, with its names and its comments.

What is printed is either core as a whole, for tests of every class by itself, or what the fitter has left of
it for one end of one link, which is what a builder gets."""

import ast
import re
import textwrap
from collections.abc import Iterable, Iterator, Set
from itertools import groupby
from typing import TypeGuard

from nuvrik.core.ranges import RANGES
from nuvrik.export.body import Body, begins_as_zeros
from nuvrik.export.expressions import c_name
from nuvrik.export.fit.hoisted import hoist
from nuvrik.export.fit.kinds import inner_of
from nuvrik.export.program import Constant, Module, Program, Record, Routine
from nuvrik.export.shape import Shape
from nuvrik.export.tables_as_c import NAMES, tables_of
from nuvrik.export.values import LIMITS, number

WIDEST = 110
"""No line of C is longer."""

FLASH = """/* Tables never change, and on a small chip they stay in flash, if its compiler knows of that. */
#if defined(__AVR__) && defined(__FLASH) && !defined(__STRICT_ANSI__)
#define NUVRIK_FLASH __flash
#else
#define NUVRIK_FLASH
#endif"""


class Printed:
    """The C of a program. ``public``: the routines that are called from outside, None for all of them;
    ``apart``: classes and constants that a header has declared already. ``unproven`` lists the stores that
    the widths alone do not prove to fit; checked mode looks at each in every test. Outside if core is not in
    its subset."""

    def __init__(self, shape: Shape, public: Set[str] | None = None, apart: Set[str] = frozenset()) -> None:
        self._shape, self._program, self._public, self._apart = shape, shape.program, public, apart
        self._filled = filled(self._program)
        self._changing = changing(self._program, self._filled)
        self.unproven: list[str] = []
        self.said: dict[str, int] = {}
        self._functions = [
            (module, [self._function(routine) for routine in self._written(module)])
            for module in self._program.modules
        ]

    def text(self, more: str = "") -> str:
        """All of it. ``more``: a text that stands behind, and what it says by name is defined too."""
        body = [line for _, functions in self._functions for one in functions for line in one]
        whole = "\n".join(body) + more
        mentioned = set(re.findall(r"\bNUVRIK_([A-Z0-9_]+)\b", whole))
        lines = [*self._constants(mentioned), *self._facts(mentioned), *self._structs(), *self._tables(whole)]
        lines += ["/* All that changes. */", *self._state(), ""] if self._shape.roots else []
        lines += [*self._ahead(), *_sizes(whole)]
        for module, functions in self._functions:
            if functions:
                about = " ".join(plain(module.doc.split("\n\n")[0]).split())
                lines += [f"/* ---- {module.name} ---- {about} */", ""]
                lines += [line for one in functions for line in one]
        lines += more.splitlines()
        made = "\n".join([FLASH, "", *(part for line in lines for part in short(line))])
        return re.sub(r"\n{3,}", "\n\n", made)

    # ---- what numbers mean ----

    def _constants(self, mentioned: Set[str]) -> Iterator[str]:
        for module in self._program.modules:
            wanted = [one for one in module.constants if one.name in mentioned - self._apart]
            yield from constants(wanted)

    def _facts(self, mentioned: Set[str]) -> Iterator[str]:
        """What the link file says of itself."""
        known = self._program.constants
        facts = {name: value for name, value in self.said.items() if name not in known}
        facts |= {name: value for name, value in sorted(self._shape.facts.items()) if name in mentioned}
        if facts:
            yield "/* What the link file says. */"
            yield from (
                f"#define NUVRIK_{name} {number(int(value)).bracketed}" for name, value in facts.items()
            )
            yield ""

    # ---- structs, tables, objects ----

    def _structs(self) -> Iterator[str]:
        done: set[str] = set()
        wanted = list(self._shape.roots) or list(self._program.records)
        if self._shape.table is not None:
            wanted.append(type(self._shape.table).__name__)
        wanted += [width for one in self._program.routines.values() for width in one.takes.values()]
        for kind in wanted:
            if kind in self._program.records:
                yield from self._struct(self._program.records[kind], done)

    def _struct(self, record: Record, done: set[str]) -> Iterator[str]:
        """A struct, behind those that are part of it."""
        if record.name in done or record.name in self._apart or record.is_external:
            return
        done.add(record.name)
        named = record.name in self._shape.named
        for width in (record.fields if record.is_table else self._shape.kept(record)).values():
            inner = inner_of(width) or width
            if inner in self._program.records:
                yield from self._struct(self._program.records[inner], done)
        if not named:
            yield from struct(self._shape, record)

    def _tables(self, whole: str) -> Iterator[str]:
        if self._shape.table is not None:
            yield "/* The link as core runs on it: numbers only, which never change. */"
            yield from tables_of(self._shape, set(NAMES.findall(whole)))
            yield ""

    def _state(self) -> Iterator[str]:
        for kind, name in self._shape.roots.items():
            yield f"Nuvrik{kind} {name};"

    # ---- functions ----

    def _written(self, module: Module) -> Iterator[Routine]:
        """The routines of a module but for those that would make what is all zeros."""
        for routine in module.routines:
            needed = routine.owner in self._shape.roots
            if routine.name != "__init__" or needed or not begins_as_zeros(self._program, routine.owner):
                yield routine

    def _function(self, routine: Routine) -> list[str]:
        if self._shape.table is not None:
            hoist(routine.node)
        body = Body(self._shape, routine)
        lines = body.lines()
        self.unproven += body.unproven
        self.said |= body.said
        whole = routine.name == "__init__" and not self._shape.roots and routine.owner not in self._inside
        begins = ["    memset(self, 0, sizeof *self);"] if whole else []
        return [*described(routine.doc), self._signature(routine), "{", *begins, *lines, "}", ""]

    @property
    def _inside(self) -> Set[str]:
        """The classes of which objects are part of others."""
        records = self._program.records.values()
        return {inner_of(width) or width for record in records for width in record.fields.values()}

    def _signature(self, routine: Routine) -> str:
        body = Body(self._shape, routine)
        takes = []
        for name, width in routine.takes.items():
            if not self._shape.implied(width):
                own = inner_of(width) in RANGES and (routine.key, name) not in self._filled
                takes.append(f"{'const ' if own else ''}{body.declared(width)}{name}")
        if routine.owner and not self._shape.implied(routine.owner):
            const = "" if routine.key in self._changing else "const "
            takes.insert(0, f"{const}Nuvrik{routine.owner} *self")
        private = "" if self._public is None or routine.key in self._public else "static "
        return f"{private}{body.declared(routine.gives)}{c_name(routine)}({', '.join(takes) or 'void'})"

    def _ahead(self) -> Iterator[str]:
        """Declarations of what is called before it stands."""
        heads: dict[str, str] = {}
        before: set[str] = set()
        for module, _ in self._functions:
            heads |= {c_name(routine): self._signature(routine) for routine in self._written(module)}
        needed: dict[str, None] = {}
        for module, functions in self._functions:
            for routine, lines in zip(self._written(module), functions, strict=True):
                before.add(c_name(routine))
                called = re.findall(r"\b(nuvrik_\w+)\(", "\n".join(lines))
                needed |= {name: None for name in called if name in heads and name not in before}
        if self._public is None:
            needed |= dict.fromkeys(heads)
        if needed:
            yield from (f"{heads[name]};" for name in needed)
            yield ""


def whole_core(program: Program | None = None) -> Printed:
    """Core as a whole: every function can be called, every table is reached by its address."""
    program = program or Program()
    around = {
        "board",
        "boots",
        "machine.pin_writer",
        "loops.packet_radio",
        "loops.line",
        "loops.listener",
        "loops.radio_bench",
    }
    program.modules[:] = [
        one for one in program.modules if one.name not in around and one.name[-5:] != "_loop"
    ]
    return Printed(Shape(program))


def struct(shape: Shape, record: Record) -> Iterator[str]:
    """The struct of a class or of a table."""
    yield from described(record.doc)
    yield "typedef struct {"
    fields = []
    for name, width in shape.kept(record).items():
        inner = inner_of(width)
        c = RANGES[inner].c if inner in RANGES else f"Nuvrik{inner}"
        if inner and record.is_table:
            fields += [f"    const NUVRIK_FLASH {c} *{name};"] if inner not in shape.named else []
            fields += [f"    uint8_t {name}_count;"] if (record.name, name) not in shape.lengths else []
        elif inner:
            fields.append(f"    {c} {name}[{shape.room(record.name, name)}];")
        elif width in shape.program.records:
            table = shape.program.records[width].is_table
            fields.append(
                f"    {f'const NUVRIK_FLASH Nuvrik{width} *' if table else f'Nuvrik{width} '}{name};"
            )
        else:
            fields.append(f"    {RANGES[width].c} {name};")
    yield from fields or ["    uint8_t nothing;"]
    yield f"}} Nuvrik{record.name};"
    yield ""


def _sizes(whole: str) -> Iterator[str]:
    for bits in (16, 32):
        if f"nuvrik_abs{bits}(" in whole:
            yield f"static int{bits}_t nuvrik_abs{bits}(int{bits}_t x)"
            yield from ("{", f"    return (int{bits}_t)(x < 0 ? -x : x);", "}", "")


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
    around = program.externals.values()
    if any(one.name == name and {"into", "boot"} & one.takes.keys() for one in around):
        yield from node.args
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
    return text.replace("``", "")


def constants(wanted: Iterable[Constant]) -> Iterator[str]:
    """Numbers by their names: those that stand in lines one after the other are one enumeration."""
    runs = groupby(enumerate(wanted), key=lambda one: one[1].line - one[0])
    for run in [[constant for _, constant in members] for _, members in runs]:
        small = all(LIMITS["int16_t"][0] <= one.value <= LIMITS["int16_t"][1] for one in run)
        if len(run) > 1 and small:
            yield from described(run[-1].doc)
            yield f"enum {{ {', '.join(f'NUVRIK_{one.name} = {one.value}' for one in run)} }};"
        else:
            for one in run:
                yield from described(one.doc)
                yield f"#define NUVRIK_{one.name} {number(one.value).bracketed}"
        yield ""


def short(line: str) -> Iterator[str]:
    """A line of C, broken where it is too long."""
    indent = len(line) - len(line.lstrip())
    if line.lstrip().startswith("/*"):
        first, *more = textwrap.wrap(line.strip(), WIDEST - indent, subsequent_indent="   ")
        yield from (" " * indent + one for one in [first, *more])
        return
    while len(line) > WIDEST:
        marks = (" && ", " || ", " ? ", " : ", ", ", " + ", " - ", " ^ ", " & ", " | ", " = ")
        at = max(line.rfind(mark, indent + 12, WIDEST) for mark in marks)
        if at < 0:
            break
        cut = at + 2 if line[at] == "," else at + 1
        yield line[:cut].rstrip()
        line = " " * (indent + 4) + line[cut:].lstrip()
    yield line
