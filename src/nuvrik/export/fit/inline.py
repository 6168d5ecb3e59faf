"""A routine that is called in one place only, put there: in Python a call takes as long as ten sums, and a
function as much memory as thirty lines.

Only where that is plainly the same: a routine that gives one expression anywhere; any other as a statement of
its own, or where its caller ends. What it is given is worked out once, before it."""

import ast
import re
from collections.abc import Iterator, Set
from typing import NamedTuple

from nuvrik.export.fit.kinds import Kinds
from nuvrik.export.fit.live import Live
from nuvrik.export.fit.trees import Put, annotated, copied, is_narrowed, narrowed, stored_in, walk, with_notes
from nuvrik.export.program import Program, Routine, notes_of

TINY = 9
"""An expression of so few parts takes no more room than a call of it."""

SHORT = 3
"""A routine of so few statements may stand in two places."""


class Site(NamedTuple):
    """Where a routine is called."""

    caller: Routine
    call: ast.Call


def put_in_place(program: Program, live: Live, apart: Set[str]) -> set[str]:
    """Put in place whatever may be, but for what is to stay ``apart``; gives the routines that took part. No
    routine takes part twice, for what has been put somewhere is to be looked at again first."""
    sites = _sites(program, live)
    touched: set[str] = set()
    for key, found in sorted(sites.items()):
        callers = {site.caller.key for site in found}
        stays = key in live.roots.calls or key in apart or key.endswith(".__init__")
        if stays or key in touched or callers & touched:
            continue
        routine = program.routines[key]
        if len(found) == 1 or _is_tiny(routine) or (len(found) == 2 and _is_short(routine)):
            put = [_put(site, routine, program, live) for site in found]
            touched |= {*callers, key} if any(put) else set()
    return touched


def _sites(program: Program, live: Live) -> dict[str, list[Site]]:
    sites: dict[str, list[Site]] = {}
    for key in live.reached:
        caller = program.routines[key]
        for of, call in live.calls[key]:
            if of in program.routines:
                sites.setdefault(of, []).append(Site(caller, call))
    return sites


def _is_tiny(routine: Routine) -> bool:
    expression = _only_expression(routine)
    return expression is not None and sum(1 for _ in walk(expression)) - _contexts(expression) <= TINY


def _is_short(routine: Routine) -> bool:
    """A few statements, none of which has others in it."""
    body = routine.node.body
    return len(body) <= SHORT and not any(isinstance(one, ast.If | ast.For | ast.While) for one in body)


def _contexts(node: ast.AST) -> int:
    """Parts that take no room: neither do the name and the call of a width."""
    aside = ast.expr_context | ast.operator | ast.cmpop
    return sum(isinstance(one, aside) + 2 * is_narrowed(one) for one in walk(node))


def _only_expression(routine: Routine) -> ast.expr | None:
    body = routine.node.body
    return body[0].value if len(body) == 1 and isinstance(body[0], ast.Return) else None


def _put(site: Site, routine: Routine, program: Program, live: Live) -> bool:
    given = _given(site.call, routine)
    expression = _only_expression(routine)
    kinds = live.kinds[site.caller.key]
    if expression is not None:
        inside = Kinds(program, routine)
        if live.pure(expression, inside) and all(live.pure(one, kinds) for one in given.values()):
            uses = [one.id for one in walk(expression) if isinstance(one, ast.Name)]
            if all(_is_plain(one) or uses.count(name) <= 1 for name, one in given.items()):
                put = {name: _as_taken(routine, name, value, kinds) for name, value in given.items()}
                made = Put(put).visit(copied(expression))
                if not inside.fits(expression, routine.gives):
                    made = narrowed(made, routine.gives)
                _Replaced(site.call, made).visit(site.caller.node)
                return True
    for block, last in _blocks(site.caller.node):
        for at, one in enumerate(block):
            ends = last and at == len(block) - 1
            body = _in_place_of(one, site, routine, program, given, kinds, ends=ends)
            if body is not None:
                notes, one.notes = notes_of(one), []  # type: ignore[attr-defined]
                if len(body) > SHORT:
                    notes = [*notes, _first_sentence(routine.doc)]
                block[at : at + 1] = with_notes(body, [note for note in notes if note])
                return True
    return False


def _first_sentence(doc: str) -> str:
    """What stands before a routine that is put somewhere, once it has no head of its own any more."""
    return re.split(r"(?<=[.:])\s", " ".join(doc.split()).replace("``", ""))[0]


def _in_place_of(
    one: ast.stmt,
    site: Site,
    routine: Routine,
    program: Program,
    given: dict[str, ast.expr],
    kinds: Kinds,
    *,
    ends: bool,
) -> list[ast.stmt] | None:
    """What comes in place of a statement in which a routine is called; None where nothing may."""
    alone = getattr(one, "value", None) is site.call
    if not (alone or _is_first(one, site.call)):
        return None
    returns = [each for each in walk(routine.node) if isinstance(each, ast.Return)]
    if isinstance(one, ast.Expr) and alone:
        without = not returns or (ends and all(each.value is None for each in returns))
        return _bound(program, routine, given, kinds) if without else None
    if routine.gives == "None" or not always_returns(routine.node.body):
        return None
    if isinstance(one, ast.Return) and alone:
        return _bound(program, routine, given, kinds)
    if isinstance(one, ast.Assign | ast.AnnAssign) and alone:
        return _storing(_bound(program, routine, given, kinds), one)
    if not alone:
        fresh = kinds.fresh(routine.name, routine.gives)
        store = annotated(fresh, routine.gives, site.call)
        body = _storing(_bound(program, routine, given, kinds), store)
        if body is not None:
            _Replaced(site.call, ast.Name(fresh, ast.Load())).visit(one)
            return [*body, one]
    return None


