"""What a link says of itself, put where it is asked for; and what can never come to pass then, left out."""

import ast
import copy
import operator
from collections.abc import Callable
from typing import Any, NamedTuple

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.fit.live import Live
from nuvrik.export.fit.missing import CONSTANTS, missing_in
from nuvrik.export.fit.trees import is_narrowed, stored_in, walk, with_notes
from nuvrik.export.program import Program, Routine, notes_of, snake
from nuvrik.plan.tables.sizes import by_kind, sizes_of

BINARY: dict[type[ast.operator], Callable[[int, int], int]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.FloorDiv: operator.floordiv,
    ast.LShift: operator.lshift,
    ast.RShift: operator.rshift,
    ast.BitAnd: operator.and_,
    ast.BitOr: operator.or_,
    ast.BitXor: operator.xor,
}
IDLE: dict[type[ast.operator], int] = {
    **dict.fromkeys((ast.Add, ast.Sub, ast.LShift, ast.RShift, ast.BitOr, ast.BitXor), 0),
    **dict.fromkeys((ast.Mult, ast.FloorDiv), 1),
}
"""What changes no number on the right of a sign. A list of one is made by its sign all the same."""

COMPARED: dict[type[ast.cmpop], Callable[[int, int], bool]] = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
}


class Known(NamedTuple):
    """What a link says: constants with its own rooms; fields that are the same in all tables of a kind, what
    the others may be, and lists that are equally long in all of them; kinds that it does without; and, as
    they are found, fields of states that never change, and routines that always give the same."""

    constants: dict[str, int]
    fields: dict[tuple[str, str], int]
    values: dict[tuple[str, str], frozenset[int]]
    lengths: dict[tuple[str, str], int]
    missing: frozenset[str]
    still: dict[tuple[str, str], int]
    results: dict[str, ast.Constant]


def known_of(table: Table, program: Program) -> Known:
    """What the tables of an end say."""
    constants = {name: one.value for name, one in program.constants.items()}
    constants |= {name: most for name, most in sizes_of(table).items() if name in constants}
    fields: dict[tuple[str, str], int] = {}
    values_of: dict[tuple[str, str], frozenset[int]] = {}
    lengths: dict[tuple[str, str], int] = {}
    for kind, ones in by_kind(table).items():
        for field, width in program.records[kind].fields.items():
            values = [getattr(one, field) for one in ones]
            if width.startswith("list["):
                if len({len(value) for value in values}) == 1:
                    lengths[kind, field] = len(values[0])
            elif width in RANGES and len(set(map(int, values))) == 1:
                fields[kind, field] = values[0] if width == "bool" else int(values[0])
            elif width in RANGES and width != "bool":
                values_of[kind, field] = frozenset(map(int, values))
    return Known(constants, fields, values_of, lengths, frozenset(missing_in(table, program)), {}, {})


