"""The expressions of one function to C, with what is known of its locals at each place."""

import ast
from collections.abc import Callable

from nuvrik.core.ranges import RANGES
from nuvrik.export.fit.fold import macro_of
from nuvrik.export.fit.trees import is_narrowed
from nuvrik.export.program import Outside, Routine, snake
from nuvrik.export.shape import Shape
from nuvrik.export.values import (
    SYMBOLS,
    TRUSTED,
    Value,
    arithmetic,
    both,
    narrowest,
    number,
    stored,
    wrapped,
)

OPPOSITE: dict[type[ast.AST], type[ast.cmpop]] = {
    ast.Lt: ast.GtE,
    ast.LtE: ast.Gt,
    ast.Gt: ast.LtE,
    ast.GtE: ast.Lt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
}

Range = tuple[int, int]

AROUND = {"Board": "board", "Own": "nuvrik"}
"""What the functions of classes that stand around core begin with."""

WRAPS = (0xFF, 0xFFFF, 0x3FFFFFFF)
"""The masks by which numbers wrap. The last keeps within the small integers of MicroPython."""


class Expressions:
    """Translates the expressions of one routine. ``unproven`` collects the stores whose range only checked
    mode proves, ``said`` the numbers that are written by their names."""

    def __init__(self, shape: Shape, routine: Routine) -> None:
        self._shape, self._program, self._routine = shape, shape.program, routine
        self._widths = dict(routine.takes)
        self._known: dict[str, Range] = {}
        self.unproven: list[str] = []
        self.said: dict[str, int] = {}

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

    # ---- values ----

    def _fitted(self, node: ast.expr, width: str, written: str) -> str:
        """An expression as a value of a width or of a class."""
        value = self._value_for(node, width)
        if width.startswith("list[") and (value.rom or value.of != width[5:-1]):
            raise Outside(node, f"{written} is another list", "give a list of a state, of the same width")
        if width not in RANGES:
            return value.reference
        text, proven = stored(value, RANGES[width], written)
        if not proven:
            self.unproven.append(f"{self._routine.key}: {written} = {ast.unparse(node)}")
        return text

    def _value_for(self, node: ast.expr, width: str) -> Value:
        if width in TRUSTED and isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult):
            return arithmetic(node, self._value(node.left), self._value(node.right), trusted=width)
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
        if (
            isinstance(node, ast.Subscript)
            and not (base := self._value(node.value)).rom
            and base.of in RANGES
        ):
            return base.of
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
        value, name = (
            number(node.value, hex(node.value) if node.value in (0xFF, 0xFFFF) else ""),
            self._name_of(node),
        )
        return self._by_name(name, value) if name else value

    def _name_of(self, node: ast.Constant) -> str:
        """What a number was called before the fitter put it there."""
        name: str = getattr(node, "said", "")
        known = self._program.constants.get(name)
        # Rooms are a link's own, and only numbers.
        return name if known is None or (known.value == node.value and not name.startswith("MOST_")) else ""

    def _by_name(self, name: str, value: Value) -> Value:
        self.said[name] = value.low
        return value._replace(text=f"NUVRIK_{name}", simple=True)

    def _name(self, node: ast.Name) -> Value:
        if node.id == "self":
            owner = self._routine.owner
            return self._only(owner) if self._shape.implied(owner) else Value("self", owner)
        if node.id in self._widths:
            value = self._typed(node.id, self._widths[node.id])
            low, high = self._known.get(node.id, (value.low, value.high))
            return value._replace(low=low, high=high)
        if node.id not in self._program.constants:
            raise Outside(
                node, f"{node.id} is not known here", "declare it with a width before the block it is in"
            )
        return self._by_name(node.id, number(self._program.constants[node.id].value))

    def _only(self, width: str) -> Value:
        """What exists once: a state by its path; a table has none, only its fields have names."""
        path = self._shape.paths.get(width, "")
        return Value(path, width, inline=bool(path), rom=not path)

    def _typed(self, text: str, width: str, in_table: bool = False) -> Value:
        if self._shape.implied(width):
            return self._only(width)
        if width.startswith("list["):
            return Value(text, "list", of=width[5:-1], rom=in_table)
        if width in self._program.records:
            return Value(text, width)
        if width not in RANGES:
            raise Outside(None, f"{width} is no width", f"use one of {', '.join(RANGES)}, or a class of core")
        c, low, high = RANGES[width]
        return Value(text, c, low, high)

    def _field(self, node: ast.Attribute) -> Value:
        base = self._value(node.value)
        record = self._program.records.get(base.c)
        if record is None or node.attr not in record.fields:
            raise Outside(node, f"{ast.unparse(node)} is no field", "fields are annotated in the class")
        width = record.fields[node.attr]
        if self._shape.implied(width):
            return self._only(width)
        text = self._place(base, node.attr)
        value = self._typed(text, width, record.is_table)
        inner = self._program.records.get(width)
        if inner is None:
            return value
        # A table in one that has a name is a constant of its own; any other is reached by an address.
        return value._replace(inline=base.c in self._shape.named if inner.is_table else True)

    def _place(self, base: Value, field: str) -> str:
        """Where a field is."""
        if base.c in self._shape.named:
            return f"NUVRIK_{macro_of(base.c, field)}"
        return f"{base.text}{'.' if base.inline else '->'}{field}"

    def _item(self, node: ast.Subscript) -> Value:
        base, at = self._value(node.value), self._value(node.slice)
        if base.c != "list" or at.low < 0:
            raise Outside(
                node, f"{ast.unparse(node)} is no place in a list", "index lists by what is never negative"
            )
        if self._shape.implied(base.of):
            return self._only(base.of)
        return self._typed(f"{base.text}[{at.text}]", base.of)._replace(inline=base.of not in RANGES)

    def _call(self, node: ast.Call) -> Value:
        if is_narrowed(node):
            return self._narrowed(node, ast.unparse(node.func))
        if isinstance(node.func, ast.Attribute):
            owner = self._value(node.func.value)
            key = f"{owner.c}.{node.func.attr}"
            given = [] if self._shape.implied(owner.c) else [owner.reference]
        else:
            key, given = ast.unparse(node.func), []
        if key == "abs":
            return self._size(node)
        if key == "len":
            return Value(self._count(node.args[0]), "uint8_t", 0, 255)
        routine = self._program.called(key)
        if routine is None:
            raise Outside(node, f"{key} is no function of core", "call functions of core, and abs()")
        given += self._given(routine, node)
        text = f"{c_name(routine)}({', '.join(given)})"
        return Value(text, "void") if routine.gives == "None" else self._typed(text, routine.gives)

    def _narrowed(self, node: ast.Call, width: str) -> Value:
        """What was a parameter or a result, and is known to be of its width."""
        value, kept = self._value_for(node.args[0], width), RANGES[width]
        text, _ = stored(value, kept, width)
        low, high = max(value.low, kept.low), min(value.high, kept.high)
        return value._replace(low=low, high=high) if text == value.text else Value(text, kept.c, low, high)

    def _given(self, routine: Routine, node: ast.Call) -> list[str]:
        """What a function is given, each in the width that it takes."""
        if len(node.args) != len(routine.takes) or node.keywords:
            raise Outside(node, f"{routine.key} takes {len(routine.takes)} values", "give each by its place")
        takes = zip(node.args, routine.takes.items(), strict=True)
        return [
            self._fitted(one, width, name) for one, (name, width) in takes if not self._shape.implied(width)
        ]

    def _size(self, node: ast.Call) -> Value:
        value = self._value(node.args[0])
        most = max(abs(value.low), abs(value.high))
        c = narrowest(-most, most, node)
        wide = c == "int16_t" and value.c not in ("uint8_t", "int8_t", "int16_t")
        text = f"(int16_t){value.bracketed}" if wide else value.text
        return Value(f"nuvrik_abs{16 if c == 'int16_t' else 32}({text})", c, 0, most)

    def _binary(self, node: ast.BinOp) -> Value:
        inner, mask = node.left, node.right
        kept = self._mask(mask) if isinstance(node.op, ast.BitAnd) else 0
        wraps = isinstance(inner, ast.BinOp) and isinstance(inner.op, ast.Add | ast.Sub | ast.LShift)
        if kept in WRAPS and wraps and isinstance(inner, ast.BinOp):
            return wrapped(inner, self._value(inner.left), self._value(inner.right), kept)
        if kept in (0xFF, 0xFFFF):
            value, c = self._value(inner), "uint8_t" if kept == 0xFF else "uint16_t"
            high = min(value.high, kept) if value.low >= 0 else kept
            return Value(f"({c}){value.bracketed}", c, 0, high)
        return arithmetic(node, self._value(node.left), self._value(node.right))

    def _mask(self, node: ast.expr) -> int:
        """The number that a mask is, 0 for what is none."""
        if isinstance(node, ast.Name) and node.id in self._program.constants:
            return self._program.constants[node.id].value
        return node.value if isinstance(node, ast.Constant) and isinstance(node.value, int) else 0

    def _unary(self, node: ast.UnaryOp) -> Value:
        value = self._value(node.operand)
        if isinstance(node.op, ast.USub) and value.constant and value.text[0].isdigit():
            return number(-value.low)
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
        first, second = _plain(one, other, c), _plain(other, one, c)
        if one.c != other.c and c in ("int32_t", "uint32_t"):
            # Arms of one type: where one of two has a sign, C would take both for unsigned.
            first, second = (one.bracketed if one.c == c else f"({c}){one.bracketed}" for one in (one, other))
        return Value(f"{test} ? {first} : {second}", c, low, high, promoted, False)

    def _count(self, node: ast.expr) -> str:
        """How many tables there are in a list of a table."""
        base = self._value(node.value) if isinstance(node, ast.Attribute) else None
        if base is None or not self._program.records[base.c].is_table:
            raise Outside(node, "len() of what is no list of a table", "keep its length in a field")
        assert isinstance(node, ast.Attribute)
        known = self._shape.lengths.get((base.c, node.attr))
        return self._place(base, f"{node.attr}_count") if known is None else str(known)


def _plain(value: Value, other: Value, c: str) -> str:
    """An arm of a choice. In C++ names out of two enumerations, or one and a number, are two types."""
    named = value.constant and value.text.startswith("NUVRIK_")
    alone = other.constant and not other.text.startswith("NUVRIK_")
    return (
        f"({c if other.constant else other.c}){value.bracketed}" if named and not alone else value.bracketed
    )


def c_name(routine: Routine) -> str:
    """The name of a function in C. The board's and the builder's own are named by what they do."""
    name = routine.name.strip("_")
    if routine.owner in AROUND:
        return f"{AROUND[routine.owner]}_{name}"
    return f"nuvrik_{snake(routine.owner)}_{name}" if routine.owner else f"nuvrik_{name}"
