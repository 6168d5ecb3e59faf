"""What does not belong into core: where it stands, what it is, and what to write instead.

``python -m nuvrik.export.subset`` is part of ``make lint``. Most of it comes from the translation itself,
which refuses whatever it cannot be sure of; here stands what C would take and the rules of core do not.
"""

import ast
import sys
from collections.abc import Iterator, Mapping
from typing import NamedTuple

from nuvrik.core.ranges import RANGES
from nuvrik.export.body import Body
from nuvrik.export.program import (
    CORE,
    MODULES,
    Module,
    Outside,
    Program,
    Routine,
    file_of,
    name_of,
    read,
    text_of,
)
from nuvrik.export.shape import Shape
from nuvrik.plan.build_tags import HANDSET_ONLY, SECTION_OF

C_WORDS = frozenset(
    """asm auto bool break case catch char class const continue default delete do double else enum explicit
    extern false float for friend goto if inline int long mutable namespace new operator private protected
    public register restrict return short signed sizeof static struct switch template this throw true try
    typedef typename union unsigned using virtual void volatile while""".split()  # noqa: SIM905
)
"""Words of C99 and C++11; as names they would read well in Python and not compile elsewhere."""

WITHOUT_RULES = ("widths", "ranges", "machine.states")
"""The modules of core that are not in the subset."""


class Trouble(NamedTuple):
    """One thing that has to be written otherwise."""

    module: str
    line: int
    what: str
    instead: str

    def __str__(self) -> str:
        return f"core/{file_of(self.module)}:{self.line}: {self.what}\n    -> {self.instead}"


def check(texts: Mapping[str, str] | None = None) -> list[Trouble]:
    """Everything in core, or in modules of the same form given as texts, that is outside the subset.

    >>> check()
    []
    """
    if texts is None:
        texts = {name: text_of(name) for name in MODULES}
    found: list[Trouble] = []
    for name, text in texts.items():
        try:
            read(name, text)
        except Outside as problem:
            found.append(Trouble(name, problem.line, problem.what, problem.instead))
    if found:
        return found
    program = Program(texts)
    shape = Shape(program)
    taken: dict[str, str] = {}
    for at, module in enumerate(program.modules):
        found += [
            Trouble(module.name, node.lineno, what, instead)
            for node, what, instead in (
                *_imports(module, tuple(texts)[:at]),
                *_names(module, taken),
                *_records(program, module),
                *_timers(module),
                *_sections(module),
            )
        ]
        for routine in module.routines:
            found += _translated(shape, module, routine)
    return found


Found = Iterator[tuple[ast.stmt, str, str]]


def _imports(module: Module, below: tuple[str, ...]) -> Found:
    allowed = {f"nuvrik.core.{name}" for name in (*below, "widths")}
    for node in ast.walk(module.tree):
        if isinstance(node, ast.Import):
            yield node, f"import {node.names[0].name}", "from nuvrik.core.FOLDER.MODULE import NAME"
        if isinstance(node, ast.ImportFrom) and node.module not in allowed:
            yield node, f"an import from {node.module}", f"import from {', '.join(sorted(allowed))}"


def _names(module: Module, taken: dict[str, str]) -> Found:
    """No name twice: in C all of core is one program."""
    for node in module.tree.body:
        name = getattr(node, "name", "") or (
            ast.unparse(node.targets[0]) if isinstance(node, ast.Assign) else ""
        )
        if name.lower() in taken:
            yield (
                node,
                f"{name} is a name of {taken[name.lower()]} too",
                "all of core shares its names: choose another",
            )
        elif name:
            taken[name.lower()] = f"core/{file_of(module.name)}"
    for part in ast.walk(module.tree):
        for one in _declared(part):
            if one in C_WORDS or (one in RANGES and not isinstance(part, ast.AnnAssign)):
                where = ast.copy_location(ast.Pass(), part)
                yield where, f"{one} is a word of C or a width", "choose another name"


