"""Tables as C: constants, the inner ones first, in flash on a small chip."""

import re
from collections.abc import Iterator, Sequence, Set

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.fit.fold import macro_of
from nuvrik.export.fit.kinds import inner_of
from nuvrik.export.shape import Shape

NAMES = re.compile(r"\bNUVRIK_\w+")


def tables_of(shape: Shape, asked: Set[str]) -> list[str]:
    """The tables of a link, as far as they are ``asked`` for by their names. Of a kind of which there is one,
    each list and each table in it is a constant with a name of its own; its numbers stand where they are
    asked for."""
    assert shape.table is not None
    made = _Made(shape)
    made.named(shape.table)
    kept: list[str] = []
    wanted = set(asked)
    for name, lines in reversed(made.blocks):
        if name in wanted:
            wanted |= set(NAMES.findall(" ".join(lines)))
            kept = [*lines, *kept]
    return kept


def as_c(shape: Shape, table: Table, name: str) -> str:
    """C that has a table under a name, with constants for all that it leads to.

    >>> from nuvrik.core.ramp import RampTable
    >>> from nuvrik.export.program import core
    >>> print(as_c(Shape(core()), RampTable(rate=9, dt_most=2, pause_ms=0), "RAMP"))
    /* rate, dt_most, pause_ms */
    static const NUVRIK_FLASH NuvrikRampTable RAMP = {9, 2, 0};
    """
    made = _Made(shape)
    made.one(table, name)
    return "\n".join(line for _, lines in made.blocks for line in lines)


class _Made:
    """What has been written so far: constants, each with a name that says where it belongs."""

    def __init__(self, shape: Shape) -> None:
        self._shape = shape
        self.blocks: list[tuple[str, list[str]]] = []

    def named(self, table: Table) -> None:
        """What a table leads to that is the only one of its kind."""
        kind = type(table).__name__
        for field, width in self._shape.program.records[kind].fields.items():
            value, name = getattr(table, field), f"NUVRIK_{macro_of(kind, field)}"
            if isinstance(value, list):
                inner = inner_of(width)
                if inner in self._shape.named:
                    for one in value:
                        self.named(one)
                elif value or (kind, field) in self._shape.reads:
                    self.many(value, inner, name)
            elif isinstance(value, Table):
                if type(value).__name__ in self._shape.named:
                    self.named(value)
                else:
                    self.one(value, name)

    def one(self, table: Table, name: str) -> None:
        """A table as a constant."""
        kind = type(table).__name__
        made = self._braces(table, name)
        line = f"static const NUVRIK_FLASH Nuvrik{kind} {name} = {made};"
        self.blocks.append((name, [*self._meaning(kind), line]))

    def many(self, values: Sequence[object], of: str, name: str) -> None:
        """A list as a constant."""
        made = [
            self._braces(one, f"{name}_{at}") if isinstance(one, Table) else literal(one, of)
            for at, one in enumerate(values)
        ]
        c = RANGES[of].c if of in RANGES else f"Nuvrik{of}"
        head = f"static const NUVRIK_FLASH {c} {name}[] = {{"
        if of in RANGES or not made:
            self.blocks.append((name, [f"{head}{', '.join(made or ['{0}'])}}};"]))
        else:
            lines = [head, *(f"    {one}," for one in made[:-1]), f"    {made[-1]}", "};"]
            self.blocks.append((name, [*self._meaning(of), *lines]))

    def _meaning(self, kind: str) -> list[str]:
        """What the numbers of a table mean, in their order."""
        fields = []
        record = self._shape.program.records[kind]
        for field, width in self._shape.kept(record).items():
            fields += [field] if inner_of(width) not in self._shape.named else []
            fields += ["how many"] if inner_of(width) and (kind, field) not in self._shape.lengths else []
        return [f"/* {', '.join(fields)} */"] if fields else []

    def _braces(self, table: Table, name: str) -> str:
        """One table, after the lines of all that it leads to."""
        return f"{{{', '.join(self._fields(table, name)) or '0'}}}"

    def _fields(self, table: Table, name: str) -> Iterator[str]:
        record = self._shape.program.records[type(table).__name__]
        for field, width in record.fields.items():
            value, inner = getattr(table, field), f"{name}_{field.upper()}"
            if isinstance(value, list):
                of = inner_of(width)
                if of in self._shape.named:
                    for one in value:
                        self.named(one)
                elif value:
                    self.many(value, of, inner)
                    yield inner
                else:
                    yield "0"
                if (record.name, field) not in self._shape.lengths:
                    yield str(len(value))
            elif isinstance(value, Table):
                if type(value).__name__ in self._shape.named:
                    self.named(value)
                else:
                    self.one(value, inner)
                    yield f"&{inner}"
            else:
                yield literal(value, width)


def literal(value: object, width: str) -> str:
    """A number as C writes it."""
    number = int(value)  # type: ignore[call-overload]
    if width == "bool":
        return "true" if number else "false"
    return f"{number}U" if number > 0x7FFF and RANGES[width].low >= 0 else str(number)
