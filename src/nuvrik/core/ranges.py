"""The range of each width, by its name: for the check, checked mode, the translator and tables."""

from typing import Any, NamedTuple

from nuvrik.core import widths


class Width(NamedTuple):
    """A C type, and what may be stored in it."""

    c: str
    low: int
    high: int


def width_name(note: Any) -> str:
    """The name of the width that an annotation stands for, "" for none.

    >>> width_name(widths.u16), width_name(bool), width_name(list[int])
    ('u16', 'bool', '')
    """
    return "bool" if note is bool else getattr(note, "__metadata__", ("",))[0]


RANGES = {"bool": Width("bool", 0, 1)} | {
    name: Width(*note.__metadata__[1:]) for name, note in vars(widths).items() if width_name(note) == name
}
