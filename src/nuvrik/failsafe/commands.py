"""What an accepted command is for the failsafe table: a drive frame or not, at rest or not.

A command without a reading of a required channel is no drive frame: it is no sign of life, and keeps nothing
moving. An optional channel that turns something enters as zero while it has no reading, and has a say again
only once it has been read at rest: a stick that comes back hard over must start nothing.
"""

from collections.abc import Sequence
from typing import NamedTuple


class Command(NamedTuple):
    """A command as the table sees it: whether arm is on; the place of the first required channel that has
    no reading; and the place of the first that turns something and is not at rest. None: there is none."""

    arm: bool
    missing: int | None
    moved: int | None


class CommandUses(NamedTuple):
    """What the channels of a link are to the table, by their places among ``channels``: the one that arms,
    None for none; the required ones, each with whether it turns something; the optional ones that turn
    something; and how far from zero still is at rest."""

    channels: int
    arm: int | None
    required: list[tuple[int, bool]]
    optional: list[int]
    band: int


NONE = -1
"""No place; also where :attr:`Commands._drives` has the command with everything at rest."""


class Commands:
    """Sorts the commands of one link."""

    def __init__(self, uses: CommandUses) -> None:
        channels, self._arm, self._required, self._optional, self.band = uses
        self._unready = set(self._optional)
        # Nearly every command is one of a few, so these are made once; the last is for everything at rest.
        self._drives = {
            arm: [*(Command(arm, None, place) for place in range(channels)), Command(arm, None, None)]
            for arm in (False, True)
        }

    def sort(self, values: Sequence[int | None]) -> Command:
        """What a command is."""
        arm = self._arm is not None and bool(values[self._arm])
        band = self.band
        # Optional channels first: their readiness has to be followed in every command, drive frame or not.
        moved = self._look_at_optional(values) if self._optional else NONE
        for place, turns in self._required:
            value = values[place]
            if value is None:
                return Command(arm, place, None)
            # Of several that are not at rest the first is named: one is enough to act on.
            if turns and moved == NONE and not -band <= value <= band:
                moved = place
        return self._drives[arm][moved]

    def entering(self, values: Sequence[int | None]) -> Sequence[int | None]:
        """The values that enter the mix."""
        if not self._unready:
            return values
        return tuple(0 if place in self._unready else value for place, value in enumerate(values))

    def _look_at_optional(self, values: Sequence[int | None]) -> int:
        """The first optional channel that turns something and is not at rest, or NONE."""
        moved = NONE
        for place in self._optional:
            value = values[place]
            if value is None:
                self._unready.add(place)
            elif -self.band <= value <= self.band:
                self._unready.discard(place)
            elif moved == NONE:
                moved = place
        return moved
