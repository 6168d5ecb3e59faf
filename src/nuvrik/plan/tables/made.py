"""Tables, checked: every field there, and within its width; and those that stand in several others."""

from collections.abc import Sequence
from typing import TypeVar, get_args

from nuvrik.core.curve import CurveTable, Point
from nuvrik.core.levels import FULL
from nuvrik.core.ramp import FINE, RampTable
from nuvrik.core.ranges import RANGES, width_name
from nuvrik.core.widths import Table
from nuvrik.levels import level_of

Made = TypeVar("Made", bound=Table)

MOST = 256
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


def ramp_table(ramp_ms: int, pause_ms: int = 0) -> RampTable:
    """A ramp from 0 to full in ``ramp_ms``, 0: at once."""
    return made(
        RampTable,
        rate=-(-FULL * FINE // ramp_ms) if ramp_ms else 0,
        dt_most=2 * ramp_ms,
        pause_ms=pause_ms,
    )


def curve_table(points: Sequence[Sequence[float]]) -> CurveTable:
    """A curve, from its points as fractions."""
    return made(CurveTable, points=[made(Point, x=level_of(x), y=level_of(y)) for x, y in points])
