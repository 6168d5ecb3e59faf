"""The body of one function, statement by statement, to C."""

import ast
from collections.abc import Callable, Iterator, Sequence

from nuvrik.core.ranges import RANGES
from nuvrik.export.program import Module, Outside, Program, Routine, snake
from nuvrik.export.values import SYMBOLS, Value, arithmetic, both, narrowest, number, stored, wrapped

READS = {
    "bool": "U8",
    "uint8_t": "U8",
    "int8_t": "I8",
    "uint16_t": "U16",
    "int16_t": "I16",
    "uint32_t": "U32",
}
READS["int32_t"] = "I32"
"""How a field of a table is read, which on some chips is not in memory; see nuvrik_rom.h."""

OPPOSITE: dict[type[ast.AST], type[ast.cmpop]] = {
    ast.Lt: ast.GtE,
    ast.LtE: ast.Gt,
    ast.Gt: ast.LtE,
    ast.GtE: ast.Lt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
}

Range = tuple[int, int]


class Body:
    """Translates one routine. ``unproven`` collects the stores whose range only checked mode proves."""

    def __init__(self, program: Program, module: Module, routine: Routine) -> None:
        self._program, self._module, self._routine = program, module, routine
        self._widths = dict(routine.takes)
        self._known: dict[str, Range] = {}
        self._line = routine.node.lineno
        self.unproven: list[str] = []

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
            if isinstance(node.value, ast.Call) and width in self._program.records:
                made = self._program.routines[f"{width}.__init__"]
                return [f"{c_name(made)}({', '.join([f'&{place}', *self._given(made, node.value)])});"]
            return [f"{place} = {self._fitted(node.value, width, name)};"]
        if name in self._widths:
            raise Outside(node, f"{name} is declared twice", "a name has one width in a function")
        text = self._fitted(node.value, width, name)
        self._widths[name] = width
        self._learn(name, node.value, width)
        return [f"{self.declared(width)}{name} = {text};"]

    def declared(self, width: str) -> str:
        """How a parameter, a local or a result is declared."""
        if width in self._program.records:
            const = "const " if self._program.records[width].is_table else ""
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
        ends = isinstance(node.body[-1], ast.Return | ast.Break)
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
        called = node.iter
        if not (
            isinstance(called, ast.Call) and ast.unparse(called.func) == "range" and len(called.args) == 1
        ):
            raise Outside(node, "a for that does not count", "write: for i in range(n)")
        self._forget(node)
        last, name = self._value(called.args[0]), ast.unparse(node.target)
        width = "u8" if last.high <= 255 else "u16"
        before = dict(self._known)
        self._widths[name] = width
        self._known[name] = 0, max(last.high - 1, 0)
        head = f"for ({RANGES[width].c} {name} = 0; {name} < {last.bracketed}; {name}++) {{"
        out = [head, *self._inner(node.body), "}"]
        self._known = before
        return out

    def _break(self, node: ast.Break) -> list[str]:
        return ["break;"]

    # ---- what is known of a local ----

    def _learn(self, name: str, node: ast.expr, width: str) -> None:
        self._known.pop(name, None)
        if width in RANGES:
            value, kept = self._value_for(node, width), RANGES[width]
            self._known[name] = max(value.low, kept.low), min(value.high, kept.high)

    def _forget(self, node: ast.AST) -> None:
        for one in ast.walk(node):
            if isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store):
                self._known.pop(one.id, None)

    def _narrow(self, test: ast.expr, *, true: bool) -> None:
        """What a test says of locals once it is known to be true, or not to be."""
        if isinstance(test, ast.BoolOp):
            if isinstance(test.op, ast.And) == true:
                for part in test.values:
                    self._narrow(part, true=true)
            return
        if isinstance(test, ast.UnaryOp) and isinstance(test.op, ast.Not):
            self._narrow(test.operand, true=not true)
        if not isinstance(test, ast.Compare) or not isinstance(test.left, ast.Name):
            return
        value, limit = self._value(test.left), self._value(test.comparators[0])
        op = type(test.ops[0]) if true else OPPOSITE[type(test.ops[0])]
        low, high = value.low, value.high
        if op in (ast.Lt, ast.LtE, ast.Eq):
            high = min(high, limit.high - (op is ast.Lt))
        if op in (ast.Gt, ast.GtE, ast.Eq):
            low = max(low, limit.low + (op is ast.Gt))
        if low <= high:
            self._known[test.left.id] = low, high

    # ---- expressions ----

    def _fitted(self, node: ast.expr, width: str, written: str) -> str:
        """An expression as a value of a width or of a class."""
        value = self._value_for(node, width)
        if width not in RANGES:
            return value.reference
        text, proven = stored(value, RANGES[width], written)
        if not proven:
            self.unproven.append(f"{self._routine.key}: {written} = {ast.unparse(node)}")
        return text

    def _value_for(self, node: ast.expr, width: str) -> Value:
        if width == "product" and isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult):
            return arithmetic(node, self._value(node.left), self._value(node.right), trusted=True)
        return self._value(node)

    def _condition(self, node: ast.expr) -> str:
        value = self._value(node)
        if value.c != "bool":
            raise Outside(node, "a condition that is no comparison", f"write: {ast.unparse(node)} != 0")
        return value.text

    def _width_at(self, node: ast.expr) -> str:
        """The width of what may be stored in."""
        if isinstance(node, ast.Name):
            return self._widths[node.id]
        if isinstance(node, ast.Attribute):
            owner = self._value(node.value).c
            if self._program.records[owner].is_table:
                raise Outside(
                    node, f"{ast.unparse(node)} is in a table, which never changes", "keep it in a state"
                )
            return self._program.records[owner].fields[node.attr]
        raise Outside(node, f"nothing can be stored in {ast.unparse(node)}", "store in a local or in a field")

    def _value(self, node: ast.expr) -> Value:
        kinds: dict[type[ast.expr], Callable[..., Value]] = {
            ast.Constant: self._number,
            ast.Name: self._name,
            ast.Attribute: self._field,
            ast.Subscript: self._item,
            ast.Call: self._call,
            ast.BinOp: self._binary,
            ast.UnaryOp: self._unary,
            ast.Compare: self._compare,
            ast.BoolOp: self._several,
            ast.IfExp: self._choice,
        }
        if type(node) not in kinds:
            raise Outside(node, f"{type(node).__name__} is not in the subset", "see CONTRIBUTING, the subset")
        return kinds[type(node)](node)

    def _number(self, node: ast.Constant) -> Value:
        if isinstance(node.value, bool):
            return Value(str(node.value).lower(), "bool", int(node.value), int(node.value), constant=True)
        if not isinstance(node.value, int):
            raise Outside(node, f"{node.value!r} is no whole number", "core has only whole numbers and bools")
        return number(node.value, hex(node.value) if node.value in (0xFF, 0xFFFF) else "")

    def _name(self, node: ast.Name) -> Value:
        if node.id == "self":
            return Value("self", self._routine.owner)
        if node.id in self._widths:
            value = self._typed(node.id, self._widths[node.id])
            low, high = self._known.get(node.id, (value.low, value.high))
            return value._replace(low=low, high=high)
        if node.id not in self._program.constants:
            raise Outside(
                node, f"{node.id} is not known here", "declare it with a width before the block it is in"
            )
        value = number(self._program.constants[node.id].value)
        return value._replace(text=f"NUVRIK_{node.id}", simple=True)

    def _typed(self, text: str, width: str, in_table: bool = False) -> Value:
        if width.startswith("list["):
            return Value(text, "list", of=width[5:-1])
        if width in self._program.records:
            return Value(text, width)
        if width not in RANGES:
            raise Outside(None, f"{width} is no width", f"use one of {', '.join(RANGES)}, or a class of core")
        c, low, high = RANGES[width]
        return Value(f"NUVRIK_{READS[c]}({text})" if in_table else text, c, low, high)

    def _field(self, node: ast.Attribute) -> Value:
        base = self._value(node.value)
        record = self._program.records.get(base.c)
        if record is None or node.attr not in record.fields:
            raise Outside(node, f"{ast.unparse(node)} is no field", "fields are annotated in the class")
        width, arrow = record.fields[node.attr], "." if base.inline else "->"
        value = self._typed(f"{base.text}{arrow}{node.attr}", width, record.is_table)
        inner = self._program.records.get(width)
        if inner is None:
            return value
        return value._replace(
            inline=not inner.is_table, text=f"NUVRIK_P({value.text})" if record.is_table else value.text
        )

    def _item(self, node: ast.Subscript) -> Value:
        base, at = self._value(node.value), self._value(node.slice)
        if base.of not in self._program.records:
            raise Outside(node, "a list of plain numbers", "lists are of tables, for now")
        return Value(f"&NUVRIK_P({base.text})[{at.text}]", base.of)

    def _call(self, node: ast.Call) -> Value:
        if isinstance(node.func, ast.Attribute):
            owner = self._value(node.func.value)
            key, given = f"{owner.c}.{node.func.attr}", [owner.reference]
        else:
            key, given = ast.unparse(node.func), []
        if key == "abs":
            return self._size(node)
        routine = self._program.routines.get(key)
        if routine is None:
            raise Outside(node, f"{key} is no function of core", "call functions of core, and abs()")
        given += self._given(routine, node)
        text = f"{c_name(routine)}({', '.join(given)})"
        return Value(text, "void") if routine.gives == "None" else self._typed(text, routine.gives)

    def _given(self, routine: Routine, node: ast.Call) -> list[str]:
        """What a function is given, each in the width that it takes."""
        if len(node.args) != len(routine.takes) or node.keywords:
            raise Outside(node, f"{routine.key} takes {len(routine.takes)} values", "give each by its place")
        takes = zip(node.args, routine.takes.items(), strict=True)
        return [self._fitted(one, width, name) for one, (name, width) in takes]

    def _size(self, node: ast.Call) -> Value:
        value = self._value(node.args[0])
        most = max(abs(value.low), abs(value.high))
        c = narrowest(-most, most, node)
        return Value(f"nuvrik_abs{16 if c == 'int16_t' else 32}({value.text})", c, 0, most)

    def _binary(self, node: ast.BinOp) -> Value:
        inner, mask = node.left, node.right
        kept = mask.value if isinstance(node.op, ast.BitAnd) and isinstance(mask, ast.Constant) else None
        wraps = isinstance(inner, ast.BinOp) and isinstance(inner.op, ast.Add | ast.Sub | ast.LShift)
        if kept in (0xFF, 0xFFFF) and isinstance(kept, int) and wraps and isinstance(inner, ast.BinOp):
            return wrapped(inner, self._value(inner.left), self._value(inner.right), kept)
        return arithmetic(node, self._value(node.left), self._value(node.right))

    def _unary(self, node: ast.UnaryOp) -> Value:
        value = self._value(node.operand)
        if isinstance(node.op, ast.Not):
            return Value(f"!{value.bracketed}", "bool", 0, 1)
        if not isinstance(node.op, ast.USub):
            raise Outside(node, f"{ast.unparse(node)} is not in the subset", "use - and not")
        c = narrowest(min(-value.high, value.low), max(-value.low, value.high), node)
        text = value.bracketed if value.c == c or value.constant else f"({c}){value.bracketed}"
        return Value(f"-{text}", c, -value.high, -value.low, c == "int16_t", False, value.constant)

    def _compare(self, node: ast.Compare) -> Value:
        if len(node.ops) != 1:
            raise Outside(node, "a chained comparison", "write two, with and between them")
        if type(node.ops[0]) not in SYMBOLS:
            raise Outside(node, f"{ast.unparse(node)} compares with is or in", "use == != < <= > >=")
        left, right = self._value(node.left), self._value(node.comparators[0])
        symbol = SYMBOLS[type(node.ops[0])]
        if left.c == right.c == "bool":
            return Value(f"{left.bracketed} {symbol} {right.bracketed}", "bool", 0, 1, simple=False)
        c = narrowest(min(left.low, right.low), max(left.high, right.high), node)
        first, second = both(left, right, c)
        return Value(f"{first} {symbol} {second}", "bool", 0, 1, simple=False)

    def _several(self, node: ast.BoolOp) -> Value:
        word = " && " if isinstance(node.op, ast.And) else " || "
        before, texts = dict(self._known), []
        for part in node.values:
            text = self._condition(part)
            texts.append(f"({text})" if isinstance(part, ast.BoolOp) else text)
            self._narrow(part, true=isinstance(node.op, ast.And))
        self._known = before
        return Value(word.join(texts), "bool", 0, 1, simple=False)

    def _choice(self, node: ast.IfExp) -> Value:
        test, before = self._condition(node.test), dict(self._known)
        self._narrow(node.test, true=True)
        one = self._value(node.body)
        self._known = dict(before)
        self._narrow(node.test, true=False)
        other = self._value(node.orelse)
        self._known = before
        low, high = min(one.low, other.low), max(one.high, other.high)
        c = one.c if one.c == other.c else narrowest(low, high, node)
        promoted = one.promoted or other.promoted or one.c != other.c
        test = test if isinstance(node.test, ast.Name | ast.Call) else f"({test})"
        return Value(f"{test} ? {one.bracketed} : {other.bracketed}", c, low, high, promoted, False)


def c_name(routine: Routine) -> str:
    """The name of a function in C."""
    name = routine.name.strip("_")
    return f"nuvrik_{snake(routine.owner)}_{name}" if routine.owner else f"nuvrik_{name}"