def _storing(body: list[ast.stmt], store: ast.Assign | ast.AnnAssign) -> list[ast.stmt] | None:
    """A body that stores what it would give. What follows a branch that ends goes into the other; None where
    that is not enough."""
    made: list[ast.stmt] = []
    for at, one in enumerate(body):
        if isinstance(one, ast.Return):
            assert one.value is not None
            last = copied(store)
            last.value = one.value
            return [*made, last]
        if not any(isinstance(each, ast.Return) for each in walk(one)):
            made.append(one)
            continue
        if not isinstance(one, ast.If):
            return None
        rest = body[at + 1 :]
        if always_returns(one.body):
            first, second = _storing(one.body, store), _storing([*one.orelse, *rest], store)
        elif always_returns(one.orelse):
            first, second = _storing([*one.body, *rest], store), _storing(one.orelse, store)
        else:
            return None
        if first is None or second is None:
            return None
        return [*made, *with_notes([ast.If(one.test, first, second)], notes_of(one))]
    return None


def _is_first(one: ast.stmt, call: ast.Call) -> bool:
    """Whether a call is what a statement does first, so that it may stand before it."""
    node: ast.AST | None = None
    if isinstance(one, ast.If):
        node = one.test
    elif isinstance(one, ast.Assign | ast.AnnAssign | ast.Return | ast.Expr):
        node = one.value
    while node is not None and node is not call:
        if isinstance(node, ast.BinOp):
            node = node.left
        elif isinstance(node, ast.UnaryOp):
            node = node.operand
        elif isinstance(node, ast.Compare):
            node = node.left
        elif isinstance(node, ast.BoolOp):
            node = node.values[0]
        elif isinstance(node, ast.IfExp):
            node = node.test
        elif isinstance(node, ast.Call) and _is_plain(node.func):
            node = node.args[0] if node.args else None
        else:
            node = None
    return node is call


def _given(call: ast.Call, routine: Routine) -> dict[str, ast.expr]:
    names = [one.arg for one in routine.node.args.args]
    values = list(call.args)
    if names[:1] == ["self"]:
        assert isinstance(call.func, ast.Attribute)
        values = [call.func.value, *values]
    return dict(zip(names, values, strict=True))


def _is_plain(node: ast.expr) -> bool:
    """A name, a number, or a field of an object that is named: worked out twice, it is the same."""
    while isinstance(node, ast.Attribute) or is_narrowed(node):
        node = node.value if isinstance(node, ast.Attribute) else node.args[0]
    return isinstance(node, ast.Name | ast.Constant)


def _is_atom(node: ast.expr) -> bool:
    """A name or a number."""
    return _is_atom(node.args[0]) if is_narrowed(node) else isinstance(node, ast.Constant | ast.Name)


def _blocks(node: ast.FunctionDef) -> Iterator[tuple[list[ast.stmt], bool]]:
    """Every block, and whether the routine is over at its end."""

    def within(body: list[ast.stmt], last: bool) -> Iterator[tuple[list[ast.stmt], bool]]:
        yield body, last
        for at, one in enumerate(body):
            ends = last and at == len(body) - 1
            if isinstance(one, ast.If):
                yield from within(one.body, ends)
                if one.orelse:
                    yield from within(one.orelse, ends)
            elif isinstance(one, ast.For | ast.While):
                yield from within(one.body, False)

    yield from within(node.body, True)


def always_returns(body: list[ast.stmt]) -> bool:
    """Whether a block has no other end than a return."""
    if not body:
        return False
    last = body[-1]
    if isinstance(last, ast.If):
        return always_returns(last.body) and always_returns(last.orelse)
    return isinstance(last, ast.Return)


def _bound(program: Program, routine: Routine, given: dict[str, ast.expr], kinds: Kinds) -> list[ast.stmt]:
    """A body with what it is given in place of its parameters, under names that its caller has not."""
    body, inside = [copied(one) for one in routine.node.body], Kinds(program, routine)
    for one in [each for part in body for each in walk(part) if isinstance(each, ast.Return)]:
        if one.value is not None and not inside.fits(one.value, routine.gives):
            one.value = narrowed(one.value, routine.gives)
    stored = set(stored_in(routine.node))
    put: dict[str, ast.expr] = {}
    before: list[ast.stmt] = []
    for name, value in given.items():
        width = routine.owner if name == "self" else routine.takes[name]
        if name not in stored and (_is_atom(value) or _is_object(value, width)):
            put[name] = _as_taken(routine, name, value, kinds)
        else:
            fresh = kinds.fresh("it" if name == "self" else name, width)
            before.append(annotated(fresh, width, value))
            put[name] = ast.Name(fresh, ast.Load())
    for name in sorted(stored - set(given)):
        put[name] = ast.Name(kinds.fresh(name, inside.of(ast.Name(name))), ast.Load())
    return [*before, *(Put(put).visit(part) for part in body)]


def _as_taken(routine: Routine, name: str, value: ast.expr, kinds: Kinds) -> ast.expr:
    """What a parameter is given, with what the parameter's width says of it."""
    width = routine.takes.get(name, "")
    return value if kinds.fits(value, width) else narrowed(value, width)


def _is_object(value: ast.expr, width: str) -> bool:
    """A field that holds an object of the program, which it does for ever."""
    return width[:1].isupper() and _is_plain(value)


class _Replaced(ast.NodeTransformer):
    def __init__(self, call: ast.Call, value: ast.expr) -> None:
        self._call, self._value = call, value

    def visit_Call(self, node: ast.Call) -> ast.expr:
        if node is self._call:
            return self._value
        self.generic_visit(node)
        return node
