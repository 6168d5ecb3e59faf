"""Checked mode: core as it is, with the range of every store, argument and result asserted.

The widths prove most stores; the rest is kept small by the limits of link files, which no text can show. In
C such a store would be cut off without a word. So the tests run core like this: ``make checked``.
"""

import ast
import importlib.abc
import importlib.machinery
import importlib.util
import re
import sys
from collections.abc import Mapping, Sequence
from types import ModuleType
from typing import Any

from nuvrik.core.ranges import RANGES
from nuvrik.export.program import CORE, MODULES, Module, Program, Routine, file_of

CHECK, SMALL = "_checked", "_small"

LEAST_SMALL, MOST_SMALL = -(1 << 30), (1 << 30) - 1
"""What MicroPython keeps in a word of 32 bits. A number beyond is right too, but takes memory from its heap,
and what collects that may take its time."""

TURNING = "a count of steps crosses zero forward: 30 bits that go round, and one more before they are cut off"

MAY_SPILL = {
    "div": "a reading at the far end of a range of 65535, the most that raw may span",
    "Stepper.count_on": TURNING,
    "Stepper.limit": TURNING,
    "Stepper.rounded": TURNING,
    "steps_between": TURNING,
    "Desk.step": TURNING,
    "Desk.high_of": "what the builder's own code has returned to a request, which may have 32 bits",
}
"""The routines in which a number may be beyond that, and what has to happen for it."""


class OutOfRange(AssertionError):
    """A number in core that its width does not hold."""


def checked(value: Any, width: str, where: str) -> Any:
    """The value, if its width holds it. OutOfRange if not."""
    _, low, high = RANGES[width]
    right = isinstance(value, int) and isinstance(value, bool) == (width == "bool")
    if not right or not low <= value <= high:
        raise OutOfRange(f"{where}: {value!r} is not in {width}, {low} to {high}")
    return value


def small(value: int, where: str) -> int:
    """The value, if it is small on every chip. OutOfRange if not."""
    if not LEAST_SMALL <= value <= MOST_SMALL and where not in MAY_SPILL:
        raise OutOfRange(f"{where}: {value} is beyond the 31 bits of MicroPython's small numbers")
    return value


class _Checks(ast.NodeTransformer):
    """Puts ``checked`` around everything in one routine that is stored, given or returned with a width, and
    ``small`` around whatever is worked out on the way."""

    def __init__(self, program: Program, routine: Routine) -> None:
        self._program, self._routine = program, routine
        self._widths = dict(routine.takes)

    def done(self) -> None:
        node = self._routine.node
        entry = [
            ast.Expr(self._around(ast.Name(name, ast.Load()), width, name))
            for name, width in self._routine.takes.items()
            if width in RANGES
        ]
        node.body = [*entry, *(self.visit(one) for one in node.body)]

    def _around(self, value: ast.expr, width: str, name: str) -> ast.expr:
        if width not in RANGES:
            return value
        where = ast.Constant(f"{self._routine.key}: {name}")
        return ast.Call(ast.Name(CHECK, ast.Load()), [value, ast.Constant(width), where], [])

    def _width(self, target: ast.expr) -> str:
        if isinstance(target, ast.Subscript):
            return self._width(target.value)[5:-1]
        if isinstance(target, ast.Attribute):
            path = ast.unparse(target).split(".")
            owner = self._widths.get(path[0], self._routine.owner)
            for name in path[1:-1]:
                owner = re.sub(r"^list\[|\]$", "", self._program.records[owner].fields[name.split("[")[0]])
            return self._program.records[owner].fields[target.attr]
        return self._widths[ast.unparse(target)]

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        width, name = ast.unparse(node.annotation), ast.unparse(node.target)
        self._widths[name] = width
        assert node.value is not None
        node.value = self._around(self.visit(node.value), width, name)
        return node

    def visit_Assign(self, node: ast.Assign) -> ast.AST:
        width, name = self._width(node.targets[0]), ast.unparse(node.targets[0])
        node.value = self._around(self.visit(node.value), width, name)
        return node

    def visit_AugAssign(self, node: ast.AugAssign) -> ast.AST:
        load = ast.parse(ast.unparse(node.target), mode="eval").body
        width, name = self._width(node.target), ast.unparse(node.target)
        value = self._around(self.visit(ast.BinOp(load, node.op, node.value)), width, name)
        return ast.Assign([node.target], value)

    def visit_Return(self, node: ast.Return) -> ast.AST:
        if node.value is not None:
            node.value = self._around(self.visit(node.value), self._routine.gives, "what is returned")
        return node

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        if isinstance(node.left, ast.List):
            return node
        self.generic_visit(node)
        return ast.Call(ast.Name(SMALL, ast.Load()), [node, ast.Constant(self._routine.key)], [])


def compiled(program: Program, module: Module) -> Any:
    """The code of a module of core with its checks."""
    for routine in module.routines:
        _Checks(program, routine).done()
    return compile(ast.fix_missing_locations(module.tree), str(CORE / file_of(module.name)), "exec")


class Finder(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Gives the modules of core with their checks, or modules given as texts."""

    def __init__(self, texts: Mapping[str, str] | None = None) -> None:
        self._program = Program(texts)
        self._code = {
            f"nuvrik.core.{one.name}": compiled(self._program, one) for one in self._program.modules
        }

    def find_spec(
        self, fullname: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> importlib.machinery.ModuleSpec | None:
        """Ours, for a module that has checks."""
        return importlib.util.spec_from_loader(fullname, self) if fullname in self._code else None

    def exec_module(self, module: ModuleType) -> None:
        """Run it, with what it calls."""
        module.__dict__[CHECK], module.__dict__[SMALL] = checked, small
        exec(self._code[module.__name__], module.__dict__)


def install() -> None:
    """Let every import of core from now on be checked. RuntimeError if core has been imported already."""
    early = [name for name in MODULES if f"nuvrik.core.{name}" in sys.modules]
    if early:
        raise RuntimeError(f"core/{file_of(early[0])} has been imported before checked mode was put on")
    sys.meta_path.insert(0, Finder())
