"""From the place of a hand to a value: straight halves, dead zone, expo, curve."""

from nuvrik.levels import FULL, along, clamp, div, level_of, mul
from nuvrik.plan.form.controls import AxisControl, SliderControl


class Bend:
    """How one axis or slider turns a reading into a level. Worked out once for each reading."""

    def __init__(self, model: AxisControl | SliderControl) -> None:
        if isinstance(model, AxisControl):
            self._low, self._rest, self._high = model.raw
        else:
            (self._low, self._high), self._rest = model.raw, model.raw[0]
        self._one_sided = isinstance(model, SliderControl)
        self._dead_zone = min(level_of(model.dead_zone), FULL - 1)
        self._expo = level_of(model.expo)
        self._curve = [(level_of(x), level_of(y)) for x, y in model.curve or ()]
        self._reverse = model.reverse
        self._trim = level_of(model.trim)
        self.known: dict[int, int] = {}
        """The levels worked out so far, by reading."""

    def level(self, raw: int) -> int:
        """The level of a reading; readings beyond the range count as its ends."""
        level = self.known.get(raw)
        if level is None:
            reading = clamp(raw, min(self._low, self._high), max(self._low, self._high))
            level = self.known[reading] = self._bent(self._straight(reading))
        return level

    def _straight(self, reading: int) -> int:
        """The level before any curve: 0 at rest, each half scaled to its own end."""
        distance = reading - self._rest
        if distance == 0:
            return 0
        upper = self._high - self._rest
        if upper and (distance > 0) == (self._high > self._low):
            return div(distance * FULL, upper)
        return -div(distance * FULL, self._low - self._rest)

    def _bent(self, level: int) -> int:
        level = without_dead_zone(level, self._dead_zone)
        level = along(self._curve, level) if self._curve else with_expo(level, self._expo)
        if self._reverse:
            level = FULL - level if self._one_sided else -level
        return clamp(level + self._trim, 0 if self._one_sided else -FULL, FULL)


def without_dead_zone(level: int, zone: int) -> int:
    """0 within ``zone`` of rest; beyond it what is left of the travel, stretched, so that nothing jumps."""
    size = abs(level)
    if size <= zone:
        return 0
    stretched = div((size - zone) * FULL, FULL - zone)
    return stretched if level > 0 else -stretched


def with_expo(level: int, expo: int) -> int:
    """``(1 - expo) * x + expo * x**3``."""
    return mul(FULL - expo, level) + mul(expo, mul(mul(level, level), level))
