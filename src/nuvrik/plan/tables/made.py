"""Tables, checked: every field there, and within its width."""

from typing import TypeVar, get_args

from nuvrik.core.ranges import RANGES, width_name
from nuvrik.core.widths import Table

Made = TypeVar("Made", bound=Table)

MOST = 255
"""A list of a table is no longer: its length is a byte."""


def made(table: type[Made], /, **values: object) -> Made:
    """A table of a kind. ValueError if a field is missing, too many, or out of the range of its width.

    >>> from nuvrik.core.ramp import RampTable
    >>> made(RampTable, rate=67109, dt_most=500, pause_ms=0).dt_most
    500
    """
    notes = table.__annotations__
    if set(notes) != set(values):
        raise ValueError(f"{table.__name__} takes {', '.join(notes)}, and not {', '.join(values)}")
    for name, note in notes.items():
        value, of = values[name], get_args(note)
        if isinstance(value, list):
            if len(value) > MOST:
                raise ValueError(f"{table.__name__}.{name} has {len(value)} of at most {MOST}")
            for one in value:
                _check(f"{table.__name__}.{name}", one, of[0])
        else:
            _check(f"{table.__name__}.{name}", value, note)
    return table(**values)


def _check(name: str, value: object, note: object) -> None:
    width = width_name(note)
    if width and not (isinstance(value, int) and RANGES[width].low <= value <= RANGES[width].high):
        raise ValueError(f"{name} is {value!r}, which does not fit its width {width}")
