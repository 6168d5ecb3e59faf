"""Controls made of buttons and keys: rocker, nudge, selector."""

from collections.abc import Mapping

from nuvrik.levels import clamp, level_of
from nuvrik.plan.form.controls import (
    ButtonControl,
    KeyControl,
    MadeControl,
    NudgeControl,
    ReadControl,
    RockerControl,
    SelectorControl,
)
from nuvrik.shaping.controls import Control, Pressed


class Made(Control):
    """A control whose value follows from buttons or keys; :meth:`refresh` after each of their readings."""

    def __init__(self, name: str) -> None:
        super().__init__(name, 0)

    def refresh(self) -> None:
        """Look at the buttons again."""
        raise NotImplementedError


class Rocker(Made):
    """Two directions; both at once is rest."""

    def __init__(self, name: str, plus: Pressed, minus: Pressed) -> None:
        super().__init__(name)
        self._plus, self._minus = plus, minus

    def refresh(self) -> None:
        plus, minus = self._plus.value, self._minus.value
        self.value = None if plus is None or minus is None else plus - minus


class Counted:
    """Tells how many presses of a button are new since it was last asked."""

    def __init__(self, button: Pressed) -> None:
        self.button = button
        self._seen = button.presses

    def fresh(self) -> int:
        new = self.button.presses - self._seen
        self._seen = self.button.presses
        return new


class OffBy(Made):
    """What switches a toggle off and never on, however often it is pressed."""

    def __init__(self, name: str, toggle: Pressed, button: Pressed) -> None:
        super().__init__(name)
        self._toggle, self._button = toggle, Counted(button)

    def refresh(self) -> None:
        if self._button.fresh():
            self._toggle.switch_off()


class Nudge(Made):
    """A stored value that presses step up and down, within limits. It outlives a press, not a gap."""

    def __init__(self, name: str, model: NudgeControl, buttons: Mapping[str, Pressed]) -> None:
        super().__init__(name)
        self._up, self._down = Counted(buttons[model.up]), Counted(buttons[model.down])
        self._back = Counted(buttons[model.back]) if model.back else None
        self._step = level_of(model.step)
        self._low, self._high, self._start = level_of(model.low), level_of(model.high), level_of(model.start)
        self._stored = self._start

    def refresh(self) -> None:
        steps = self._up.fresh() - self._down.fresh()
        if steps:
            self._stored = clamp(self._stored + steps * self._step, self._low, self._high)
        if self._back and self._back.fresh():
            self._stored = self._start
        known = self._up.button.value is not None and self._down.button.value is not None
        self.value = self._stored if known else None
        self.latched = self._stored != self._start


class Selector(Made):
    """The last button pressed chooses. ``chosen`` counts from 0; the value is what that one stands for."""

    def __init__(self, name: str, model: SelectorControl, buttons: Mapping[str, Pressed]) -> None:
        super().__init__(name)
        self._buttons = [Counted(buttons[button]) for button in model.buttons]
        self._values = [level_of(value) for value in model.values or [0.0] * len(model.buttons)]
        self._start = model.start
        self.chosen = model.start

    def refresh(self) -> None:
        for place, button in enumerate(self._buttons):
            if button.fresh():
                self.chosen = place
        known = all(button.button.value is not None for button in self._buttons)
        self.value = self._values[self.chosen] if known else None
        self.latched = self.chosen != self._start


def off_keys(models: Mapping[str, ReadControl | MadeControl], controls: Mapping[str, Control]) -> list[OffBy]:
    """What puts the toggles of a link file off."""
    buttons = {name: control for name, control in controls.items() if isinstance(control, Pressed)}
    return [
        OffBy(name, buttons[name], buttons[model.off_by])
        for name, model in models.items()
        if isinstance(model, ButtonControl | KeyControl) and model.off_by
    ]


def made_controls(
    models: Mapping[str, ReadControl | MadeControl], controls: Mapping[str, Control]
) -> dict[str, Made]:
    """The controls of a link file that are made of others, by name."""
    buttons = {name: control for name, control in controls.items() if isinstance(control, Pressed)}
    made: dict[str, Made] = {}
    for name, model in models.items():
        if isinstance(model, RockerControl):
            made[name] = Rocker(name, buttons[model.plus], buttons[model.minus])
        elif isinstance(model, NudgeControl):
            made[name] = Nudge(name, model, buttons)
        elif isinstance(model, SelectorControl):
            made[name] = Selector(name, model, buttons)
    return made
