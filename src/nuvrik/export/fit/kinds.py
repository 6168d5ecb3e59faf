"""Of which class or width every expression of a routine is."""

import ast
from collections.abc import Iterable

from nuvrik.core.ranges import RANGES
from nuvrik.export.fit.trees import is_narrowed, walk
from nuvrik.export.program import Program, Routine

WORDS = ("len", "abs", "range", "bytearray")
"""What core calls of Python itself."""


class Kinds:
    """What is known of the names of one routine: its parameters, and the locals that it annotates."""

    def __init__(self, program: Program, routine: Routine, nodes: Iterable[ast.AST] = ()) -> None:
        self._program = program
        self._names = {"self": routine.owner, **routine.takes}
        for node in nodes or walk(routine.node):
            if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name):
                self._names[node.target.id] = ast.unparse(node.annotation)
            elif isinstance(node, ast.comprehension) and isinstance(node.target, ast.Name):
                self._names[node.target.id] = inner_of(self.of(node.iter))
            elif isinstance(node, ast.For) and isinstance(node.target, ast.Name):
                self._names[node.target.id] = inner_of(self.of(node.iter)) or "u8"

    def knows(self, name: str) -> bool:
        """Whether that is a parameter or a local."""
        return name in self._names

    def fresh(self, name: str, width: str) -> str:
        """A local more, of that name or one like it, which nothing has yet."""
        number, made = 2, name
        while made in self._names or made in self._program.routines or made in WORDS:
            made = f"{name}_{number}"
            number += 1
        self._names[made] = width
        return made

    def of(self, node: ast.expr) -> str:
        """A class, a width, ``list[...]`` of one, or "" for what is neither."""
        if isinstance(node, ast.Name):
            return self._names.get(node.id, "")
        if isinstance(node, ast.Attribute):
            record = self._program.records.get(self.of(node.value))
            return record.fields.get(node.attr, "") if record else ""
        if isinstance(node, ast.Subscript):
            return inner_of(self.of(node.value))
        if isinstance(node, ast.IfExp):
            return self.of(node.body) or self.of(node.orelse)
        if is_narrowed(node):
            return ast.unparse(node.func)
        if isinstance(node, ast.Call):
            key = self.key_of(node)
            if key in self._program.records:
                return key
            routine = self._program.called(key)
            return routine.gives if routine else ""
        return ""

    def fits(self, node: ast.expr, width: str) -> bool:
        """Whether nothing that an expression can be is beyond a width; what is no number always fits."""
        if width not in RANGES or isinstance(node, ast.Constant | ast.Compare | ast.BoolOp):
            return True
        if isinstance(node, ast.IfExp):
            return self.fits(node.body, width) and self.fits(node.orelse, width)
        of = RANGES.get(self.of(node))
        return of is not None and RANGES[width].low <= of.low and of.high <= RANGES[width].high

    def key_of(self, node: ast.Call) -> str:
        """What a call calls: a function, ``Class.method`` or a class, by its key in the program; "" for what
        is not core's."""
        if isinstance(node.func, ast.Name):
            name = node.func.id
            return name if name in self._program.routines or name in self._program.records else ""
        if isinstance(node.func, ast.Attribute):
            owner = self.of(node.func.value)
            return f"{owner}.{node.func.attr}" if owner in self._program.records else ""
        return ""


def inner_of(width: str) -> str:
    """What a list is a list of."""
    return width[5:-1] if width.startswith("list[") else ""
