"""What is known of a link before it is compiled: fields that are the same in all of its tables.

A field of every motor that is 0 need not be read, and what is done only where it is not 0 need not be there.
And a table of which there is only one need not be looked for."""

from collections.abc import Iterator
from typing import Any, NamedTuple

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.expressions import macro_of
from nuvrik.export.program import Program
from nuvrik.export.tables_as_c import literal


class Facts(NamedTuple):
    """``macros``: what is defined, and as what; ``shared``: the constants that are named in them, each with
    the declaration that it needs."""

    macros: dict[str, str]
    shared: dict[str, str]


def facts_of(table: Table, name: str, program: Program) -> Facts:
    """Everything that is the same in all tables of a kind, of those that a table leads to."""
    macros: dict[str, str] = {}
    shared: dict[str, str] = {}
    kinds: dict[str, list[tuple[str, Table]]] = {}
    for path, one in _named(table, name):
        kinds.setdefault(type(one).__name__, []).append((path, one))
    for kind, ones in kinds.items():
        record = program.records[kind]
        for field, width in record.fields.items():
            macro = macro_of(record, field)
            values = [getattr(one, field) for _, one in ones]
            if width in RANGES:
                if len(set(map(int, values))) == 1:
                    macros[macro] = f"({RANGES[width].c}){literal(values[0], width)}"
            elif width.startswith("list["):
                if len({len(value) for value in values}) == 1:
                    macros[f"{macro}_COUNT"] = f"(uint8_t){len(values[0])}"
                if len(ones) == 1 and values[0]:
                    macros[macro], declared = _one(f"{ones[0][0]}_{field.upper()}", width[5:-1], "[]")
                    shared |= declared
            elif len(ones) == 1:
                text, declared = _one(f"{ones[0][0]}_{field.upper()}", width, "")
                macros[macro] = f"(&{text})"
                shared |= declared
    return Facts(macros, shared)


def _one(name: str, of: str, brackets: str) -> tuple[str, dict[str, str]]:
    c = RANGES[of].c if of in RANGES else f"Nuvrik{of}"
    return name, {name: f"extern const NUVRIK_FLASH {c} {name}{brackets};"}


def _named(table: Table, name: str) -> Iterator[tuple[str, Table]]:
    """A table and all that it leads to, each with the name that its constant has in C."""
    yield name, table
    for field, value in vars(table).items():
        inner: Any = value if isinstance(value, list) else [value]
        for at, one in enumerate(inner):
            if isinstance(one, Table):
                place = f"_{at}" if isinstance(value, list) else ""
                yield from _named(one, f"{name}_{field.upper()}{place}")
