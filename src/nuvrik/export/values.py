"""What an expression is in C: its text, the type it is worked out in, and the numbers it can come to.

How this works. C works arithmetic out in ``int``, which has 16 bits on a small chip and 32 elsewhere, so the
same text may give other numbers there. Every operation is therefore done in the narrowest of int16_t,
uint16_t, int32_t and uint32_t that holds both operands and the result, as far as their ranges are known; an
operand gets a cast where C would otherwise work in something else. What fits no 32 bits is an error.
"""

import ast
from typing import NamedTuple

from nuvrik.core.ranges import RANGES, Width
from nuvrik.export.program import Outside

LIMITS = {
    one.c: (one.low, one.high)
    for name, one in RANGES.items()
    if name in ("u8", "i8", "u16", "i16", "u32", "i32")
}
LIMITS["bool"] = (0, 1)

TYPES = ("int16_t", "uint16_t", "int32_t", "uint32_t")
"""What arithmetic is done in, narrowest first."""

SYMBOLS: dict[type[ast.AST], str] = {
    ast.Add: "+",
    ast.Sub: "-",
    ast.Mult: "*",
    ast.FloorDiv: "/",
    ast.Mod: "%",
    ast.LShift: "<<",
    ast.RShift: ">>",
    ast.BitAnd: "&",
    ast.BitOr: "|",
    ast.BitXor: "^",
    ast.Eq: "==",
    ast.NotEq: "!=",
    ast.Lt: "<",
    ast.LtE: "<=",
    ast.Gt: ">",
    ast.GtE: ">=",
}

TRUSTED = ("product", "amount")
"""The widths that say what link files keep a product within."""


class Value(NamedTuple):
    """An expression. ``c`` is its type in C; or the name of a class, for an object of it, ``inline`` if it is
    part of another; or "list", with ``of`` for what is in it, ``rom`` if that is a table's. ``promoted``: C
    works it out as an int, so that it has to be cast to be stored in ``c``. ``simple``: it needs no brackets.
    ``constant``: a number."""

    text: str
    c: str
    low: int = 0
    high: int = 0
    promoted: bool = False
    simple: bool = True
    constant: bool = False
    of: str = ""
    inline: bool = False
    rom: bool = False

    @property
    def reference(self) -> str:
        """An object as it is given to a function."""
        return f"&{self.text}" if self.inline else self.text

    @property
    def bracketed(self) -> str:
        """Its text as an operand."""
        return self.text if self.simple else f"({self.text})"


def narrowest(low: int, high: int, node: ast.AST) -> str:
    """The narrowest type of arithmetic that holds a range."""
    for c in TYPES:
        if LIMITS[c][0] <= low and high <= LIMITS[c][1]:
            return c
    raise Outside(
        node,
        f"it can come to {low} to {high}, which fits no 32 bits",
        "store a part of it in a narrower width first, or in a product where link files keep it small",
    )


def number(value: int, written: str = "") -> Value:
    """A number in a text; ``written`` keeps 0x1021 as it is."""
    text = written or str(value)
    if value > LIMITS["int16_t"][1]:
        text = f"{text}U" if value <= LIMITS["uint16_t"][1] else f"INT32_C({text})"
    elif value < -32767:
        text = f"{value + 1} - 1" if value >= -32768 else f"INT32_C({value})"
    c = "int16_t" if -32768 <= value <= 32767 else narrowest(value, value, ast.Constant(value))
    return Value(text, c, value, value, constant=True, simple=value >= 0)


def operand(value: Value, c: str, leads: bool) -> str:
    """An operand of something worked out in ``c``. The one that leads carries the cast that makes C do so."""
    text = value.bracketed
    small = value.c in ("uint8_t", "int8_t", "bool")
    if value.constant:
        # A number has 16 bits on a small chip, without a sign from 32768 on, unless it says that it has more.
        narrow = LIMITS["int16_t"][0] <= value.low and value.high <= LIMITS["uint16_t"][1]
        mixed = c == "int32_t" and value.high > LIMITS["int16_t"][1]
        return f"({c}){text}" if c in ("int32_t", "uint32_t") and narrow and (leads or mixed) else text
    if value.c == c and not (value.promoted and c == "uint16_t"):
        return text
    signed = value.c.startswith("int") or value.promoted
    if c == "int16_t" and small:
        return text
    if c == "uint16_t" and value.c in ("uint8_t", "bool"):
        return text
    if c == "int32_t" and not leads and value.c != "uint32_t":
        return text
    if c == "uint32_t" and not leads and not signed:
        return text
    return f"({c}){text}"


