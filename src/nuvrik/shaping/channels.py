"""The values that travel, built from the levels of controls."""

from collections.abc import Mapping, Sequence

from nuvrik.levels import FULL, clamp, level_of, mul
from nuvrik.plan.channels import Channel, ChoiceChannel, CountChannel, FlagChannel, LevelChannel, ShareChannel
from nuvrik.shaping.controls import Control, Pressed
from nuvrik.shaping.made import Selector


class Source:
    """Where one channel's value comes from. ``value`` is asked once for each frame."""

    def value(self) -> int | None:
        """The channel's value now."""
        raise NotImplementedError


class Scaled(Source):
    """A level or a share; None, which travels as *no reading*, where what it needs has no reading."""

    def __init__(
        self, model: LevelChannel | ShareChannel, origin: Source, controls: Mapping[str, Control]
    ) -> None:
        self._origin = origin
        self._times = controls[model.times] if model.times else None
        self._slow_when = controls[model.slow_when] if model.slow_when else None
        self._slow_to = level_of(model.slow_to)
        self._preset_when = controls[model.preset_when] if model.preset_when else None
        self._preset = level_of(model.preset)
        self._low = -FULL if model.kind == "level" else 0

    def value(self) -> int | None:
        value = self._origin.value()
        if value is None:
            return None
        if self._times is not None:
            if self._times.value is None:
                return None
            value = mul(value, self._times.value)
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


class Priority(Source):
    """The first of several that has a reading."""

    def __init__(self, controls: Sequence[Control]) -> None:
        self._controls = controls

    def value(self) -> int | None:
        return next((control.value for control in self._controls if control.value is not None), None)


class First(Source):
    """Whoever left rest first, until back at rest or without a reading."""

    def __init__(self, controls: Sequence[Control]) -> None:
        self._controls = controls
        self._owner: Control | None = None

    def value(self) -> int | None:
        if self._owner is None or not self._owner.value:
            self._owner = next((control for control in self._controls if control.value), None)
        if self._owner is not None:
            return self._owner.value
        return None if all(control.value is None for control in self._controls) else 0


class Total(Source):
    """A weighted sum. With ``needs_all`` it needs every reading, else those that are there will do."""

    def __init__(self, terms: Sequence[tuple[Control, int]], *, needs_all: bool) -> None:
        self._terms = terms
        self._needs_all = needs_all

    def value(self) -> int | None:
        values = [mul(weight, control.value) for control, weight in self._terms if control.value is not None]
        if not values or (self._needs_all and len(values) < len(self._terms)):
            return None
        return clamp(sum(values), -FULL, FULL)


def _origin(model: LevelChannel | ShareChannel, controls: Mapping[str, Control]) -> Source:
    if model.weights:
        terms = [(controls[name], level_of(weight)) for name, weight in model.weights.items()]
        return Total(terms, needs_all=True)
    several = [controls[name] for name in model.origins]
    if len(several) < 2:
        return One(several[0] if several else None)
    if model.rule == "sum":
        return Total([(control, FULL) for control in several], needs_all=False)
    return First(several) if model.rule == "first" else Priority(several)


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


def build_source(model: Channel, controls: Mapping[str, Control]) -> Source:
    """The source of one channel."""
    if isinstance(model, LevelChannel | ShareChannel):
        origin, bare = _origin(model, controls), not (model.times or model.slow_when or model.preset_when)
        # A level that is just its control needs nothing done to it.
        return origin if bare and model.kind == "level" else Scaled(model, origin, controls)
    if isinstance(model, FlagChannel):
        return Flag(model, controls)
    control = controls[model.source] if model.source else None
    assert isinstance(model, ChoiceChannel | CountChannel)
    return Choice(control) if isinstance(model, ChoiceChannel) else Count(control)
