"""What is done to syntax trees in more than one place here."""

import ast
import copy
from collections.abc import Iterable, Iterator, Mapping


def calls_in(node: ast.AST) -> Iterator[ast.Call]:
    """Every call in a tree."""
    return (one for one in ast.walk(node) if isinstance(one, ast.Call))


def stored_in(node: ast.AST) -> list[str]:
    """Every name that is stored in, as often as it is."""
    return [one.id for one in ast.walk(node) if isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store)]


def own_names(node: ast.AST) -> set[str]:
    """The names that are a function's own: its parameters and its locals."""
    elsewhere = {name for one in ast.walk(node) if isinstance(one, ast.Global) for name in one.names}
    return {*stored_in(node), *(one.arg for one in ast.walk(node) if isinstance(one, ast.arg))} - elsewhere


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
        return copy.deepcopy(value)


def annotated(name: str, width: str, value: ast.expr) -> ast.AnnAssign:
    """A local of a width, and what it is."""
    return ast.AnnAssign(ast.Name(name, ast.Store()), ast.parse(width, mode="eval").body, value, 1)


def once(imports: Iterable[ast.stmt]) -> list[ast.stmt]:
    """Imports, each of them once."""
    return [ast.parse(text).body[0] for text in dict.fromkeys(map(ast.unparse, imports))]
