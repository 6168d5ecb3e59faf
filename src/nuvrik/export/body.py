"""The body of one function, statement by statement, to C."""

import ast
from collections.abc import Callable, Iterator, Sequence

from nuvrik.core.ranges import RANGES
from nuvrik.export.expressions import Expressions, c_name, room_of
from nuvrik.export.program import Module, Outside, Program, Routine
from nuvrik.export.values import SYMBOLS


class Body(Expressions):
    """Translates one routine."""

    def __init__(self, program: Program, module: Module, routine: Routine) -> None:
        super().__init__(program, module, routine)
        self._line = routine.node.lineno

    def lines(self) -> list[str]:
        """Everything between the braces."""
        body = self._routine.node.body
        if ast.get_docstring(self._routine.node) is not None:
            self._line, body = body[0].end_lineno or 0, body[1:]
        return ["    " + line for line in self._block(body)]

    # ---- statements ----

    def _block(self, body: Sequence[ast.stmt]) -> list[str]:
        out: list[str] = []
        for node in body:
            out += [f"/* {text} */" for text in self._comments(node.lineno)]
            handler: Callable[[ast.stmt], list[str]] | None = getattr(
                self, f"_{type(node).__name__.lower()}", None
            )
            if handler is None:
                raise Outside(
                    node, f"{type(node).__name__} is not in the subset", "see CONTRIBUTING, the subset"
                )
            try:
                out += handler(node)
            except Outside as problem:
                problem.line = problem.line or node.lineno
                raise
            self._line = max(self._line, node.end_lineno or 0)
        return out

    def _comments(self, before: int) -> Iterator[str]:
        for line in range(self._line + 1, before):
            if line in self._module.comments:
                yield self._module.comments[line]
        self._line = max(self._line, before)

    def _inner(self, body: Sequence[ast.stmt]) -> list[str]:
        return ["    " + line for line in self._block(body)]

    def _return(self, node: ast.Return) -> list[str]:
        if node.value is None:
            return ["return;"]
        return [f"return {self._fitted(node.value, self._routine.gives, 'what is returned')};"]

    def _annassign(self, node: ast.AnnAssign) -> list[str]:
        width = ast.unparse(node.annotation)
        assert node.value is not None
        name = ast.unparse(node.target)
        if isinstance(node.target, ast.Attribute):
            place = f"self->{node.target.attr}"
            if width.startswith("list[") and _is_zero(self._program, node):
                return []
            if width.startswith("list["):
                return self._filled(node.target.attr, width[5:-1], node.value)
            if isinstance(node.value, ast.Call) and width in self._program.records:
                if begins_as_zeros(self._program, width):
                    return []
                made = self._program.routines[f"{width}.__init__"]
                return [f"{c_name(made)}({', '.join([f'&{place}', *self._given(made, node.value)])});"]
            # An object is made in memory that is all zeros.
            if _is_zero(self._program, node):
                return []
            return [f"{place} = {self._fitted(node.value, width, name)};"]
        if name in self._widths:
            raise Outside(node, f"{name} is declared twice", "a name has one width in a function")
        text = self._fitted(node.value, width, name)
        self._widths[name] = width
        self._learn(name, node.value, width)
        return [f"{self.declared(width)}{name} = {text};"]

    def _filled(self, name: str, width: str, made: ast.expr) -> list[str]:
        """A list of a state as it begins: numbers, or an object for each table of another list."""
        size = self._program.records[self._routine.owner].rooms[name]
        room, known = room_of(size), self._program.constants.get(size)
        at = "uint16_t" if known is not None and known.value > 255 else "uint8_t"
        if isinstance(made, ast.BinOp) and isinstance(made.left, ast.List):
            value = self._fitted(made.left.elts[0], width, name)
            return [f"for ({at} i = 0; i < {room}; i++) {{", f"    self->{name}[i] = {value};", "}"]
        assert isinstance(made, ast.ListComp) and isinstance(made.elt, ast.Call)
        if begins_as_zeros(self._program, width):
            return []
        tables = self._value(made.generators[0].iter)
        init = c_name(self._program.routines[f"{width}.__init__"])
        given = f", &{tables.text}[i]" if made.elt.args else ""
        count = self._count(made.generators[0].iter)
        return [f"for (uint8_t i = 0; i < {count}; i++) {{", f"    {init}(&self->{name}[i]{given});", "}"]

    def declared(self, width: str) -> str:
        """How a parameter, a local or a result is declared."""
        if width.startswith("list["):
            return f"{RANGES[width[5:-1]].c} *"
        if width in self._program.records:
            const = "const NUVRIK_FLASH " if self._program.records[width].is_table else ""
            return f"{const}Nuvrik{width} *"
        return "void " if width == "None" else f"{RANGES[width].c} "

    def _assign(self, node: ast.Assign) -> list[str]:
        target, name = node.targets[0], ast.unparse(node.targets[0])
        if isinstance(target, ast.Name) and target.id not in self._widths:
            raise Outside(node, f"{name} has no width", f"declare it: {name}: u8 = ...")
        text = self._fitted(node.value, self._width_at(target), name)
        if isinstance(target, ast.Name):
            self._learn(name, node.value, self._widths[name])
        return [f"{self._value(target).text} = {text};"]

    def _augassign(self, node: ast.AugAssign) -> list[str]:
        place = self._value(node.target)
        one = isinstance(node.value, ast.Constant) and node.value.value == 1
        if isinstance(node.target, ast.Name):
            self._known.pop(node.target.id, None)
        if one and isinstance(node.op, ast.Add | ast.Sub):
            self.unproven.append(f"{self._routine.key}: {ast.unparse(node)}")
            return [f"{place.text}{SYMBOLS[type(node.op)] * 2};"]
        whole = ast.copy_location(ast.BinOp(node.target, node.op, node.value), node)
        return [
            f"{place.text} = {self._fitted(whole, self._width_at(node.target), ast.unparse(node.target))};"
        ]

    def _expr(self, node: ast.Expr) -> list[str]:
        value = self._value(node.value)
        return [f"{'' if value.c == 'void' else '(void)'}{value.text};"]

    def _if(self, node: ast.If, word: str = "if") -> list[str]:
        test = self._condition(node.test)
        before = dict(self._known)
        self._narrow(node.test, true=True)
        out = [f"{word} ({test}) {{", *self._inner(node.body)]
        ends = isinstance(node.body[-1], ast.Return | ast.Break | ast.Continue)
        self._known = dict(before)
        self._narrow(node.test, true=False)
        if len(node.orelse) == 1 and isinstance(node.orelse[0], ast.If) and not self._noted(node):
            out += self._if(node.orelse[0], "} else if")
        elif node.orelse:
            out += ["} else {", *self._inner(node.orelse), "}"]
        else:
            out.append("}")
        # Whatever a branch has stored is not known behind it; what a test without a way on says, is.
        if not ends or node.orelse:
            self._known = before
            self._forget(node)
        return out

    def _noted(self, node: ast.If) -> bool:
        """Whether a comment stands before the ``elif``: then it is written as an if of its own in an else."""
        return any(line in self._module.comments for line in range(self._line + 1, node.orelse[0].lineno))

    def _while(self, node: ast.While) -> list[str]:
        self._forget(node)
        before = dict(self._known)
        out = [f"while ({self._condition(node.test)}) {{", *self._inner(node.body), "}"]
        self._known = before
        return out

    def _for(self, node: ast.For) -> list[str]:
        called, name = node.iter, ast.unparse(node.target)
        self._forget(node)
        if isinstance(called, ast.Attribute):
            return self._for_each(node, called, name)
        if not (
            isinstance(called, ast.Call) and ast.unparse(called.func) == "range" and len(called.args) == 1
        ):
            raise Outside(
                node, "a for that does not count", "write: for i in range(n), or over a table's list"
            )
        last = self._value(called.args[0])
        width = "u8" if last.high <= 255 else "u16"
        before = dict(self._known)
        self._widths[name] = width
        self._known[name] = 0, max(last.high - 1, 0)
        head = f"for ({RANGES[width].c} {name} = 0; {name} < {last.bracketed}; {name}++) {{"
        out = [head, *self._inner(node.body), "}"]
        self._known = before
        return out

    def _for_each(self, node: ast.For, called: ast.Attribute, name: str) -> list[str]:
        """Every table, or every number, of a list of a table."""
        count, tables, at = self._count(called), self._value(called), f"{name}_at"
        self._widths[name] = tables.of
        one = self._item(ast.Subscript(called, ast.Constant(0))).reference.replace("[0]", f"[{at}]")
        head = f"for (uint8_t {at} = 0; {at} < {count}; {at}++) {{"
        return [head, f"    {self.declared(tables.of)}{name} = {one};", *self._inner(node.body), "}"]

    def _break(self, node: ast.Break) -> list[str]:
        return ["break;"]

    def _continue(self, node: ast.Continue) -> list[str]:
        return ["continue;"]


def begins_as_zeros(program: Program, name: str) -> bool:
    """Whether an object of a class is nothing but zeros when it is made, so that nothing makes it."""
    init = program.routines[f"{name}.__init__"]
    if init.takes:
        return False
    body = init.node.body[1:] if ast.get_docstring(init.node) else init.node.body
    return all(isinstance(one, ast.AnnAssign) and _is_zero(program, one) for one in body)


def _is_zero(program: Program, node: ast.AnnAssign) -> bool:
    value, width = node.value, ast.unparse(node.annotation)
    if isinstance(value, ast.BinOp) and isinstance(value.left, ast.List):
        value = value.left.elts[0]
    if isinstance(value, ast.Call) and width in program.records:
        return begins_as_zeros(program, width)
    if isinstance(value, ast.Name) and value.id in program.constants:
        return program.constants[value.id].value == 0
    return isinstance(value, ast.Constant) and not value.value
