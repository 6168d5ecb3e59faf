"""The values that travel, built from the levels of controls."""

from collections.abc import Mapping, Sequence

from nuvrik.levels import FULL, clamp, level_of, mul
from nuvrik.plan.form.channels import (
    Channel,
    ChoiceChannel,
    CountChannel,
    FlagChannel,
    LevelChannel,
    ShareChannel,
)
from nuvrik.shaping.controls import Control, Pressed
from nuvrik.shaping.made import Selector


class Source:
    """Where one channel's value comes from. ``value`` is asked once for each frame. ``has_several`` says that
    several controls feed it, which have to be looked at whenever one of them has been read."""

    has_several = False

    def value(self) -> int | None:
        """The channel's value now."""
        raise NotImplementedError

    def refresh(self) -> None:
        """Controls have been read, or have lost their readings."""

    @property
    def unready(self) -> Control | None:
        """A control that must be read at rest before this channel has a reading; None if there is none."""
        return None


class Scaled(Source):
    """A level or a share; None, which travels as *no reading*, where what it needs has no reading."""

    def __init__(
        self, model: LevelChannel | ShareChannel, origin: Source, controls: Mapping[str, Control]
    ) -> None:
        self._origin = origin
        self._multiplied_by = controls[model.multiplied_by] if model.multiplied_by else None
        self._slow_when = controls[model.slow_when] if model.slow_when else None
        self._slow_to = level_of(model.slow_to)
        self._preset_when = controls[model.preset_when] if model.preset_when else None
        self._preset = level_of(model.preset)
        self._low = -FULL if model.kind == "level" else 0
        self.has_several = origin.has_several

    def refresh(self) -> None:
        self._origin.refresh()

    @property
    def unready(self) -> Control | None:
        return self._origin.unready

    def value(self) -> int | None:
        value = self._origin.value()
        if value is None:
            return None
        if self._multiplied_by is not None:
            if self._multiplied_by.value is None:
                return None
            value = mul(value, self._multiplied_by.value)
        if self._slow_when is not None and self._slow_when.value != 0:
            # A switch that has no reading may be on: slow is the safe side.
            value = mul(value, self._slow_to)
        if self._preset_when is not None and self._preset_when.value:
            value = self._preset
        return clamp(value, self._low, FULL)


class One(Source):
    """A single control."""

    def __init__(self, control: Control | None) -> None:
        self._control = control

    def value(self) -> int | None:
        return self._control.value if self._control else None


class Several(Source):
    """Several controls for one channel. A control has a say only while it is ready: for what turns, once it
    has been read at rest since its readings began, so that one that lies half over starts nothing when
    another falls silent; for a place, with any reading."""

    has_several = True

    def __init__(self, controls: Sequence[Control], *, band: int, place: bool) -> None:
        self._controls = controls
        self._band = FULL if place else band
        self._rest = 0 if place else band
        self._ready: list[Control] = []

    def refresh(self) -> None:
        band, before = self._band, self._ready
        self._ready = [
            control
            for control in self._controls
            if control.value is not None and (-band <= control.value <= band or control in before)
        ]

    @property
    def unready(self) -> Control | None:
        """A control that has readings and no say, where none has."""
        if self._ready:
            return None
        return next((control for control in self._controls if control.value is not None), None)


class Priority(Several):
    """The first of several that is ready."""

    def value(self) -> int | None:
        return self._ready[0].value if self._ready else None


class First(Several):
    """Whoever left rest first, until back at rest or without a reading."""

    _owner: Control | None = None

    def value(self) -> int | None:
        if self._owner not in self._ready or not self._moved(self._owner):
            self._owner = next((control for control in self._ready if self._moved(control)), None)
        if self._owner is not None:
            return self._owner.value
        return 0 if self._ready else None

    def _moved(self, control: Control | None) -> bool:
        return control is not None and abs(control.value or 0) > self._rest


class Sum(Several):
    """All that are ready together."""

    def value(self) -> int | None:
        if not self._ready:
            return None
        return clamp(sum(control.value or 0 for control in self._ready), -FULL, FULL)


class Total(Source):
    """A weighted sum, which needs every reading."""

    def __init__(self, terms: Sequence[tuple[Control, int]]) -> None:
        self._terms = terms

    def value(self) -> int | None:
        total = 0
        for control, weight in self._terms:
            if control.value is None:
                return None
            total += mul(weight, control.value)
        return clamp(total, -FULL, FULL)


RULES: Mapping[str, type[Several]] = {"priority": Priority, "first": First, "sum": Sum}


def _origin(
    model: LevelChannel | ShareChannel, controls: Mapping[str, Control], band: int, *, place: bool
) -> Source:
    if model.weights:
        return Total([(controls[name], level_of(weight)) for name, weight in model.weights.items()])
    several = [controls[name] for name in model.origins]
    if len(several) < 2:
        return One(several[0] if several else None)
    return RULES[model.rule](several, band=band, place=place)


class Flag(Source):
    """Off or on; off without a reading. An axis or a slider switches it with hysteresis."""

    def __init__(self, model: FlagChannel, controls: Mapping[str, Control]) -> None:
        self._control = controls[model.source] if model.source else None
        above = 0.0 if model.above is None else model.above
        self._on_from = 1 if model.above is None else level_of(above)
        self._off_below = 1 if model.above is None else level_of(above - model.hysteresis)
        self._on = False

    def value(self) -> int:
        level = self._control.value if self._control else None
        self._on = level is not None and level >= (self._off_below if self._on else self._on_from)
        return int(self._on)


class Choice(Source):
    """The option that a selector has chosen."""

    def __init__(self, control: Control | None) -> None:
        self._selector = control if isinstance(control, Selector) else None

    def value(self) -> int:
        return self._selector.chosen if self._selector else 0


class Count(Source):
    """How often a button or key has been pressed; the wire takes it modulo 2**bits."""

    def __init__(self, control: Control | None) -> None:
        self._button = control if isinstance(control, Pressed) else None

    def value(self) -> int:
        return self._button.presses if self._button else 0


def build_source(
    model: Channel, controls: Mapping[str, Control], band: int = 0, *, place: bool = False
) -> Source:
    """The source of one channel. ``band`` is how far from zero is still at rest; ``place`` says that the
    channel moves nothing that turns."""
    if isinstance(model, LevelChannel | ShareChannel):
        origin = _origin(model, controls, band, place=place)
        bare = not (model.multiplied_by or model.slow_when or model.preset_when)
        # A level that is just its control needs nothing done to it.
        return origin if bare and model.kind == "level" else Scaled(model, origin, controls)
    if isinstance(model, FlagChannel):
        return Flag(model, controls)
    control = controls[model.source] if model.source else None
    assert isinstance(model, ChoiceChannel | CountChannel)
    return Choice(control) if isinstance(model, ChoiceChannel) else Count(control)
