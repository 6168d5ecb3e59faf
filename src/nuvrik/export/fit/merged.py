"""Several modules as one: a module costs a dictionary, and every name that it takes from another one costs
room in both."""

import ast
from collections.abc import Mapping

from nuvrik.export.fit.trees import Put, once, own_names, stored_in

PACKAGE = "nuvrik"


class Clash(Exception):
    """Two modules have something of the same name."""


PREFIXED = ("board_chip", "wiring")
"""Modules that others name what they take from them by: there their names keep it, as a prefix."""


ALIASES = {"board": "board_chip", "wiring": "wiring"}
"""What these name others by; core names none so."""


def merged(texts: Mapping[str, str]) -> str:
    """One module out of several, which stand in the order in which they need one another. Names are those of
    files, without their ending. Clash."""
    body: list[ast.stmt] = []
    home: dict[str, str] = {}
    outside: list[ast.stmt] = []
    for name, text in texts.items():
        tree = ast.parse(text)
        if name in PREFIXED:
            _Prefixed(f"{name}_", {each for one in tree.body for each in _defined(one)}).visit(tree)
        tree = _Merged({} if name.startswith("core/") else ALIASES).visit(tree)
        for one in tree.body:
            if isinstance(one, ast.Import | ast.ImportFrom):
                outside.append(one)
                continue
            for defined in _defined(one):
                if home.setdefault(defined, name) != name:
                    raise Clash(f"{defined} is a name of {home[defined]} and of {name}")
            body.append(one)
    module = ast.Module([*once(outside), *body], [])
    _no_shadows(module, set(home))
    _fewer_names(module)
    return ast.unparse(ast.fix_missing_locations(module)) + "\n"


def _fewer_names(module: ast.Module) -> None:
    """Numbers in place of their names, and parameters by their places: each name that byte code brings with
    it takes a place in a table that grows by doubling. Nothing here is called with names."""
    numbers: dict[str, ast.expr] = {}
    stored = stored_in(module)
    for one in list(module.body):
        if (
            isinstance(one, ast.Assign)
            and isinstance(one.value, ast.Constant)
            and isinstance(one.value.value, int)
        ):
            name = ast.unparse(one.targets[0])
            if not name.startswith("_") and stored.count(name) == 1:
                numbers[name] = one.value
                module.body.remove(one)
    for node in ast.walk(module):
        if isinstance(node, ast.FunctionDef):
            given = [one.arg for one in node.args.args if one.arg != "self"]
            places = {name: f"p{at}" for at, name in enumerate(given)}
            for parameter in node.args.args:
                parameter.arg = places.get(parameter.arg, parameter.arg)
            for each in ast.walk(node):
                if isinstance(each, ast.Name):
                    each.id = places.get(each.id, each.id)
    Put(numbers).visit(module)


class _Prefixed(ast.NodeTransformer):
    """The names of a module with a prefix, where they are not those of locals."""

    def __init__(self, prefix: str, names: set[str]) -> None:
        self._prefix, self._names, self._local = prefix, names, set[str]()
        self._in_class = False

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.stmt:
        before, self._local = self._local, self._local | own_names(node)
        self.generic_visit(node)
        self._local = before
        if not self._in_class:
            node.name = self._prefix + node.name
        return node

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.stmt:
        self._in_class = True
        self.generic_visit(node)
        self._in_class = False
        node.name = self._prefix + node.name
        return node

    def visit_Global(self, node: ast.Global) -> ast.stmt:
        node.names = [self._prefix + name for name in node.names]
        return node

    def visit_Name(self, node: ast.Name) -> ast.expr:
        if node.id in self._names - self._local:
            node.id = self._prefix + node.id
        return node


class _Merged(ast.NodeTransformer):
    """Without imports of one another; what was named by its module has a name with that as its prefix."""

    def __init__(self, aliases: Mapping[str, str]) -> None:
        self._aliases = aliases

    def visit_ImportFrom(self, node: ast.ImportFrom) -> ast.stmt | None:
        return None if (node.module or "").split(".")[0] == PACKAGE else node

    def visit_Attribute(self, node: ast.Attribute) -> ast.expr:
        if isinstance(node.value, ast.Name) and node.value.id in self._aliases:
            return ast.Name(f"{self._aliases[node.value.id]}_{node.attr}", node.ctx)
        self.generic_visit(node)
        return node


def _defined(node: ast.stmt) -> list[str]:
    if isinstance(node, ast.FunctionDef | ast.ClassDef):
        return [node.name]
    targets = node.targets if isinstance(node, ast.Assign) else []
    return [one.id for one in targets if isinstance(one, ast.Name)]


def _no_shadows(module: ast.Module, known: set[str]) -> None:
    """A local that has the name of something of the module must not stand where that is called."""
    for node in ast.walk(module):
        if not isinstance(node, ast.FunctionDef):
            continue
        local = own_names(node)
        calls = [one.func for one in ast.walk(node) if isinstance(one, ast.Call)]
        called = {one.id for one in calls if isinstance(one, ast.Name)}
        if clash := local & called & known:
            raise Clash(f"{node.name} has locals that hide {', '.join(sorted(clash))}")
