"""What anybody asks for: routines that are reached, fields that are read, parameters that matter."""

import ast
from collections.abc import Collection
from typing import NamedTuple

from nuvrik.core.ranges import RANGES
from nuvrik.export.fit.kinds import WORDS, Kinds
from nuvrik.export.fit.trees import Put, calls_in, is_narrowed, stored_in, walk, with_notes
from nuvrik.export.program import Program, Routine, notes_of

Field = tuple[str, str]


class Roots(NamedTuple):
    """What is asked for from outside: routines by their keys, and fields by class and name."""

    calls: frozenset[str]
    reads: frozenset[Field]

    @classmethod
    def of(cls, calls: str, reads: str) -> "Roots":
        """From words: ``Owner.name``, with spaces between them."""
        fields = (one.partition(".") for one in reads.split())
        return cls(frozenset(calls.split()), frozenset((kind, name) for kind, _, name in fields))


class Seen(NamedTuple):
    """What a look at one routine has shown: its nodes, of which kind everything in it is, what it calls, the
    fields that it reads, and what it stores in fields."""

    nodes: list[ast.AST]
    kinds: Kinds
    calls: list[tuple[str, ast.Call]]
    reads: set[Field]
    stores: list[tuple[Field, ast.expr]]


class Live:
    """What is reached from its roots, as the program is now. ``before``: an earlier look, of which whatever
    has not ``changed`` since is taken as it was."""

    def __init__(
        self,
        program: Program,
        roots: Roots,
        before: "Live | None" = None,
        changed: Collection[str] = (),
    ) -> None:
        self.program, self.roots = program, roots
        self._seen: dict[str, Seen] = {} if before is None else before._seen
        for key in changed:
            self._seen.pop(key, None)
        self.reached = self._reach()
        self.kinds = {key: self._seen[key].kinds for key in self.reached}
        self.calls = {key: self._seen[key].calls for key in self.reached}
        self.made = {key for key in self.reached if key.endswith(".__init__")}
        self.reads, self.stores = self._fields()
        self._pure: dict[str, bool] = {}
        self.unread, self.idle, self.spare = self._unread(), self._idle(), self._spare()

    def _reach(self) -> set[str]:
        """Every routine that is reached; each is looked at, unless it has not changed since."""
        reached: set[str] = set()
        wanted = sorted(self.roots.calls)
        while wanted:
            key = self.made_by(wanted.pop())
            routine = self.program.routines.get(key)
            if key in reached or routine is None:
                continue
            reached.add(key)
            if key not in self._seen:
                self._seen[key] = self._look(routine)
            wanted += [of for of, _ in self._seen[key].calls]
        return reached

    def _look(self, routine: Routine) -> "Seen":
        nodes = list(walk(routine.node))
        kinds = Kinds(self.program, routine, nodes)
        keys = [(kinds.key_of(one), one) for one in nodes if isinstance(one, ast.Call)]
        written = {id(into) for one in nodes if (into := _into(one)) is not None}
        reads: set[Field] = set()
        stores: list[tuple[Field, ast.expr]] = []
        for one in nodes:
            if isinstance(one, ast.Attribute) and isinstance(one.ctx, ast.Load):
                if id(one) not in written:
                    reads.add((kinds.of(one.value), one.attr))
                continue
            target, value = _store(one)
            if isinstance(target, ast.Attribute) and value is not None:
                stores.append(((kinds.of(target.value), target.attr), value))
        calls = [(self.made_by(of), one) for of, one in keys if of]
        return Seen(nodes, kinds, calls, reads, stores)

    def size(self, key: str) -> tuple[int, int]:
        """How much there is of a routine, and how much of that are numbers: when neither changes, it has
        not."""
        nodes = self._seen[key].nodes
        return len(nodes), sum(isinstance(one, ast.Constant) for one in nodes)

    def callers(self, keys: Collection[str]) -> set[str]:
        """The routines that call some."""
        return {key for key in self.reached if any(of in keys for of, _ in self.calls[key])}

    def made_by(self, key: str) -> str:
        """The routine that is run by a call: of a class, its __init__."""
        return f"{key}.__init__" if key in self.program.records else key

    def _fields(self) -> tuple[set[Field], dict[Field, list[ast.expr]]]:
        """Every field that is read, and all that is stored in each."""
        reads: set[Field] = set(self.roots.reads)
        stores: dict[Field, list[ast.expr]] = {}
        for key in sorted(self.reached):
            reads |= self._seen[key].reads
            for field, value in self._seen[key].stores:
                stores.setdefault(field, []).append(value)
        return reads, stores

    def loaded(self, key: str) -> set[str]:
        """The names that a routine reads."""
        names = (one for one in self._seen[key].nodes if isinstance(one, ast.Name))
        return {one.id for one in names if isinstance(one.ctx, ast.Load)}

    # ---- what does nothing ----

    def pure(self, node: ast.expr, kinds: Kinds) -> bool:
        """Whether an expression does nothing but give something."""
        return all(self._gives(one, kinds) for one in calls_in(node))

    def _gives(self, node: ast.Call, kinds: Kinds) -> bool:
        key = kinds.key_of(node)
        if not key:
            return is_narrowed(node) or (isinstance(node.func, ast.Name) and node.func.id in WORDS)
        return key in self.program.records or self._only_gives(key)

    def _only_gives(self, key: str) -> bool:
        if key not in self.program.routines:
            return False
        if key not in self._pure:
            # What calls itself does something, for all that is known.
            self._pure[key] = False
            node = self.program.routines[key].node
            seen = self._seen.get(key)
            nodes = seen.nodes if seen else list(walk(node))
            kinds = seen.kinds if seen else Kinds(self.program, self.program.routines[key], nodes)
            into = (ast.Attribute, ast.Subscript)
            stores = any(isinstance(_store(one)[0], into) for one in nodes)
            loops = any(isinstance(one, ast.While) for one in nodes)
            calls = [one for one in nodes if isinstance(one, ast.Call)]
            self._pure[key] = not (stores or loops) and all(self._gives(one, kinds) for one in calls)
        return self._pure[key]

    def results(self) -> dict[str, ast.Constant]:
        """Routines that do nothing but give the same number."""
        found = {}
        for key in self.reached:
            body = self.program.routines[key].node.body
            if len(body) == 1 and isinstance(body[0], ast.Return) and isinstance(body[0].value, ast.Constant):
                found[key] = body[0].value
        return found

    def _idle(self) -> set[str]:
        """Routines of which nothing is left."""
        return {key for key in self.reached - self.made if not self.program.routines[key].node.body}

    def still(self) -> dict[Field, int]:
        """Fields of states in which nothing is ever stored but one number."""
        found = {}
        for field, values in self.stores.items():
            kind, name = field
            width = self.program.records[kind].fields.get(name, "") if kind in self.program.records else ""
            same = {one.value if isinstance(one, ast.Constant) else None for one in values}
            if width in RANGES and len(same) == 1 and None not in same and field not in self.roots.reads:
                found[field] = same.pop()
        return found  # type: ignore[return-value]

    def _unread(self) -> set[Field]:
        """Fields of states that nobody reads."""
        return {
            (kind, field)
            for kind, record in self.program.records.items()
            if not record.is_table
            for field in record.fields
            if (kind, field) not in self.reads
        }

    def _spare(self) -> dict[str, dict[int, ast.Constant | None]]:
        """Of each routine the places of parameters that do not matter: nobody reads them (None), or they are
        given the same number wherever it is called. Roots take what they take."""
        given: dict[str, list[ast.Call]] = {}
        for key in self.reached:
            for of, call in self.calls[key]:
                given.setdefault(of, []).append(call)
        found: dict[str, dict[int, ast.Constant | None]] = {}
        for key in self.reached - set(map(self.made_by, self.roots.calls)):
            routine = self.program.routines[key]
            names = [name for name in (one.arg for one in routine.node.args.args) if name != "self"]
            read = {one.id for one in self._seen[key].nodes if isinstance(one, ast.Name)}
            for at, name in enumerate(names):
                every = [call.args[at] for call in given.get(key, [])]
                same = {one.value if isinstance(one, ast.Constant) else None for one in every}
                if name not in read:
                    if all(not list(calls_in(one)) for one in every):
                        found.setdefault(key, {})[at] = None
                elif len(same) == 1 and None not in same and name not in stored_in(routine.node):
                    found.setdefault(key, {})[at] = every[0]  # type: ignore[assignment]
        return found


