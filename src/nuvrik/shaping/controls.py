"""One object for each control: raw readings in, a level out, None while there is no reading."""

from collections.abc import Mapping

from nuvrik.core.ramp import Slew
from nuvrik.levels import FULL, LONG_AGO, div
from nuvrik.plan.form.controls import (
    AxisControl,
    ButtonControl,
    KeyControl,
    MadeControl,
    ReadControl,
    SliderControl,
)
from nuvrik.plan.tables import ramp_table
from nuvrik.shaping.curves import Bend

SMOOTH_BITS = 4
"""A smoothed level is kept this much finer, so that it arrives; the product still fits in 32 bits."""


class Control:
    """What every control does: hold its last reading, and let it go stale.

    ``value`` is a level (-FULL to FULL), or 0 or FULL for a button, or None for *no reading*. Times
    are milliseconds that only grow; once it is ``stale_at_ms``, ``stale_ms`` after the reading, it must be
    withdrawn.
    ``latched`` says that the value is held although no hand holds it.
    """

    latched = False

    def __init__(self, name: str, stale_ms: int) -> None:
        self.name = name
        self.value: int | None = None
        self.stale_at_ms = LONG_AGO
        self.stale_ms = stale_ms

    def withdraw(self) -> None:
        """From now on there is no reading, until the next one."""
        self.value = None

    def read(self, raw: int, now_ms: int) -> None:
        """Take a raw reading."""
        raise NotImplementedError


class Moved(Control):
    """An axis or a slider: bent, and if need be smoothed, slowed or held."""

    def __init__(self, name: str, model: AxisControl | SliderControl) -> None:
        super().__init__(name, model.stale_ms)
        self._bend = Bend(model)
        self._known = self._bend.known
        self._ignore = frozenset(model.ignore)
        self._smooth_ms = model.smooth_ms
        self._slew = Slew(ramp_table(model.ramp_ms)) if model.ramp_ms else None
        self._holds = isinstance(model, AxisControl) and model.on_release == "hold"
        self._plain = not (self._smooth_ms or self._slew or self._holds)
        self._begun = False
        self._fine = 0
        self._read_ms = 0
        self._pushed = 0
        self._held = 0

    def read(self, raw: int, now_ms: int) -> None:
        self.stale_at_ms = now_ms + self.stale_ms
        if raw in self._ignore:
            self.value = None
            return
        level = self._known.get(raw)
        if level is None:
            level = self._bend.level(raw)
        self.value = level if self._plain else self._followed(level, now_ms)

    def _followed(self, level: int, now_ms: int) -> int:
        if self._holds:
            level = self._kept(level)
        # Behind a gap it goes on from the value sent last: what passed in the gap is no time of moving. Only
        # the first reading of all is taken as it is.
        first, gap, dt_ms = not self._begun, self.value is None, now_ms - self._read_ms
        self._begun, self._read_ms = True, now_ms
        dt_ms = 0 if gap else dt_ms
        if self._smooth_ms:
            if first:
                self._fine = level << SMOOTH_BITS
            dt_ms_here = min(dt_ms, self._smooth_ms)
            ahead = (level << SMOOTH_BITS) - self._fine
            self._fine += div(ahead * dt_ms_here, self._smooth_ms + dt_ms_here)
            level = div(self._fine, 1 << SMOOTH_BITS)
        if self._slew:
            if first:
                self._slew.put(level)
            self._slew.towards(level, dt_ms)
            level = self._slew.at()
        return level

    def _kept(self, level: int) -> int:
        """Where the furthest point of the last push was."""
        if level == 0:
            self._pushed = 0
        elif abs(level) > abs(self._pushed) or level * self._pushed < 0:
            self._pushed = self._held = level
        self.latched = level == 0 and self._held != 0
        return self._held

    def withdraw(self) -> None:
        super().withdraw()
        # What was held is not known to be wanted any more.
        self._held = self._pushed = 0
        self.latched = False


class Pressed(Control):
    """A button or a key: on or off, and how often it has been pressed so far."""

    presses = 0

    def switch_off(self) -> None:
        """A toggle that is on goes off; nothing else changes."""
        if self.latched:
            self.latched, self.value = False, 0


class Button(Pressed):
    """Something pressed or not, debounced; with ``toggle``, each press toggles it.

    What it reads first is where it starts, so a button held down at power-up is no press.
    """

    def __init__(self, name: str, model: ButtonControl) -> None:
        super().__init__(name, model.stale_ms)
        self._active = 1 if model.active == "high" else 0
        self._debounce_ms = model.debounce_ms
        self._toggle = model.toggle
        self._pressed: bool | None = None
        self._changed_ms: int | None = None

    def withdraw(self) -> None:
        super().withdraw()
        # A press that began before the gap is not known to have lasted through it; and what the
        # button reads after the gap is, again, where it starts.
        self._pressed = None
        self._changed_ms = None

    def read(self, raw: int, now_ms: int) -> None:
        self.stale_at_ms = now_ms + self.stale_ms
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
                self.presses += pressed
                if self._toggle:
                    self.latched ^= pressed
        self.value = FULL if (self.latched if self._toggle else self._pressed) else 0


class Key(Pressed):
    """A code that arrives again and again while it is held. Its reading counts the arrivals.

    No arrival is no press: a key goes to *released*, never to *no reading*, when nothing comes.
    """

    def __init__(self, name: str, model: KeyControl) -> None:
        super().__init__(name, model.released_after_ms)
        self._every = model.repeat == "every"
        self._toggle = model.toggle
        self._count: int | None = None
        self._down = False
        self.value = 0

    def read(self, raw: int, now_ms: int) -> None:
        if self._down and now_ms >= self.stale_at_ms:
            self.withdraw()
        if self._count is not None and raw != self._count:
            self.arrive(now_ms, fresh=not self._down)
        self._count = raw

    def arrive(self, now_ms: int, *, fresh: bool) -> None:
        """Its code has arrived: for a press, or (not ``fresh``) because it is held. One that is known to be
        held keeps it down, or brings it down again after a gap, and never counts as another press of a
        toggle."""
        if fresh or self._every:
            self.presses += 1
        if self._toggle and fresh:
            self.latched = not self.latched
        self._down = True
        self.stale_at_ms = now_ms + self.stale_ms
        self.value = FULL if (self.latched if self._toggle else self._down) else 0

    def withdraw(self) -> None:
        self._down = False
        self.value = FULL if self._toggle and self.latched else 0


def read_controls(models: Mapping[str, ReadControl | MadeControl]) -> dict[str, Control]:
    """The controls of a link file that have readings of their own, by name."""
    kinds = {AxisControl: Moved, SliderControl: Moved, ButtonControl: Button, KeyControl: Key}
    return {name: kinds[type(model)](name, model) for name, model in models.items() if type(model) in kinds}
