"""Loops over what is known of a link, written out turn by turn; then the numbers of each turn stand in it,
and a division by one of them is a product and a shift. That is where the time of a frame goes on a small
chip: its channels are unpacked in a loop, and each is divided by what its bits can say.

A loop that is written out takes more room in flash than it did, so only those are that every frame runs
through: over channels always, over what a drive frame needs and what outputs are mixed of where that is
little."""

import ast
import copy
from collections.abc import Mapping, Sequence
from typing import Any

from nuvrik.core.levels import FULL
from nuvrik.core.widths import Table
from nuvrik.export.fit.fold import BINARY
from nuvrik.export.fit.kinds import Kinds
from nuvrik.export.fit.trees import Put, stored_in, walk, with_notes
from nuvrik.export.program import notes_of

ALWAYS = frozenset(("channels",))
WHERE_SMALL = frozenset(("required", "terms", "route"))
"""The fields of tables whose loops are written out."""

MOST_TERMS = 4
"""A machine whose outputs are mixed of more keeps the loops over them: marram with its ten would take a
kilobyte more, and save a sixth of a frame."""

MOST_TURNS = 8
"""A link with more channels than that has room for a loop, and needs it: each turn takes some fifty bytes."""

PORTION = "portion"
"""The routine of core that divides by what the bits of a channel can say."""


def fields_of(tables: Mapping[str, Sequence[Table]]) -> frozenset[str]:
    """The fields whose loops are written out for a link, from its tables by kind."""
    return ALWAYS | WHERE_SMALL if len(tables.get("Term", ())) <= MOST_TERMS else ALWAYS


def unroll(node: ast.FunctionDef, kinds: Kinds, only: Mapping[str, Table], fields: frozenset[str]) -> None:
    """Write the loops of a routine out that go over some ``fields``. ``only``: the tables of which there is
    one of a kind."""
    node.body = _Unrolled(kinds, only, fields).block(node.body)


def resolve(node: ast.FunctionDef, kinds: Kinds, only: Mapping[str, Table]) -> None:
    """Put the numbers of known tables where they are asked for, and those of locals that are known at a
    place."""
    _Resolved(kinds, only).visit(node)
    _propagated(node.body, {})
    _Products(kinds).visit(node)


def known(node: ast.expr, kinds: Kinds, only: Mapping[str, Table]) -> Any:
    """The table, list or number that an expression is for ever; None for what may change."""
    kind = kinds.of(node)
    if kind in only:
        return only[kind]
    if isinstance(node, ast.Attribute):
        of = known(node.value, kinds, only)
        return getattr(of, node.attr, None) if isinstance(of, Table) else None
    if isinstance(node, ast.Subscript) and isinstance(node.slice, ast.Constant):
        ones, at = known(node.value, kinds, only), node.slice.value
        return ones[at] if isinstance(ones, list) and isinstance(at, int) and at < len(ones) else None
    return None


class _Unrolled(ast.NodeTransformer):
    """Writes loops out."""

    def __init__(self, kinds: Kinds, only: Mapping[str, Table], fields: frozenset[str]) -> None:
        self._kinds, self._only, self._fields = kinds, only, fields

    def block(self, body: list[ast.stmt]) -> list[ast.stmt]:
        made: list[ast.stmt] = []
        for one in body:
            left = self.visit(one)
            made += left if isinstance(left, list) else [left]
        return made

    def visit_If(self, node: ast.If) -> ast.stmt:
        node.body, node.orelse = self.block(node.body), self.block(node.orelse)
        return node

    def visit_While(self, node: ast.While) -> ast.stmt:
        node.body = self.block(node.body)
        return node

    def visit_For(self, node: ast.For) -> Any:
        assert isinstance(node.target, ast.Name)
        turns = self._turns(node)
        if turns is None:
            node.body = self.block(node.body)
            return node
        made: list[ast.stmt] = []
        for at, item in enumerate(turns):
            put = Put({node.target.id: item})
            body = _without_tables(
                [put.visit(copy.deepcopy(one)) for one in node.body], self._kinds, self._only
            )
            if at == 0:
                with_notes(body, notes_of(node))
            else:
                for one in [each for part in body for each in walk(part)]:
                    one.notes = []  # type: ignore[attr-defined]
            made += self.block(body)
        return made

    def _turns(self, node: ast.For) -> list[ast.expr] | None:
        """What a loop goes over, if that is known and worth it."""
        asked = {one.attr for one in walk(node) if isinstance(one, ast.Attribute)}
        ends = any(isinstance(one, ast.Break | ast.Continue) for one in walk(node))
        if ends or not asked & self._fields:
            return None
        if isinstance(node.iter, ast.Attribute):
            ones = known(node.iter, self._kinds, self._only)
            if isinstance(ones, list) and len(ones) <= MOST_TURNS:
                return [ast.Subscript(node.iter, ast.Constant(at), ast.Load()) for at in range(len(ones))]
            return None
        assert isinstance(node.iter, ast.Call) and isinstance(node.target, ast.Name)
        count, name = node.iter.args[0], node.target.id
        if not isinstance(count, ast.Constant) or not 0 < count.value <= MOST_TURNS:  # type: ignore[operator]
            return None
        looked_up = [
            one.value for one in walk(node) if isinstance(one, ast.Subscript) and _is(one.slice, name)
        ]
        if any(isinstance(known(one, self._kinds, self._only), list) for one in looked_up):
            return [ast.Constant(at) for at in range(count.value)]  # type: ignore[arg-type]
        return None


