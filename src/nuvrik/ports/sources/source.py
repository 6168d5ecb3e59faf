"""What a source is: something from which readings of controls come, live."""

from collections.abc import Collection, Mapping
from typing import Protocol

from nuvrik.plan.controls import KeyControl, ReadControl

Items = Mapping[str, int | None]
"""What a source says of its items, by name: a whole number, or None for one that has no reading."""


class SourceError(Exception):
    """A source that is not there, or cannot be read, and what to do; in plain words."""


class Source(Protocol):
    """Something from which readings come: a gamepad, keys, another program, a board, a recording.

    ``name`` is what link files call it. Its items have names too (``left_y``, a column); a control with
    ``source = "pad.left_y"`` is moved by item left_y of the source named pad.
    """

    name: str

    comes_and_goes: bool
    """Whether it may be lost, and come back with a stick pushed over: then what turns has to rest first."""

    @property
    def items(self) -> Collection[str]:
        """The items that are known now."""

    @property
    def over(self) -> bool:
        """Whether nothing more will ever come."""

    @property
    def why(self) -> str:
        """Why nothing comes, in plain words; "" while it does."""

    def moves(self, name: str, control: ReadControl) -> str | None:
        """The item of it that surely moves a control which names no source; None for none."""

    def may_move(self, name: str) -> str | None:
        """The item of it that moves such a control if it ever comes; None where that cannot be."""

    def read(self, now_ms: int, wanted: Collection[str]) -> Items:
        """What there is to say of its items at ``now_ms``, without waiting. An item that is left out has
        nothing new: a reading that came before grows old. ``wanted`` are those that anybody looks at."""

    def moves_asked(self) -> list[tuple[str, int]]:
        """Moves by steps that have been asked for since the last look: the request's name, and how many
        steps, below 0 backward."""

    def skip(self) -> None:
        """Nobody has read for a while: throw away what has queued up."""

    def close(self) -> None:
        """Let go of it."""


class Plain:
    """What most sources have in common: they move nothing that does not name them, and throw nothing away."""

    comes_and_goes = False

    def __init__(self, name: str) -> None:
        self.name = name
        self.why = ""
        self.over = False

    def moves(self, name: str, control: ReadControl) -> str | None:
        """Nothing, unless the control names this source."""
        return None

    def may_move(self, name: str) -> str | None:
        """Nothing."""
        return None

    def moves_asked(self) -> list[tuple[str, int]]:
        """None."""
        return []

    def skip(self) -> None:
        """Nothing queues up."""

    def close(self) -> None:
        """Nothing is held."""


def item_of(source: Source, control: ReadControl) -> str | None:
    """The item of a source that a control names; None where it names another source, or none."""
    if isinstance(control, KeyControl) or control.source is None:
        return None
    name, _, item = control.source.partition(".")
    return item if name == source.name else None
