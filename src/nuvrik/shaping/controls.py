"""One object for each control: raw readings in, a level out, None while there is no reading."""

from collections.abc import Mapping

from nuvrik.levels import FULL, LONG_AGO, clamp, div, level_of, mul
from nuvrik.plan.models import AxisControl, ButtonControl
from nuvrik.plan.models import Control as ControlModel


class Control:
    """What every control does: hold its last reading, and let it go stale.

    ``value`` is a level (-FULL to FULL), or 0 or FULL for a button, or None for *no reading*. Times
    are milliseconds that only grow; once it is ``stale_at_ms``, the reading must be withdrawn.
    """

    def __init__(self, name: str, stale_ms: int) -> None:
        self.name = name
        self.value: int | None = None
        self.stale_at_ms = LONG_AGO
        self._stale_ms = stale_ms

    def withdraw(self) -> None:
        """From now on there is no reading, until the next one."""
        self.value = None

    def read(self, raw: int, now_ms: int) -> None:
        """Take a raw reading."""
        raise NotImplementedError


class Axis(Control):
    """A stick: unequal halves about a rest, dead zone, expo, reverse, trim."""

    def __init__(self, name: str, model: AxisControl) -> None:
        super().__init__(name, model.stale_ms)
        self._low, self._rest, self._high = model.raw
        self._ignore = frozenset(model.ignore)
        self._dead_zone = min(level_of(model.dead_zone), FULL - 1)
        self._expo = level_of(model.expo)
        self._sign = -1 if model.reverse else 1
        self._trim = level_of(model.trim)
        # Shaping is a pure function of a reading inside the raw range: each is worked out once.
        self._known: dict[int, int] = {}

    def read(self, raw: int, now_ms: int) -> None:
        self.stale_at_ms = now_ms + self._stale_ms
        if raw in self._ignore:
            self.value = None
            return
        value = self._known.get(raw)
        if value is None:
            reading = clamp(raw, min(self._low, self._high), max(self._low, self._high))
            value = self._known[reading] = self._shaped(self._straight(reading))
        self.value = value

    def _straight(self, reading: int) -> int:
        """The level before any curve: 0 at rest, each half scaled to its own end."""
        distance = reading - self._rest
        if distance == 0:
            return 0
        upper = self._high - self._rest
        if upper and (distance > 0) == (self._high > self._low):
            return div(distance * FULL, upper)
        return -div(distance * FULL, self._low - self._rest)

    def _shaped(self, level: int) -> int:
        size = abs(level)
        sign = 1 if level > 0 else -1
        zone = self._dead_zone
        level = 0 if size <= zone else sign * div((size - zone) * FULL, FULL - zone)
        level = mul(FULL - self._expo, level) + mul(self._expo, mul(mul(level, level), level))
        return clamp(self._sign * level + self._trim, -FULL, FULL)


class Button(Control):
    """Something pressed or not, debounced; with ``toggle``, each press changes it over.

    What it reads first is where it starts, so a button held down at power-up is no press.
    """

    def __init__(self, name: str, model: ButtonControl) -> None:
        super().__init__(name, model.stale_ms)
        self._active = 1 if model.active == "high" else 0
        self._debounce_ms = model.debounce_ms
        self._toggle = model.toggle
        self._pressed: bool | None = None
        self._on = False
        self._changed_ms: int | None = None

    def withdraw(self) -> None:
        super().withdraw()
        # A press that began before the gap is not known to have lasted through it; and what the
        # button reads after the gap is, again, where it starts.
        self._pressed = None
        self._changed_ms = None

    def read(self, raw: int, now_ms: int) -> None:
        self.stale_at_ms = now_ms + self._stale_ms
        pressed = (1 if raw else 0) == self._active
        if pressed == self._pressed:
            self._changed_ms = None
        elif self._pressed is None:
            self._pressed = pressed
        else:
            if self._changed_ms is None:
                self._changed_ms = now_ms
            if now_ms - self._changed_ms >= self._debounce_ms:
                self._pressed, self._changed_ms = pressed, None
                self._on ^= pressed
        on = self._on if self._toggle else self._pressed
        self.value = FULL if on else 0


def build_controls(models: Mapping[str, ControlModel]) -> dict[str, Control]:
    """The control objects of a link file, by name."""
    return {
        name: Axis(name, model) if isinstance(model, AxisControl) else Button(name, model)
        for name, model in models.items()
    }
