"""Objects that a routine asks for again and again, kept in locals: in MicroPython each step on the way to one
is a look into a dictionary."""

import ast
from collections import Counter
from collections.abc import Iterator

from nuvrik.export.fit.kinds import Kinds
from nuvrik.export.fit.trees import annotated, walk

ENOUGH = 3
"""Kept in a local, an object costs one store, and saves a look at every other place."""


def keep_objects(node: ast.FunctionDef, kinds: Kinds) -> None:
    """Put what is asked for often in locals, each where it is asked for first in the block that all of it is
    in. Objects of core are never exchanged for others, so it is the same everywhere."""
    for _ in range(20):
        if not _one(node.body, kinds):
            return


def _one(block: list[ast.stmt], kinds: Kinds) -> bool:
    counts: Counter[str] = Counter()
    for one in block:
        counts.update(_asked(one, kinds))
    # The longest way first: what leads to it is not asked for any more then.
    for chain, count in sorted(counts.items(), key=lambda item: (-item[0].count("."), item[0])):
        users = [at for at, one in enumerate(block) if chain in _asked(one, kinds)]
        if count < ENOUGH or (len(users) == 1 and not _spread(block[users[0]], chain, kinds)):
            continue
        value = ast.parse(chain, mode="eval").body
        width = kinds.of(value)
        fresh = kinds.fresh(chain.rpartition(".")[2], width)
        for one in block[users[0] :]:
            _Kept(chain, fresh).visit(one)
        block.insert(users[0], annotated(fresh, width, value))
        return True
    return any(_one(each, kinds) for one in block for each in _inner(one))


def _spread(one: ast.stmt, chain: str, kinds: Kinds) -> bool:
    """Whether an object is asked for in more than one part of a statement."""
    blocks = _inner(one)
    if not blocks:
        return True
    parts = [sum(chain in _asked(each, kinds) for each in block) > 0 for block in blocks]
    inside = sum(_asked(each, kinds)[chain] for block in blocks for each in block)
    return sum(parts) + (_asked(one, kinds)[chain] > inside) > 1


def _inner(one: ast.stmt) -> list[list[ast.stmt]]:
    """The blocks of a statement."""
    if isinstance(one, ast.If):
        return [each for each in (one.body, one.orelse) if each]
    return [one.body] if isinstance(one, ast.For | ast.While) else []


def _asked(one: ast.stmt, kinds: Kinds) -> Counter[str]:
    """How often each object is asked for, by the way to it; of a loop, twice."""
    found: Counter[str] = Counter()
    weight = 2 if isinstance(one, ast.For | ast.While) else 1
    for chain in _chains(one, kinds):
        found[chain] += weight
    return found


def _chains(node: ast.AST, kinds: Kinds) -> Iterator[str]:
    for one in walk(node):
        if not (isinstance(one, ast.Attribute) and isinstance(one.ctx, ast.Load)):
            continue
        inner: ast.expr = one
        while isinstance(inner, ast.Attribute):
            inner = inner.value
        if isinstance(inner, ast.Name) and inner.id == "self" and kinds.of(one)[:1].isupper():
            yield ast.unparse(one)


class _Kept(ast.NodeTransformer):
    def __init__(self, chain: str, name: str) -> None:
        self._chain, self._name = chain, name

    def visit_Attribute(self, node: ast.Attribute) -> ast.expr:
        if ast.unparse(node) == self._chain:
            return ast.Name(self._name, ast.Load())
        self.generic_visit(node)
        return node
