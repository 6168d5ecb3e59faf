"""A source that was lost and is back, such as a pad: what it says of things that turn waits for rest."""

from collections.abc import Callable
from functools import partial

from nuvrik.core.hand.controls import MovedTable, bent_level
from nuvrik.levels import level_of
from nuvrik.plan.controls import AxisControl, ButtonControl, SliderControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import turning_controls


class RestsFirst:
    """What moves something that turns, and was lost, counts again only once it has been read at rest: a stick
    that comes back pushed over starts nothing."""

    def __init__(self, link: Link) -> None:
        band = level_of(link.failsafe.rest_band)
        turn = turning_controls(link)
        parts = {part for name in turn for part in link.controls[name].parts.values()}
        self._rests: dict[str, Callable[[int], bool]] = {}
        for name in turn | parts:
            control = link.controls[name]
            if isinstance(control, AxisControl | SliderControl):
                self._rests[name] = partial(_near, control.table({}), band)
            elif isinstance(control, ButtonControl):
                self._rests[name] = partial(int.__eq__, control.off)
        self._lost: set[str] = set()

    def take(self, name: str, value: int | None) -> int | None:
        """The reading that counts."""
        if name not in self._rests:
            return value
        if value is None:
            self._lost.add(name)
        elif name in self._lost:
            if not self._rests[name](value):
                return None
            self._lost.discard(name)
        return value


def _near(table: MovedTable, band: int, reading: int) -> bool:
    return reading not in table.ignore and abs(bent_level(table, reading)) <= band
