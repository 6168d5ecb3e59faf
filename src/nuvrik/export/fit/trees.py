"""What is done to syntax trees in more than one place here."""

import ast
from collections.abc import Iterable, Iterator, Mapping
from typing import TypeGuard, TypeVar

from nuvrik.core.ranges import RANGES
from nuvrik.export.program import notes_of

Node = TypeVar("Node", bound=ast.AST)


def walk(node: ast.AST) -> Iterator[ast.AST]:
    """Every node of a tree, in the order of the text; what only says whether a name is stored is left out."""
    stack = [node]
    while stack:
        one = stack.pop()
        yield one
        parts = _PARTS.get(one.__class__)
        if parts is None:
            parts = _PARTS[one.__class__] = tuple(part for part in one._fields[::-1] if part not in NO_NODES)
        for name in parts:
            value = getattr(one, name, None)
            if value.__class__ is list:
                stack += [each for each in value[::-1] if isinstance(each, ast.AST)]
            elif isinstance(value, ast.AST):
                stack.append(value)


NO_NODES = frozenset(
    {"ctx", "id", "attr", "arg", "name", "kind", "type_comment", "simple", "level", "module"}
)
"""Parts of nodes that are no nodes, or only say whether a name is stored."""

_PARTS: dict[type[ast.AST], tuple[str, ...]] = {}
"""The other parts, the last first, by the class of a node."""


def copied(node: Node) -> Node:
    """A tree of its own, with all that hangs on its nodes. What is the same everywhere, such as what says
    which sum it is, stays the same: of a tree by the library's way of copying, that is most of the time."""
    made = node.__class__()
    for name, value in vars(node).items():
        if isinstance(value, list):
            value = [copied(one) if isinstance(one, ast.AST) else one for one in value]
        elif isinstance(value, ast.AST) and value._fields:
            value = copied(value)
        setattr(made, name, value)
    return made


def calls_in(node: ast.AST) -> Iterator[ast.Call]:
    """Every call in a tree."""
    return (one for one in walk(node) if isinstance(one, ast.Call))


def stored_in(node: ast.AST) -> list[str]:
    """Every name that is stored in, as often as it is."""
    return [one.id for one in walk(node) if isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store)]


def own_names(node: ast.AST) -> set[str]:
    """The names that are a function's own: its parameters and its locals."""
    elsewhere = {name for one in walk(node) if isinstance(one, ast.Global) for name in one.names}
    return {*stored_in(node), *(one.arg for one in walk(node) if isinstance(one, ast.arg))} - elsewhere


class Put(ast.NodeTransformer):
    """Puts expressions in place of names; a name that is stored in gets another name."""

    def __init__(self, put: Mapping[str, ast.expr]) -> None:
        self._put = put

    def visit_Name(self, node: ast.Name) -> ast.expr:
        """In place of one."""
        value = self._put.get(node.id)
        if value is None:
            return node
        if isinstance(node.ctx, ast.Store):
            assert isinstance(value, ast.Name)
            return ast.Name(value.id, ast.Store())
        return copied(value)


def annotated(name: str, width: str, value: ast.expr) -> ast.AnnAssign:
    """A local of a width, and what it is."""
    return ast.AnnAssign(ast.Name(name, ast.Store()), ast.parse(width, mode="eval").body, value, 1)


def once(imports: Iterable[ast.stmt]) -> list[ast.stmt]:
    """Imports, each of them once."""
    return [ast.parse(text).body[0] for text in dict.fromkeys(map(ast.unparse, imports))]


def narrowed(node: ast.expr, width: str) -> ast.expr:
    """An expression that is known to be of a width: a parameter's or a result's, which a routine that is put
    in its place says no more. In C it is a cast, and in Python nothing."""
    return ast.Call(ast.Name(width, ast.Load()), [node], [])


def is_narrowed(node: ast.AST) -> TypeGuard[ast.Call]:
    """Whether it is one of those."""
    return isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in RANGES


def with_notes(body: list[ast.stmt], notes: list[str]) -> list[ast.stmt]:
    """Statements with comments before the first."""
    if body and notes:
        body[0].notes = [*notes, *notes_of(body[0])]  # type: ignore[attr-defined]
    return body
