"""What an accepted command is for the failsafe table: a drive frame or not, at rest or not.

A command without a reading of a required channel is no drive frame: it is no sign of life, and keeps nothing
moving. An optional channel that turns something enters as zero while it has no reading, and has a say again
only once it has been read at rest: a stick that comes back hard over must start nothing.
"""

from collections.abc import Sequence
from typing import NamedTuple

from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import moving_channels, output_routes


class Command(NamedTuple):
    """A command as the table sees it: whether arm is on; the place of the first required channel that has
    no reading; and the place of the first that turns something and is not at rest. None: there is none."""

    arm: bool
    missing: int | None
    moved: int | None


class Commands:
    """Sorts the commands of one link."""

    def __init__(self, link: Link) -> None:
        names = list(link.channels)
        uses = moving_channels(link, output_routes(link))
        used = [(place, uses[name]) for place, name in enumerate(names) if name in uses]
        self.band = level_of(link.failsafe.rest_band)
        self._arm = names.index(link.arm_channel) if link.arm_channel else None
        self._required = [(place, use.turns) for place, use in used if use.required]
        self._optional = [place for place, use in used if use.turns and not use.required]
        self._unready = set(self._optional)

    def sort(self, values: Sequence[int | None]) -> Command:
        """What a command is."""
        arm = self._arm is not None and bool(values[self._arm])
        band = self.band
        # Optional channels first: their readiness has to be followed in every command, drive frame or not.
        moved = self._look_at_optional(values) if self._optional else None
        for place, turns in self._required:
            value = values[place]
            if value is None:
                return Command(arm, place, None)
            # Of several that are not at rest the first is named: one is enough to act on.
            if turns and moved is None and not -band <= value <= band:
                moved = place
        return Command(arm, None, moved)

    def entering(self, values: Sequence[int | None]) -> Sequence[int | None]:
        """The values that enter the mix."""
        if not self._unready:
            return values
        return tuple(0 if place in self._unready else value for place, value in enumerate(values))

    def _look_at_optional(self, values: Sequence[int | None]) -> int | None:
        """The first optional channel that turns something and is not at rest."""
        moved = None
        for place in self._optional:
            value = values[place]
            if value is None:
                self._unready.add(place)
            elif -self.band <= value <= self.band:
                self._unready.discard(place)
            elif moved is None:
                moved = place
        return moved