def both(left: Value, right: Value, c: str) -> tuple[str, str]:
    """Two operands of something worked out in ``c``, with no more casts than C needs."""
    if c == "uint16_t" and c not in (left.c, right.c):
        # Where an int has 16 bits, two bytes are worked out in numbers with a sign, which this passes.
        return f"(uint16_t){left.bracketed}", operand(right, c, False)
    there = right.c == c and not right.constant and not right.promoted and c in ("int32_t", "uint32_t")
    return operand(left, c, not there), operand(right, c, False)


def arithmetic(node: ast.BinOp, left: Value, right: Value, trusted: str = "") -> Value:
    """Two operands and what is between them. ``trusted``: the width that link files keep a product within."""
    op = type(node.op)
    if op not in SYMBOLS or op is ast.Mod:
        raise Outside(node, f"{type(node.op).__name__} is not in the subset", "use + - * // >> << & | ^")
    low, high = reach(node, left, right)
    if trusted:
        c, low, high = RANGES[trusted]
    elif op in (ast.LShift, ast.RShift):
        c = narrowest(min(left.low, low), max(left.high, high), node)
        first = both(left, left, c)[0]
        return Value(f"{first} {SYMBOLS[op]} {right.bracketed}", c, low, high, c in TYPES[:2], False)
    else:
        c = narrowest(min(left.low, right.low, low), max(left.high, right.high, high), node)
    first, second = both(left, right, c)
    return Value(f"{first} {SYMBOLS[op]} {second}", c, low, high, c in TYPES[:2], False)


def wrapped(node: ast.BinOp, left: Value, right: Value, mask: int) -> Value:
    """``(a - b) & 0xFF``, ``& 0xFFFF`` or ``& WRAP``: only the lowest bits count, so it is done in unsigned
    numbers."""
    wide = mask > 0xFFFF
    for one in (left, right):
        if one.low < 0 or one.high > (mask if wide else 0xFFFF):
            raise Outside(node, "what wraps is wider than that, or may be negative", "wrap its parts first")
    symbol = SYMBOLS[type(node.op)]
    if wide:
        first, second = both(left, right, "uint32_t")
        return Value(f"({first} {symbol} {second}) & UINT32_C({mask:#x})", "uint32_t", 0, mask, simple=False)
    c = "uint8_t" if mask == 0xFF else "uint16_t"
    first, second = operand(left, "uint16_t", True), operand(right, "uint16_t", False)
    if isinstance(node.op, ast.LShift):
        first = f"(uint16_t){left.bracketed}"
    return Value(f"({c})({first} {symbol} {second})", c, 0, mask)


def reach(node: ast.BinOp, a: Value, b: Value) -> tuple[int, int]:
    """The numbers that an operation can come to."""
    op = type(node.op)
    if op is ast.Add:
        return a.low + b.low, a.high + b.high
    if op is ast.Sub:
        return a.low - b.high, a.high - b.low
    if op is ast.Mult:
        ends = [x * y for x in (a.low, a.high) for y in (b.low, b.high)]
        return min(ends), max(ends)
    if op is ast.BitAnd and b.low >= 0:
        return 0, min(a.high, b.high) if a.low >= 0 else b.high
    if a.low < 0 or b.low < 0:
        raise Outside(
            node,
            f"{SYMBOLS[op]} of what may be negative ({a.low} to {a.high}, {b.low} to {b.high})",
            "test for it first, or use div(), which rounds alike on both sides of zero",
        )
    if op is ast.FloorDiv:
        return a.low // max(b.high, 1), a.high // max(b.low, 1)
    if op is ast.LShift:
        return a.low << b.low, a.high << b.high
    if op is ast.RShift:
        return a.low >> b.high, a.high >> b.low
    return 0, (1 << max(a.high.bit_length(), b.high.bit_length())) - 1


def stored(value: Value, width: Width, written: str) -> tuple[str, bool]:
    """An expression as it is stored in a width, and whether its range proves that it fits. Where not, C cuts
    it off, and checked mode sees to it that there is nothing to cut."""
    proven = width.low <= value.low and value.high <= width.high
    if value.constant or width.c == "bool":
        if not proven and value.constant:
            raise Outside(None, f"{written} does not fit its width", "take a wider one")
        return value.text, True
    low, high = LIMITS[width.c]
    widens = low <= LIMITS[value.c][0] and LIMITS[value.c][1] <= high
    if widens and (not value.promoted or width.c == "int32_t"):
        return value.text, proven
    return f"({width.c}){value.bracketed}", proven