class Fold(ast.NodeTransformer):
    """Folds one routine."""

    def __init__(self, routine: Routine, known: Known, live: Live) -> None:
        self._kinds = live.kinds[routine.key]
        self._known, self._pure = known, live.pure
        # Locals that are stored once: a number that is known, or what a field holds.
        once = stored_once(routine.node)
        self._locals = {name: value for name, value in once.items() if isinstance(value, ast.Constant)}
        self._read_once = {name: value for name, value in once.items() if isinstance(value, ast.Attribute)}
        self._not: dict[str, frozenset[int]] = {}

    # ---- expressions ----

    def visit_Name(self, node: ast.Name) -> ast.expr:
        """A constant of core, or a local that never changes."""
        if isinstance(node.ctx, ast.Load):
            if node.id in self._locals:
                return copy.copy(self._locals[node.id])
            if not self._kinds.knows(node.id) and node.id in self._known.constants:
                return _said(self._known.constants[node.id], node.id)
        return node

    def visit_Attribute(self, node: ast.Attribute) -> ast.expr:
        """A field that is the same everywhere."""
        if isinstance(node.ctx, ast.Load):
            key = self._kinds.of(node.value), node.attr
            if key in self._known.fields:
                return _said(self._known.fields[key], macro_of(*key))
            if key in self._known.still:
                return ast.Constant(self._known.still[key])
        node.value = self.visit(node.value)
        return node

    def visit_Call(self, node: ast.Call) -> ast.expr:
        """The length of a list that is known, or a routine that always gives the same."""
        if (
            isinstance(node.func, ast.Name)
            and node.func.id == "len"
            and isinstance(node.args[0], ast.Attribute)
        ):
            length = self._length(node.args[0])
            if length is not None:
                return ast.Constant(length)
        key = self._kinds.key_of(node)
        if isinstance(node.func, ast.Attribute):
            node.func.value = self.visit(node.func.value)
        node.args = [self.visit(one) for one in node.args]
        if is_narrowed(node) and self._kinds.fits(node.args[0], node.func.id):  # type: ignore[attr-defined]
            return node.args[0]
        if (
            isinstance(node.func, ast.Name)
            and node.func.id == "abs"
            and isinstance(node.args[0], ast.Constant)
        ):
            return ast.Constant(abs(node.args[0].value))  # type: ignore[arg-type]
        if key in self._known.results and all(self._pure(one, self._kinds) for one in node.args):
            return copy.copy(self._known.results[key])
        return node

    def _length(self, node: ast.Attribute) -> int | None:
        """How long a list of a table is, if that is known."""
        return self._known.lengths.get((self._kinds.of(node.value), node.attr))

    def visit_ListComp(self, node: ast.ListComp) -> ast.expr:
        """One for each of none."""
        of = node.generators[0].iter
        if isinstance(of, ast.Attribute) and self._length(of) == 0:
            return ast.List([], ast.Load())
        self.generic_visit(node)
        return node

    def visit_Compare(self, node: ast.Compare) -> ast.expr:
        """Of a kind that the link does without, nothing is."""
        right, op = node.comparators[0], node.ops[0]
        if isinstance(right, ast.Name) and right.id in self._known.missing & CONSTANTS:
            if isinstance(op, ast.Eq):
                return ast.Constant(False)
            if isinstance(op, ast.NotEq):
                return ast.Constant(True)
        self.generic_visit(node)
        left, right = node.left, node.comparators[0]
        if isinstance(left, ast.Constant) and isinstance(right, ast.Constant) and type(op) in COMPARED:
            return ast.Constant(COMPARED[type(op)](left.value, right.value))  # type: ignore[arg-type]
        may_be = self._may_be(left)
        if may_be is not None and isinstance(right, ast.Constant) and isinstance(op, ast.Eq | ast.NotEq):
            is_it = right.value in may_be
            if not is_it or len(may_be) == 1:
                return ast.Constant(is_it == isinstance(op, ast.Eq))
        kept = RANGES.get(self._kinds.of(left))
        if kept and kept.low == 0 and isinstance(right, ast.Constant) and right.value == 0:
            if isinstance(op, ast.GtE):
                return ast.Constant(True)
            if isinstance(op, ast.Lt):
                return ast.Constant(False)
        return node

    def visit_BinOp(self, node: ast.BinOp) -> ast.expr:
        """Sums of what is known."""
        self.generic_visit(node)
        left, right = node.left, node.right
        if isinstance(node.op, ast.FloorDiv) and isinstance(right, ast.Constant) and right.value == 0:
            return ast.Constant(0)  # nobody comes here: the text would raise
        if isinstance(left, ast.Constant) and isinstance(right, ast.Constant) and type(node.op) in BINARY:
            return ast.Constant(BINARY[type(node.op)](left.value, right.value))  # type: ignore[arg-type]
        changes = not isinstance(right, ast.Constant) or IDLE.get(type(node.op)) != right.value
        if not changes and not isinstance(left, ast.List):
            return left
        return node

    def visit_UnaryOp(self, node: ast.UnaryOp) -> ast.expr:
        """Not, or less than nothing."""
        self.generic_visit(node)
        if isinstance(node.operand, ast.Constant):
            value: Any = node.operand.value
            return ast.Constant(not value if isinstance(node.op, ast.Not) else -value)
        return node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.expr:
        """What decides at once, and what does not matter."""
        ends = isinstance(node.op, ast.Or)
        kept: list[ast.expr] = []
        for one in node.values:
            value = self.visit(one)
            if isinstance(value, ast.Constant):
                if bool(value.value) == ends:
                    kept.append(value)
                    break
                continue
            kept.append(value)
        # What comes before one that decides may be left out if it does nothing.
        if kept and isinstance(kept[-1], ast.Constant):
            while len(kept) > 1 and self._pure(kept[-2], self._kinds):
                del kept[-2]
        if len(kept) < 2:
            return kept[0] if kept else ast.Constant(not ends)
        node.values = kept
        return node

    def visit_IfExp(self, node: ast.IfExp) -> ast.expr:
        """The one or the other."""
        node.test = self.visit(node.test)
        if isinstance(node.test, ast.Constant):
            return self.visit(node.body if node.test.value else node.orelse)  # type: ignore[no-any-return]
        node.body, node.orelse = self.visit(node.body), self.visit(node.orelse)
        return node

    # ---- what a field of a table can be at a place ----

    def _may_be(self, node: ast.expr) -> frozenset[int] | None:
        """What a field of a table may be here, or a local that was read from one; None for anything else."""
        field = self._read_once.get(node.id) if isinstance(node, ast.Name) else node
        if not isinstance(field, ast.Attribute):
            return None
        values = self._known.values.get((self._kinds.of(field.value), field.attr))
        return None if values is None else values - self._not.get(ast.unparse(node), frozenset())

    def _tested(self, test: ast.expr) -> tuple[str, frozenset[int], frozenset[int]] | None:
        """A field that is compared with a number: as it is written, what it is where that is true, and where
        not."""
        if not (isinstance(test, ast.Compare) and isinstance(test.comparators[0], ast.Constant)):
            return None
        may_be, op = self._may_be(test.left), test.ops[0]
        if may_be is None or not isinstance(op, ast.Eq | ast.NotEq):
            return None
        it = may_be & {test.comparators[0].value}
        return ast.unparse(test.left), *((it, may_be - it) if isinstance(op, ast.Eq) else (may_be - it, it))

    def _where(self, what: tuple[str, frozenset[int]] | None, body: list[ast.stmt]) -> list[ast.stmt]:
        """What is left of a block in which a field can only be so."""
        if what is None:
            return self.block(body)
        text, may_be = what
        base = text.split(".")[0]
        if base != "self" and any(base in stored_in(one) for one in body):
            return self.block(body)
        before = self._not
        every = frozenset(value for values in self._known.values.values() for value in values)
        self._not = {**before, text: every - may_be}
        left = self.block(body)
        self._not = before
        return left

    # ---- statements ----

    def block(self, body: list[ast.stmt]) -> list[ast.stmt]:
        """What is left of a block."""
        made: list[ast.stmt] = []
        for at, one in enumerate(body):
            left = self.visit(one)
            if isinstance(left, ast.stmt) and self._asks_for_none(left):
                break
            made += left if isinstance(left, list) else [left] if left is not None else []
            if made and isinstance(made[-1], ast.Return):
                break
            if isinstance(left, ast.If) and not left.orelse and isinstance(left.body[-1], ast.Return):
                tested = self._tested(left.test)
                if tested is not None and at + 1 < len(body):
                    # What follows is reached only where that was not so.
                    return [*made, *self._where((tested[0], tested[2]), body[at + 1 :])]
        return made

    def _asks_for_none(self, node: ast.stmt) -> bool:
        """Whether a statement looks into a list of none: then nobody ever comes to it."""
        value = getattr(node, "value", None)
        if not isinstance(node, ast.AnnAssign | ast.Assign | ast.Expr | ast.Return) or value is None:
            return False
        if any(isinstance(one, ast.IfExp | ast.BoolOp) for one in walk(value)):
            return False
        places = [one.value for one in walk(value) if isinstance(one, ast.Subscript)]
        return any(isinstance(one, ast.Attribute) and self._length(one) == 0 for one in places)

    def visit_If(self, node: ast.If) -> Any:
        """The branch that is taken, or what is left of both."""
        node.test = self.visit(node.test)
        if isinstance(node.test, ast.Constant):
            return with_notes(self.block(node.body if node.test.value else node.orelse), notes_of(node))
        tested = self._tested(node.test)
        node.body = self._where(tested and (tested[0], tested[1]), node.body)
        node.orelse = self._where(tested and (tested[0], tested[2]), node.orelse)
        if not node.body and not node.orelse:
            return None if self._pure(node.test, self._kinds) else ast.Expr(node.test)
        if not node.body:
            node.test, node.body, node.orelse = ast.UnaryOp(ast.Not(), node.test), node.orelse, []
        return node

    def visit_For(self, node: ast.For) -> Any:
        """A loop that turns, and does something."""
        node.iter = self.visit(node.iter)
        if isinstance(node.iter, ast.Call) and ast.unparse(node.iter) == "range(0)":
            return None
        if isinstance(node.iter, ast.Attribute) and self._length(node.iter) == 0:
            return None
        node.body = self.block(node.body)
        return node if node.body or not self._pure(node.iter, self._kinds) else None

    def visit_While(self, node: ast.While) -> Any:
        """The same."""
        node.test = self.visit(node.test)
        if isinstance(node.test, ast.Constant) and not node.test.value:
            return None
        node.body = self.block(node.body)
        return node

    def visit_Expr(self, node: ast.Expr) -> Any:
        """Something that is done, and no text."""
        node.value = self.visit(node.value)
        return None if self._pure(node.value, self._kinds) else node

    def visit_Pass(self, node: ast.Pass) -> Any:
        """Nothing."""
        return None

    def visit_AnnAssign(self, node: ast.AnnAssign) -> Any:
        """A store with a width. A local that never changes is where it is asked for already."""
        if isinstance(node.target, ast.Name) and node.target.id in self._locals:
            return None
        node.target = self.visit(node.target)
        if node.value is not None:
            node.value = self.visit(node.value)
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> Any:
        """The whole."""
        node.body = self.block(node.body)
        while node.body and isinstance(node.body[-1], ast.Return) and node.body[-1].value is None:
            del node.body[-1]
        return node


def _said(value: int, name: str) -> ast.Constant:
    """A number that remembers what it was called, for people who read what is printed."""
    made = ast.Constant(value)
    made.said = name  # type: ignore[attr-defined]
    return made


def macro_of(kind: str, field: str) -> str:
    """What a field of a table is called where a link says of it once and for all what it comes to."""
    return f"{snake(kind.removesuffix('Table')).upper()}_{field.upper()}"


def stored_once(node: ast.FunctionDef) -> dict[str, ast.expr]:
    """Locals that are stored once, and what."""
    stores: dict[str, list[ast.expr | None]] = {}
    for one in walk(node):
        if isinstance(one, ast.AnnAssign) and isinstance(one.target, ast.Name):
            stores.setdefault(one.target.id, []).append(one.value)
        elif isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store):
            stores.setdefault(one.id, []).append(None)
    # An annotated store is walked twice: as such, and as a name.
    return {name: value for name, (value, *more) in stores.items() if len(more) == 1 and value is not None}
