"""``nuvrik check --tables``: a link as the whole numbers that its machine runs on."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from nuvrik.cli.words import DONE, console, say_json
from nuvrik.core.widths import Table
from nuvrik.plan.load import load
from nuvrik.plan.tables.ends import end_table


def run_tables(file: Path, as_json: bool) -> int:
    """Print every table, named."""
    link = load(file)
    table = end_table(link, stream=not link.medium.datagrams)
    if as_json:
        say_json(record(table))
        return DONE
    out = console()
    out.print((link.name, "bold"), ": the whole numbers that its machine runs on, in every language")
    for path, fields in _lines(table, "end"):
        out.paragraph(f"{path}  {fields}")
    return DONE


def record(value: Any) -> Any:
    """A table as JSON has it: by the names of its fields."""
    if isinstance(value, Table):
        return {name: record(one) for name, one in vars(value).items()}
    return [record(one) for one in value] if isinstance(value, list) else value


def _lines(table: Table, path: str) -> Iterator[tuple[str, str]]:
    """Each table in a line: where it is, and its numbers; those in it follow."""
    fields, inner = [], []
    for name, value in vars(table).items():
        if isinstance(value, Table):
            inner.append((f"{path}.{name}", value))
        elif isinstance(value, list) and value and isinstance(value[0], Table):
            inner += [(f"{path}.{name}[{at}]", one) for at, one in enumerate(value)]
        elif isinstance(value, list):
            fields.append(f"{name}=[{','.join(str(int(one)) for one in value)}]")
        else:
            fields.append(f"{name}={int(value)}")
    yield path, " ".join(fields)
    for where, one in inner:
        yield from _lines(one, where)
