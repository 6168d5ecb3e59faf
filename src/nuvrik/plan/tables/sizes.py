"""How many of each a link has: the rooms that its core needs on a chip."""

from collections.abc import Iterator

from nuvrik.core import sizes
from nuvrik.core.widths import Table


def sizes_of(table: Table) -> dict[str, int]:
    """For every ``MOST_NAMES`` that a list of a table decides, how long the longest of that name is; at least
    1, because a list of nothing is none in C."""
    longest: dict[str, int] = {}
    for one in tables_in(table):
        for name, value in vars(one).items():
            most = f"MOST_{name.upper()}"
            if isinstance(value, list) and hasattr(sizes, most):
                longest[most] = max(longest.get(most, 1), len(value))
    return longest


def tables_in(table: Table) -> Iterator[Table]:
    """A table and every table in it."""
    yield table
    for value in vars(table).values():
        for one in value if isinstance(value, list) else [value]:
            if isinstance(one, Table):
                yield from tables_in(one)