def _store(node: ast.AST) -> tuple[ast.expr | None, ast.expr | None]:
    """What a statement stores in, and what it stores; a sum that is stored is no number that is known."""
    if isinstance(node, ast.AnnAssign):
        return node.target, node.value
    if isinstance(node, ast.Assign):
        return node.targets[0], node.value
    return (node.target, node) if isinstance(node, ast.AugAssign) else (None, None)  # type: ignore[return-value]


def _into(node: ast.AST) -> ast.expr | None:
    """The list in which a statement stores: that is no reading of it."""
    target, _ = _store(node)
    return target.value if isinstance(target, ast.Subscript) else None


class Trim(ast.NodeTransformer):
    """Leaves out of one routine what nobody asks for: stores in fields that nobody reads, locals too, calls
    of what does nothing, and arguments that do not matter."""

    def __init__(self, live: Live, routine: Routine) -> None:
        self._live, self._kinds = live, live.kinds[routine.key]
        self._unread, self._idle, self._spare = live.unread, live.idle, live.spare
        self._loaded = live.loaded(routine.key)

    def _drops(self, target: ast.expr, value: ast.expr) -> bool:
        if not self._live.pure(value, self._kinds):
            return False
        if isinstance(target, ast.Subscript):
            if not self._live.pure(target.slice, self._kinds):
                return False
            target = target.value
        if isinstance(target, ast.Attribute):
            return (self._kinds.of(target.value), target.attr) in self._unread
        return isinstance(target, ast.Name) and target.id not in self._loaded

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.stmt | None:
        """A store."""
        self.generic_visit(node)
        return node if node.value is None else self._stored(node, node.target, node.value)

    def visit_Assign(self, node: ast.Assign) -> ast.stmt | None:
        """A store."""
        self.generic_visit(node)
        return self._stored(node, node.targets[0], node.value)

    def _stored(self, node: ast.stmt, target: ast.expr, value: ast.expr) -> ast.stmt | None:
        if self._drops(target, value):
            return None
        if isinstance(target, ast.Name) and target.id not in self._loaded and isinstance(value, ast.Call):
            # What it does has to be done, and nobody asks what came of it.
            return with_notes([ast.Expr(value)], notes_of(node))[0]
        return node

    def visit_AugAssign(self, node: ast.AugAssign) -> ast.stmt | None:
        """A store."""
        self.generic_visit(node)
        return None if self._drops(node.target, node.value) else node

    def visit_Call(self, node: ast.Call) -> ast.expr:
        """Without what does not matter."""
        key = self._live.made_by(self._kinds.key_of(node))
        self.generic_visit(node)
        spare = self._spare.get(key, {})
        node.args = [one for at, one in enumerate(node.args) if at not in spare]
        return node

    def visit_Expr(self, node: ast.Expr) -> ast.stmt | None:
        """Something that is done."""
        if isinstance(node.value, ast.Call) and self._kinds.key_of(node.value) in self._idle:
            given = node.value.args
            if all(self._live.pure(one, self._kinds) for one in given):
                return None
        self.generic_visit(node)
        return node


def without_spare(routine: Routine, spare: dict[int, ast.Constant | None]) -> Routine:
    """A routine without its parameters that do not matter; where one was always the same, that stands in its
    place."""
    node = routine.node
    arguments = node.args.args
    first = 1 if arguments and arguments[0].arg == "self" else 0
    names = {arguments[first + at].arg: value for at, value in spare.items()}
    node.args.args = [one for one in arguments if one.arg not in names]
    put = Put({name: value for name, value in names.items() if value is not None})
    node.body = [put.visit(one) for one in node.body]
    return routine._replace(takes={name: width for name, width in routine.takes.items() if name not in names})
