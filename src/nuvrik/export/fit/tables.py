"""What is left of a link's tables, as a module that takes little room."""

from nuvrik.core.widths import Table
from nuvrik.export.fit.live import Field
from nuvrik.export.program import Program

HEAD = '''from collections import namedtuple


class T:
    """Numbers by their names."""

    def __init__(self, **numbers):
        for name in numbers:
            setattr(self, name, numbers[name])


def pick(ones, places):
    """Some of them more than once."""
    return [ones[at] for at in places]
'''

ENOUGH = 3
"""A kind of which there are so many is made of tuples with names, which take less room than objects and cost
a class."""


class FittedTables:
    """Writes the tables of one end. ``reads``: the fields that core still reads."""

    def __init__(self, program: Program, reads: frozenset[Field]) -> None:
        self._program, self._reads = program, reads
        self._many: dict[str, tuple[str, ...]] = {}

    def module(self, table: Table, name: str) -> str:
        """The text of a module that gives a name to a table."""
        counts: dict[str, set[str]] = {}
        self._count(table, counts)
        for kind, texts in sorted(counts.items()):
            if len(texts) >= ENOUGH:
                self._many[kind] = self._fields(kind)
        kinds = [f"{kind} = namedtuple({kind!r}, {fields!r})" for kind, fields in sorted(self._many.items())]
        return "\n".join([HEAD, *[f"{one}\n" for one in kinds], f"{name} = {self._text(table)}\n"])

    def _fields(self, kind: str) -> tuple[str, ...]:
        return tuple(field for field in self._program.records[kind].fields if (kind, field) in self._reads)

    def _count(self, table: Table, counts: dict[str, set[str]]) -> None:
        kind = type(table).__name__
        if self._fields(kind):
            counts.setdefault(kind, set()).add(self._text(table))
        for field in self._fields(kind):
            value = getattr(table, field)
            for one in value if isinstance(value, list) else [value]:
                if isinstance(one, Table):
                    self._count(one, counts)

    def _text(self, table: Table) -> str:
        kind = type(table).__name__
        values = {field: getattr(table, field) for field in self._fields(kind)}
        widths = self._program.records[kind].fields
        texts = {field: self._value(value, widths[field]) for field, value in values.items()}
        if kind in self._many:
            return f"{kind}({', '.join(texts.values())})"
        return f"T({', '.join(f'{field}={text}' for field, text in texts.items())})"

    def _value(self, value: object, width: str) -> str:
        if isinstance(value, Table):
            return self._text(value)
        if not isinstance(value, list):
            return str(value) if isinstance(value, bool) else str(int(value))  # type: ignore[call-overload]
        if width in ("list[u8]", "list[bool]"):
            return repr(bytes(value))
        texts = [self._value(one, width[5:-1]) for one in value]
        if value and set(texts) == {"T()"}:
            # Nobody reads anything of them; but they are counted.
            return f"bytes({len(value)})"
        ones = list(dict.fromkeys(texts))
        if len(ones) < len(texts) and width[5:6].isupper():
            return f"pick([{', '.join(ones)}], {bytes(map(ones.index, texts))!r})"
        return f"[{', '.join(texts)}]"
