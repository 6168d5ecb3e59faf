"""The body of one function, statement by statement, to C."""

import ast
import re
from collections.abc import Callable, Sequence

from nuvrik.core.ranges import RANGES
from nuvrik.export.expressions import Expressions, c_name
from nuvrik.export.fit.inline import always_returns
from nuvrik.export.fit.kinds import inner_of
from nuvrik.export.program import Outside, Program, notes_of
from nuvrik.export.values import SYMBOLS


class Body(Expressions):
    """Translates one routine."""

    def lines(self) -> list[str]:
        """Everything between the braces."""
        lines = self._block(self._routine.statements)
        # What core asks for may not be asked for in C: the fields of the only table of its kind have names.
        lines = [one for one in lines if not self._is_spare(one, lines)]
        names = set(re.findall(r"(?<![.>\w])\w+", re.sub(r"/\*.*?\*/", "", "\n".join(lines))))
        spare = [name for name, width in self._routine.takes.items() if name not in names]
        kept = [name for name in spare if not self._shape.implied(self._routine.takes[name])]
        if self._routine.gives != "None" and not (lines and always_returns(self._routine.statements)):
            lines.append("return 0;")  # nobody comes here
        return ["    " + line for line in [*(f"(void){name};" for name in kept), *lines]]

    def _is_spare(self, line: str, lines: Sequence[str]) -> bool:
        """Whether a line only gives a table a name that nothing asks for."""
        local = re.fullmatch(r"\s*const NUVRIK_FLASH \w+ \*(\w+) = [^()]*;", line)
        return local is not None and len(re.findall(rf"\b{local[1]}\b", "\n".join(lines))) == 1

    # ---- statements ----

    def _block(self, body: Sequence[ast.stmt]) -> list[str]:
        out: list[str] = []
        for node in body:
            out += [f"/* {text} */" for text in notes_of(node)]
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
                problem.line = problem.line or getattr(node, "lineno", 0)
                raise
        return out

    def _inner(self, body: Sequence[ast.stmt]) -> list[str]:
        return ["    " + line for line in self._block(body)]

    def _return(self, node: ast.Return) -> list[str]:
        if node.value is None:
            return ["return;"]
        return [f"return {self._fitted(node.value, self._routine.gives, 'what is returned')};"]

    def _annassign(self, node: ast.AnnAssign) -> list[str]:
        width = ast.unparse(node.annotation)
        name = ast.unparse(node.target)
        if isinstance(node.target, ast.Attribute):
            return self._begun(node, node.target, width)
        if name in self._widths:
            raise Outside(node, f"{name} is declared twice", "a name has one width in a function")
        if self._shape.implied(width):
            self._widths[name] = width
            return []
        if node.value is None:
            self._widths[name] = width
            return [f"{self.declared(width)}{name};"]
        text = self._fitted(node.value, width, name)
        self._widths[name] = width
        self._learn(name, node.value, width)
        return [f"{self.declared(width)}{name} = {text};"]

    def _begun(self, node: ast.AnnAssign, target: ast.Attribute, width: str) -> list[str]:
        """A field of a state as it begins: in memory that is all zeros."""
        owner, program, inner = self._routine.owner, self._program, inner_of(width)
        kept = self._shape.kept(program.records[owner])
        assert node.value is not None
        if isinstance(node.value, ast.Call) and width in program.records:
            if begins_as_zeros(program, width):
                return []
            made = program.routines[f"{width}.__init__"]
            part = [] if self._shape.implied(width) else [f"&{self._its(target.attr)}"]
            return [f"{c_name(made)}({', '.join([*part, *self._given(made, node.value)])});"]
        if target.attr not in kept or _is_zero(program, node):
            return []
        if inner:
            return self._filled(target.attr, inner, node.value)
        return [f"{self._its(target.attr)} = {self._fitted(node.value, width, ast.unparse(target))};"]

    def _its(self, field: str) -> str:
        """A field of the object whose routine this is."""
        return self._place(self._name(ast.Name("self", ast.Load())), field)

    def _filled(self, name: str, width: str, made: ast.expr) -> list[str]:
        """A list of a state as it begins: numbers, or an object for each table of another list."""
        room = self._shape.room(self._routine.owner, name)
        head = f"for (uint{16 if room > 255 else 8}_t i = 0; i < {{}}; i++) {{{{"
        if isinstance(made, ast.BinOp) and isinstance(made.left, ast.List):
            value = self._fitted(made.left.elts[0], width, name)
            return [head.format(room), f"    {self._its(name)}[i] = {value};", "}"]
        if isinstance(made, ast.List) and made.elts:
            raise Outside(made, "a list that is made otherwise", "the fitter has changed how it is made")
        if isinstance(made, ast.List) or begins_as_zeros(self._program, width):
            return []
        assert isinstance(made, ast.ListComp) and isinstance(made.elt, ast.Call)
        init = self._program.routines[f"{width}.__init__"]
        given = [f"&{self._its(name)}[i]"]
        if made.elt.args and not all(map(self._shape.implied, init.takes.values())):
            given.append(f"&{self._value(made.generators[0].iter).text}[i]")
        count = self._count(made.generators[0].iter)
        return [head.format(count), f"    {c_name(init)}({', '.join(given)});", "}"]

    def declared(self, width: str) -> str:
        """How a parameter, a local or a result is declared."""
        inner = inner_of(width)
        if inner:
            return f"{RANGES[inner].c} *" if inner in RANGES else f"const NUVRIK_FLASH Nuvrik{inner} *"
        if width in self._program.records:
            const = "const NUVRIK_FLASH " if self._program.records[width].is_table else ""
            return f"{const}Nuvrik{width} *"
        return "void " if width == "None" else f"{RANGES[width].c} "

    def _assign(self, node: ast.Assign) -> list[str]:
        target, name = node.targets[0], ast.unparse(node.targets[0])
        if isinstance(target, ast.Name) and target.id not in self._widths:
            raise Outside(node, f"{name} has no width", f"declare it: {name}: u8 = ...")
        if isinstance(target, ast.Name) and self._shape.implied(self._widths[target.id]):
            return []
        if ast.unparse(target) == ast.unparse(node.value):
            return []
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
        return bool(notes_of(node.orelse[0]))

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
        # What may be less than nothing is compared with a sign.
        here = f"(int32_t){name}" if last.low < 0 else name
        signed = last.low >= 0 and not last.constant and last.c.startswith("int")
        most = f"({RANGES[width].c}){last.bracketed}" if signed else last.bracketed
        head = f"for ({RANGES[width].c} {name} = 0; {here} < {most}; {name}++) {{"
        out = [head, *self._inner(node.body), "}"]
        self._known = before
        return out

    def _for_each(self, node: ast.For, called: ast.Attribute, name: str) -> list[str]:
        """Every table, or every number, of a list of a table."""
        count, tables, at = self._count(called), self._value(called), f"{name}_at"
        self._widths[name] = tables.of
        head = f"for (uint8_t {at} = 0; {at} < {count}; {at}++) {{"
        asked = any(
            isinstance(one, ast.Name) and one.id == name for part in node.body for one in ast.walk(part)
        )
        if self._shape.implied(tables.of) or not asked:
            return [head, *self._inner(node.body), "}"]
        one = f"{'' if tables.of in RANGES else '&'}{tables.text}[{at}]"
        return [head, f"    {self.declared(tables.of)}{name} = {one};", *self._inner(node.body), "}"]

    def _pass(self, node: ast.Pass) -> list[str]:
        return []

    def _break(self, node: ast.Break) -> list[str]:
        return ["break;"]

    def _continue(self, node: ast.Continue) -> list[str]:
        return ["continue;"]


def begins_as_zeros(program: Program, name: str) -> bool:
    """Whether an object of a class is nothing but zeros when it is made, so that nothing makes it."""
    init = program.routines.get(f"{name}.__init__")
    if init is None:
        return True
    if init.takes:
        return False
    return all(isinstance(one, ast.AnnAssign) and _is_zero(program, one) for one in init.statements)


def _is_zero(program: Program, node: ast.AnnAssign) -> bool:
    value, width = node.value, ast.unparse(node.annotation)
    if isinstance(value, ast.List):
        return not value.elts
    if isinstance(value, ast.BinOp) and isinstance(value.left, ast.List):
        value = value.left.elts[0]
    if isinstance(value, ast.Call) and width in program.records:
        return begins_as_zeros(program, width)
    if isinstance(value, ast.Name) and value.id in program.constants:
        return program.constants[value.id].value == 0
    return isinstance(value, ast.Constant) and not value.value
