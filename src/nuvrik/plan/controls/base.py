"""What every kind of control has in common, and what the rest of the house asks of it.

A kind of control is one class, in ``read`` or in ``made``: what may be written in a link file, what is wrong
with that, its words, and its table.
"""

from collections.abc import Mapping
from typing import ClassVar

from nuvrik.core.widths import Table
from nuvrik.plan.form.base import Section


class ControlBase(Section):
    """What a hand or a sensor moves on the handset."""

    core_kind: ClassVar[int]
    """What core calls the kind."""
    rows: ClassVar[str]
    """The list of that kind in core's table of hands."""

    @property
    def parts(self) -> dict[str, str]:
        """The buttons or keys that it is made of or listens to: key in the link file -> name."""
        return {}

    @property
    def looks_at(self) -> int:
        """How many of them it looks at for presses."""
        return 0

    @property
    def words(self) -> str:
        """What it does, in a line."""
        raise NotImplementedError

    @property
    def hints(self) -> list[str]:
        """What whoever drives has to know of it beyond what it does."""
        return []

    def table(self, places: Mapping[str, int], *, waits: bool = False, turns: bool = False) -> Table:
        """It as a table; ``places`` are those of all controls. ``waits``: it says where a place is to be, and
        only once it has been pressed; ``turns``: it has a say in what turns."""
        raise NotImplementedError
