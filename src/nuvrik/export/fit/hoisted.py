"""Each local of a routine declared once, in the innermost block that all of it is in: C wants it so. What is
put in the place of a call in two branches would be declared in both."""

import ast
from collections import Counter

from nuvrik.export.fit.trees import walk, with_notes
from nuvrik.export.program import notes_of


def hoist(node: ast.FunctionDef) -> None:
    """Move declarations to where all that asks for them is."""
    declared = [
        one for one in walk(node) if isinstance(one, ast.AnnAssign) and isinstance(one.target, ast.Name)
    ]
    counts = Counter(ast.unparse(one.target) for one in declared)
    for one in {ast.unparse(one.target): one for one in declared}.values():
        _hoist(node.body, ast.unparse(one.target), one.annotation, counts[ast.unparse(one.target)])


def _hoist(block: list[ast.stmt], name: str, width: ast.expr, count: int) -> None:
    block = _innermost(block, name)
    users = [one for one in block if _asks(one, name)]
    first = users[0] if users else None
    begins = isinstance(first, ast.AnnAssign) and ast.unparse(first.target) == name
    if first is None or (begins and count == 1):
        return
    plainer = _Plainer(name, first if begins else None)
    block[:] = [plainer.visit(one) for one in block]
    if not begins:
        at = next(place for place, one in enumerate(block) if _asks(one, name))
        block.insert(at, ast.AnnAssign(ast.Name(name, ast.Store()), width, None, 1))


def _innermost(block: list[ast.stmt], name: str) -> list[ast.stmt]:
    """The innermost block in which all is that asks for a name."""
    while True:
        users = [one for one in block if _asks(one, name)]
        if len(users) != 1 or not isinstance(users[0], ast.If | ast.For | ast.While):
            return block
        one = users[0]
        head = one.test if isinstance(one, ast.If | ast.While) else one.iter
        inner = [each for each in (one.body, one.orelse) if any(_asks(part, name) for part in each)]
        if _asks(head, name) or len(inner) != 1 or (isinstance(one, ast.For) and _asks(one.target, name)):
            return block
        block = inner[0]


def _asks(node: ast.AST, name: str) -> bool:
    return any(isinstance(one, ast.Name) and one.id == name for one in walk(node))


class _Plainer(ast.NodeTransformer):
    """Stores in place of declarations, but for one."""

    def __init__(self, name: str, but: ast.stmt | None) -> None:
        self._name, self._but = name, but

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.stmt:
        if node is self._but or node.value is None or ast.unparse(node.target) != self._name:
            return node
        return with_notes([ast.Assign([node.target], node.value)], notes_of(node))[0]