def _sections(module: Module) -> Found:
    """Every table belongs to a build tag, or to no machine."""
    for node in module.tree.body:
        named = isinstance(node, ast.ClassDef) and [ast.unparse(one) for one in node.bases] == ["Table"]
        if named and node.name not in SECTION_OF and node.name not in HANDSET_ONLY.split():  # type: ignore[attr-defined]
            instead = "name it in plan/build_tags.py: SECTIONS, or HANDSET_ONLY"
            yield node, f"{node.name} has no section", instead  # type: ignore[attr-defined]


def _declared(node: ast.AST) -> list[str]:
    if isinstance(node, ast.arg):
        return [node.arg]
    if isinstance(node, ast.AnnAssign):
        return [node.target.attr if isinstance(node.target, ast.Attribute) else ast.unparse(node.target)]
    return [node.name] if isinstance(node, ast.FunctionDef) else []


def _records(program: Program, module: Module) -> Found:
    """Tables are fields and nothing else; a state is an __init__ that only stores fields, and methods."""
    for node in module.tree.body:
        if not isinstance(node, ast.ClassDef):
            continue
        record = program.records[node.name]
        for one in node.body[1 if record.doc else 0 :]:
            if record.is_table and not isinstance(one, ast.AnnAssign):
                yield (
                    one,
                    f"{node.name} is a table and has more than fields",
                    "write a function that takes it",
                )
            if not record.is_table and not isinstance(one, ast.FunctionDef):
                yield one, f"{node.name} has something beside methods", "fields are stored in __init__"
            if isinstance(one, ast.FunctionDef) and one.name == "__init__":
                for store in one.body:
                    if not (isinstance(store, ast.AnnAssign) and isinstance(store.target, ast.Attribute)):
                        yield store, "__init__ does more than store fields", "write self.name: WIDTH = VALUE"
        for name, width in record.fields.items():
            inner = width[5:-1] if width.startswith("list[") else width
            room = record.rooms.get(name, "0")
            if not room.isdigit() and room not in program.constants:
                yield node, f"{node.name}.{name} has no {room}", "say in core/sizes.py how many there may be"
            if inner not in RANGES and inner not in program.records:
                yield (
                    node,
                    f"{node.name}.{name} has no width that is known: {width}",
                    f"use {', '.join(RANGES)}",
                )


def _timers(module: Module) -> Found:
    """A timer grows through later(), which stops at the most it can hold."""
    for node in ast.walk(module.tree):
        if not isinstance(node, ast.Assign | ast.AugAssign):
            continue
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        sums = isinstance(node, ast.AugAssign) or isinstance(node.value, ast.BinOp)
        if isinstance(target, ast.Attribute) and target.attr.endswith("_ms") and sums:
            yield (
                node,
                f"{target.attr} is counted by hand",
                f"{ast.unparse(target)} = later({ast.unparse(target)}, dt_ms)",
            )


def _translated(shape: Shape, module: Module, routine: Routine) -> Iterator[Trouble]:
    try:
        Body(shape, routine).lines()
    except Outside as problem:
        yield Trouble(module.name, problem.line or routine.node.lineno, problem.what, problem.instead)
    parameters = [one.arg for one in routine.node.args.args]
    uses_self = any(isinstance(one, ast.Name) and one.id == "self" for one in ast.walk(routine.node))
    if "self" in parameters and not uses_self:
        yield Trouble(
            module.name, routine.node.lineno, f"{routine.key} does not use self", "make it a function"
        )


def unread() -> list[str]:
    """Modules of core that nobody checks or translates, because they are not listed."""
    there = {name_of(file) for file in CORE.rglob("*.py") if file.name != "__init__.py"} - {*WITHOUT_RULES}
    return sorted(there ^ set(MODULES))


def main() -> int:
    """Print what is outside the subset; 1 if anything is."""
    found = [
        *map(str, check()),
        *(f"core/{file_of(name)} is not in MODULES of export/program.py" for name in unread()),
    ]
    for one in found:
        print(one, file=sys.stderr)
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
