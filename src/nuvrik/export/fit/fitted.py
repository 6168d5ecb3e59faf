"""Core fitted to one end of one link: one program, which is printed as C or as Python."""

import ast
from collections.abc import Mapping
from typing import Any, NamedTuple

from nuvrik.core.widths import Table
from nuvrik.export.fit.cached import keep_objects
from nuvrik.export.fit.fold import Fold, Known, known_of
from nuvrik.export.fit.inline import put_in_place
from nuvrik.export.fit.kept import kept
from nuvrik.export.fit.live import Field, Live, Roots, Trim, without_spare
from nuvrik.export.fit.merged import merged
from nuvrik.export.fit.plain import Plain
from nuvrik.export.fit.tables import FittedTables
from nuvrik.export.fit.trees import is_narrowed, own_names, walk
from nuvrik.export.fit.unroll import PORTION, fields_of, resolve, unroll
from nuvrik.export.program import MODULES, Module, Program, core, fresh
from nuvrik.plan.tables.sizes import by_kind

MOST_ROUNDS = 40
"""What is left out lets more be left out; after about ten rounds nothing more does."""


RUN_HERE = "<core, fitted>"
"""The file that it seems to come from."""


class Fit(NamedTuple):
    """What is left of core: the program, and what of it is alive."""

    program: Program
    live: Live


def fit(table: Table, roots: Roots) -> Fit:
    """Core, without what an end with this table does without, and the loops that every frame runs through
    written out."""
    made: Fit = kept((table, sorted(roots.calls), sorted(roots.reads)), lambda: _fit(table, roots))
    return made


def _fit(table: Table, roots: Roots) -> Fit:
    program = fresh()
    known = known_of(table, program)
    live = _rounds(program, roots, known)
    tables = by_kind(table)
    only = {kind: ones[0] for kind, ones in tables.items() if len(ones) == 1}
    for key in live.reached - live.made:
        unroll(program.routines[key].node, live.kinds[key], only, fields_of(tables))
    return Fit(program, _rounds(program, roots, known, only))


def _rounds(
    program: Program,
    roots: Roots,
    known: Known,
    only: Mapping[str, Table] | None = None,
) -> Live:
    """Leave out and put in place, over and over until nothing changes. ``only``: tables whose numbers are put
    where they are asked for."""
    live = Live(program, roots)
    done: dict[str, tuple[int, int]] = {}
    facts: object = None
    for _ in range(MOST_ROUNDS):
        known.still.update(live.still())
        known.results.update(live.results())
        # A division that may become a product keeps both of its numbers.
        live.spare.pop(PORTION, None)
        # What is known may matter anywhere; what one routine has become, only to it and to its callers.
        before, facts = facts, (len(known.still), len(known.results), live.unread, live.idle)
        others = {key for key in live.reached if done.get(key) != live.size(key)}
        everywhere = facts != before or live.spare
        todo = set(live.reached) if everywhere else others | live.callers(others)
        sizes = {key: live.size(key) for key in todo}
        for key in sorted(todo):
            routine = program.routines[key]
            if only is not None and key not in live.made:
                resolve(routine.node, live.kinds[key], only)
            Fold(routine, known, live).visit(routine.node)
            Trim(live, routine).visit(routine.node)
        for key, places in live.spare.items():
            program.routines[key] = without_spare(program.routines[key], places)
        live = Live(program, roots, live, {*todo, *live.spare})
        same = {key for key in todo & live.reached if live.size(key) == sizes[key]}
        done = {key: sizes[key] if key in same else done[key] for key in {*done} - todo | same}
        moved = put_in_place(program, live, {PORTION})
        if not moved and same >= todo & live.reached:
            break
        live = Live(program, roots, live, moved)
    return live


# ---- as Python ----


class Fitted(NamedTuple):
    """The text of every module that is left, and the fields of tables that they read."""

    modules: dict[str, str]
    reads: frozenset[Field]


def fitted(table: Table, roots: Roots) -> Fitted:
    """It in Python."""
    program, live = fit(table, roots)
    for key in live.reached:
        _Wide().visit(program.routines[key].node)
    live = Live(program, roots)
    for key in live.reached - live.made:
        keep_objects(program.routines[key].node, live.kinds[key])
    live = Live(program, roots)
    texts = {one.name: text for one in program.modules if (text := _written(one, program, live))}
    return Fitted(texts, frozenset(live.reads))


class _Wide(ast.NodeTransformer):
    """Leaves out what only says of which width something is: Python's numbers have none."""

    def visit_Call(self, node: ast.Call) -> ast.expr:
        self.generic_visit(node)
        return node.args[0] if is_narrowed(node) else node


def run_here(table: Table, roots: Roots) -> dict[str, Any]:
    """Fitted core in this process: its classes and functions by name, and its tables as ``link``."""
    fit = fitted(table, roots)
    texts = {f"core/{name}": fit.modules[name] for name in MODULES if name in fit.modules}
    texts["tables"] = FittedTables(core(), fit.reads).module(table, "link")
    space: dict[str, Any] = {}
    exec(compile(merged(texts), RUN_HERE, "exec"), space)
    return space


def _written(module: Module, program: Program, live: Live) -> str:
    """A module of which something is left, "" if nothing is."""
    homes = {one.key: other.name for other in program.modules for one in other.routines}
    homes |= {one.name: other.name for other in program.modules for one in other.records}
    body: list[ast.stmt] = []
    for one in module.records:
        methods: list[ast.stmt] = [
            _plain(program.routines[each.key].node)
            for each in module.routines
            if each.owner == one.name and each.key in live.reached
        ]
        if methods:
            body.append(ast.ClassDef(one.name, [], [], methods, []))
    for each in module.routines:
        if not each.owner and each.key in live.reached:
            body.append(_plain(program.routines[each.key].node))
    if not body:
        return ""
    here = {one.name for one in body if isinstance(one, ast.ClassDef | ast.FunctionDef)}
    names = {name for part in body for name in _asked_for(part)} - here
    froms: dict[str, list[str]] = {}
    for name in sorted(names & homes.keys()):
        froms.setdefault(homes[name], []).append(name)
    imports = [f"from nuvrik.core.{home} import {', '.join(ones)}" for home, ones in sorted(froms.items())]
    texts = [ast.unparse(ast.fix_missing_locations(one)) for one in body]
    return "\n".join([*imports, *texts]) + "\n"


def _asked_for(node: ast.stmt) -> set[str]:
    """The names that are no locals."""
    if isinstance(node, ast.ClassDef):
        return {name for one in node.body for name in _asked_for(one)}
    return {one.id for one in walk(node) if isinstance(one, ast.Name)} - own_names(node)


class _Bytes(Plain):
    """Lists of bytes as such, which take an eighth of the room."""

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.stmt | None:
        width, value = ast.unparse(node.annotation), node.value
        if width in ("list[u8]", "list[bool]") and isinstance(value, ast.BinOp):
            what = value.left.elts[0] if isinstance(value.left, ast.List) else None
            if isinstance(what, ast.Constant) and not what.value:
                node.value = ast.Call(ast.Name("bytearray", ast.Load()), [value.right], [])
        return super().visit_AnnAssign(node)


def _plain(node: ast.FunctionDef) -> ast.stmt:
    return _Bytes().visit(node)  # type: ignore[return-value]