def _is(node: ast.expr, name: str) -> bool:
    return isinstance(node, ast.Name) and node.id == name


def _without_tables(body: list[ast.stmt], kinds: Kinds, only: Mapping[str, Table]) -> list[ast.stmt]:
    """A block without locals that only name a known table."""
    for at, one in enumerate(body):
        if isinstance(one, ast.AnnAssign) and isinstance(one.target, ast.Name) and one.value is not None:
            if not isinstance(known(one.value, kinds, only), Table):
                continue
            put = Put({one.target.id: one.value})
            rest = [put.visit(each) for each in body[at + 1 :]]
            return [*body[:at], *_without_tables(with_notes(rest, notes_of(one)), kinds, only)]
    return body


class _Resolved(ast.NodeTransformer):
    """Numbers in the place of fields of known tables."""

    def __init__(self, kinds: Kinds, only: Mapping[str, Table]) -> None:
        self._kinds, self._only = kinds, only

    def _look(self, node: ast.Attribute | ast.Subscript) -> ast.expr:
        if isinstance(node.ctx, ast.Load):
            value = known(node, self._kinds, self._only)
            if isinstance(value, int):
                return ast.Constant(value if isinstance(value, bool) else int(value))
        self.generic_visit(node)
        return node

    visit_Attribute = visit_Subscript = _look


def _propagated(body: list[ast.stmt], numbers: dict[str, ast.Constant]) -> None:
    """Put locals that are a number at a place there, from the top of a block to its end."""
    for at, one in enumerate(body):
        inner = [block for name in ("body", "orelse") if (block := getattr(one, name, None))]
        if inner:
            if isinstance(one, ast.For | ast.While):
                # A turn of it may have changed what the next one begins with.
                numbers = {name: value for name, value in numbers.items() if name not in stored_in(one)}
            for name in ("test", "iter"):
                if hasattr(one, name):
                    setattr(one, name, _Numbers(numbers).visit(getattr(one, name)))
            for block in inner:
                _propagated(block, dict(numbers))
            numbers = {name: value for name, value in numbers.items() if name not in stored_in(one)}
            continue
        if isinstance(one, ast.AugAssign):
            one.value = _Numbers(numbers).visit(one.value)
            if isinstance(one.target, ast.Name):
                before, op, more = numbers.pop(one.target.id, None), type(one.op), one.value
                if before is not None and isinstance(more, ast.Constant) and op in BINARY:
                    number = BINARY[op](before.value, more.value)  # type: ignore[arg-type]
                    body[at] = with_notes([ast.Assign([one.target], ast.Constant(number))], notes_of(one))[0]
                    numbers[one.target.id] = ast.Constant(number)
            continue
        _Numbers(numbers).visit(one)
        target = one.targets[0] if isinstance(one, ast.Assign) else getattr(one, "target", None)
        if isinstance(target, ast.Name):
            numbers.pop(target.id, None)
            if isinstance(one.value, ast.Constant):  # type: ignore[attr-defined]
                numbers[target.id] = one.value  # type: ignore[attr-defined]


class _Numbers(ast.NodeTransformer):
    """Puts numbers in the place of locals that are read."""

    def __init__(self, numbers: Mapping[str, ast.Constant]) -> None:
        self._numbers = numbers

    def visit_Name(self, node: ast.Name) -> ast.expr:
        if isinstance(node.ctx, ast.Load) and node.id in self._numbers:
            return copy.copy(self._numbers[node.id])
        return node


class _Products(ast.NodeTransformer):
    """A division by a number that is known, as a product and a shift, which is tried with all that it may
    be."""

    def __init__(self, kinds: Kinds) -> None:
        self._kinds = kinds

    def visit_Call(self, node: ast.Call) -> ast.expr:
        self.generic_visit(node)
        if self._kinds.key_of(node) == PORTION and isinstance(node.args[0], ast.Name):
            code, most = node.args
            found = product(most.value) if isinstance(most, ast.Constant) else None  # type: ignore[arg-type]
            if found is not None:
                whole, factor, more, shift = found
                assert isinstance(code, ast.Name)
                text = f"{code.id} * {whole} + ({code.id} * {factor} + {more} >> {shift})"
                return ast.parse(text, mode="eval").body
        return node


def product(most: int) -> tuple[int, int, int, int] | None:
    """How to divide by ``most``, for all codes up to it: whole, factor, more and shift, so that code * whole
    + (code * factor + more >> shift) is code * FULL / most, rounded. None if there is no such product in 32
    bits.

    >>> product(1023)
    (16, 1025, 32736, 16)
    """
    if not 0 < most <= FULL:
        return None
    whole, rest = divmod(FULL, most)
    wanted = [(code * FULL + most // 2) // most - whole * code for code in range(most + 1)]
    for shift in (16, 8, 12, 20, 18, 14, 10):
        factor = round((rest << shift) / most)
        low = max((value << shift) - code * factor for code, value in enumerate(wanted))
        high = min(((value + 1) << shift) - code * factor for code, value in enumerate(wanted))
        if 0 <= low < high and factor * 0xFFFF + low < 1 << 32:
            return whole, factor, low, shift
    return None
