"""``[controls.NAME]``: what a hand or a sensor moves on the handset.

Axis, slider, button and key have readings of their own. Rocker, nudge and selector are made of
buttons or keys that stand in the link file under names of their own.
"""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator

from nuvrik.plan.form.base import MAX_RAW_SPAN, Millis, Name, Pin, Reading, Section

Place = Annotated[float, Field(ge=-1, le=1)]
Point = Annotated[list[Place], Field(min_length=2, max_length=2)]
ItemName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*\.[a-z0-9_+-]+$")]
SmoothMillis = Annotated[int, Field(ge=0, le=2000)]


class _Control(Section):
    stale_ms: int = Field(
        default=500,
        ge=1,
        le=30000,
        description="after this long without a reading, in ms, the control has no reading",
    )
    pin: Pin | None = Field(
        default=None, description="the pin of the handset's own board that it is read from"
    )
    source: ItemName | None = Field(
        default=None,
        description="what moves it when a host is the handset: a source of this run and what of it, e.g. "
        '"pad.left_y"; without it, a recording\'s column, or a line, of its own name',
    )


class _Moved(_Control):
    """What an axis and a slider share: a range of readings, and how it is bent."""

    pin_b: Pin | None = Field(
        default=None,
        description="the second pin of a rotary encoder; it counts quarters of its periods, from rest at "
        "power-up, and no further than raw",
    )
    dead_zone: float = Field(
        default=0.0, ge=0, lt=1, description="fraction of travel about rest that counts as rest, 0 to below 1"
    )
    dead_zone_raw: int | None = Field(
        default=None, ge=0, le=MAX_RAW_SPAN // 2, description="the same in raw readings, instead of dead_zone"
    )
    expo: float = Field(
        default=0.0,
        ge=0,
        le=1,
        description="0 = straight, 1 = a cubic curve: gentle about rest, the ends kept",
    )
    curve: list[Point] | None = Field(
        default=None,
        min_length=2,
        max_length=16,
        description="instead of expo: points [place, value], both -1 to 1, places rising, straight between",
    )
    reverse: bool = Field(default=False, description="true swaps the two directions")
    trim: float = Field(
        default=0.0, ge=-0.5, le=0.5, description="fraction of full scale added at the end, -0.5 to 0.5"
    )
    ignore: list[Reading] = Field(
        default_factory=list,
        max_length=16,
        description="readings that are not positions; each counts as no reading",
    )
    smooth_ms: SmoothMillis = Field(
        default=0, description="time constant that irons out a noisy reading, in ms, 0 to 2000"
    )
    ramp_ms: Millis = Field(
        default=0, description="least time from rest to full, in ms, however fast the hand"
    )

    @property
    def points(self) -> list[int]:
        """Its readings low, at rest and high."""
        raise NotImplementedError

    @property
    def zone(self) -> float:
        """Its dead zone as a fraction of travel: of the shorter half, where it is given in raw readings."""
        if self.dead_zone_raw is None:
            return self.dead_zone
        low, rest, high = self.points
        halves = [half for half in (abs(rest - low), abs(high - rest)) if half]
        return min(self.dead_zone_raw / min(halves), 0.9999)

    @model_validator(mode="after")
    def _one_dead_zone(self) -> "_Moved":
        if self.dead_zone_raw is None:
            return self
        if self.dead_zone:
            raise ValueError("dead_zone_raw: is given as well as dead_zone; use one of the two")
        low, rest, high = self.points
        if self.dead_zone_raw >= min(half for half in (abs(rest - low), abs(high - rest)) if half):
            raise ValueError(f"dead_zone_raw: {self.dead_zone_raw} is all of one half of its travel")
        return self

    @model_validator(mode="after")
    def _has_both_pins(self) -> "_Moved":
        if self.pin_b is not None and self.pin is None:
            raise ValueError("pin_b: is given without pin; an encoder has two")
        return self

    @model_validator(mode="after")
    def _curve_makes_sense(self) -> "_Moved":
        if self.curve is None:
            return self
        if self.expo:
            raise ValueError("curve: is given as well as expo; use one of the two")
        places, values = [p[0] for p in self.curve], [p[1] for p in self.curve]
        if any(b <= a for a, b in pairwise(places)):
            raise ValueError("curve: does not rise: each place must be greater than the one before")
        steps = [b - a for a, b in pairwise(values)]
        if any(step > 0 for step in steps) and any(step < 0 for step in steps):
            raise ValueError("curve: goes up and down again, so two places of the hand mean the same")
        return self


class AxisControl(_Moved):
    """``kind = "axis"``: a stick that rests somewhere between its two ends."""

    kind: Literal["axis"]
    raw: list[Reading] = Field(
        min_length=3,
        max_length=3,
        description="three raw readings: low, at rest, high, e.g. [0, 508, 1023]; low may be the larger",
    )
    on_release: Literal["return", "hold"] = Field(
        default="return",
        description='back at rest: "return" = the value rests too; "hold" = it stays as far as it was pushed',
    )

    @property
    def points(self) -> list[int]:
        """Its readings low, at rest and high."""
        return self.raw

    @model_validator(mode="after")
    def _range_makes_sense(self) -> "AxisControl":
        low, rest, high = self.raw
        _check_range(low, high)
        if not min(low, high) <= rest <= max(low, high):
            raise ValueError(f"raw: rest {rest} is not between low {low} and high {high}")
        return self


class SliderControl(_Moved):
    """``kind = "slider"``: something that stays where it is put, from none to full."""

    kind: Literal["slider"]
    raw: list[Reading] = Field(
        min_length=2,
        max_length=2,
        description="two raw readings: at none and at full, e.g. [210, 880]; the first may be the larger",
    )

    @property
    def points(self) -> list[int]:
        """Its readings low, at rest and high: it rests at none."""
        return [self.raw[0], *self.raw]

    @model_validator(mode="after")
    def _range_makes_sense(self) -> "SliderControl":
        _check_range(*self.raw)
        return self


def _check_range(low: int, high: int) -> None:
    if low == high:
        raise ValueError(f"raw: low and high are both {low}, so the control has no travel")
    if abs(high - low) > MAX_RAW_SPAN:
        raise ValueError(
            f"raw: from {low} to {high} is {abs(high - low)}; a range spans at most {MAX_RAW_SPAN}"
        )


class ButtonControl(_Control):
    """``kind = "button"``: something pressed or not."""

    kind: Literal["button"]
    toggle: bool = Field(default=False, description="true: each press toggles it; false: on while pressed")
    active: Literal["high", "low"] = Field(
        default="high", description='"high": a reading of 1 is pressed; "low": a reading of 0 is pressed'
    )
    off_by: Name | None = Field(
        default=None, description="another button or key that switches a toggle off, never on"
    )
    debounce_ms: Millis = Field(
        default=20, description="a change must last this long to count, in ms (contacts bounce 1 to 20)"
    )

    @property
    def on(self) -> int:
        """What it reads while it is pressed."""
        return 1 if self.active == "high" else 0

    @property
    def off(self) -> int:
        """What it reads while nobody presses it."""
        return 1 - self.on


class KeyControl(Section):
    """``kind = "key"``: a code or a character that arrives again and again while it is held.

    Its reading is how often it has arrived so far: any number that changes with each arrival.
    """

    kind: Literal["key"]
    code: int | None = Field(
        default=None, ge=0, le=2**48 - 1, description="the command that an infrared remote sends for it"
    )
    char: str | None = Field(
        default=None, min_length=1, max_length=1, description="the character on a keyboard"
    )
    pin: Pin | None = Field(
        default=None, description="the pin of a remote's own board that its contact to ground is on"
    )
    released_after_ms: int = Field(
        default=200,
        ge=20,
        le=5000,
        description="after this long without an arrival, in ms, it counts as released",
    )
    repeat: Literal["every", "first"] = Field(
        default="first",
        description='what counts as a press: "first" = a fresh one only; "every" = each repeat too',
    )
    toggle: bool = Field(default=False, description="true: each fresh press toggles it; false: on while held")
    off_by: Name | None = Field(
        default=None, description="another button or key that switches a toggle off, never on"
    )


class RockerControl(Section):
    """``kind = "rocker"``: two buttons or keys for the two directions; both at once is rest."""

    kind: Literal["rocker"]
    plus: Name = Field(description="the button or key for the positive direction")
    minus: Name = Field(description="the button or key for the negative direction")


class NudgeControl(Section):
    """``kind = "nudge"``: two buttons or keys that step a stored value."""

    kind: Literal["nudge"]
    up: Name = Field(description="the button or key that adds a step")
    down: Name = Field(description="the button or key that takes a step away")
    back: Name | None = Field(default=None, description="a button or key that puts it back to start")
    step: float = Field(default=0.1, gt=0, le=1, description="how far a press steps, fraction of full scale")
    low: float = Field(default=-1.0, ge=-1, le=1, description="it never goes below this, -1 to 1")
    high: float = Field(default=1.0, ge=-1, le=1, description="it never goes above this, -1 to 1")
    start: float = Field(default=0.0, ge=-1, le=1, description="where it is at power-up, -1 to 1")

    @model_validator(mode="after")
    def _limits_make_sense(self) -> "NudgeControl":
        if self.low >= self.high:
            raise ValueError(f"low: {self.low} is not below high {self.high}, so there is no travel")
        if not self.low <= self.start <= self.high:
            raise ValueError(f"start: {self.start} is not between low {self.low} and high {self.high}")
        return self


class SelectorControl(Section):
    """``kind = "selector"``: one of several buttons or keys chooses; the choice stays."""

    kind: Literal["selector"]
    buttons: list[Name] = Field(min_length=2, max_length=16, description="the buttons or keys, 2 to 16")
    values: list[Place] | None = Field(
        default=None, max_length=16, description="what each chooses, -1 to 1; needed for a level or a share"
    )
    start: int = Field(default=0, ge=0, le=15, description="which is chosen at power-up, counted from 0")

    @model_validator(mode="after")
    def _lists_match(self) -> "SelectorControl":
        if self.values is not None and len(self.values) != len(self.buttons):
            raise ValueError(f"values: there are {len(self.values)} for {len(self.buttons)} buttons")
        if self.start >= len(self.buttons):
            raise ValueError(f"start: is {self.start}, but the last button is number {len(self.buttons) - 1}")
        return self


ReadControl = AxisControl | SliderControl | ButtonControl | KeyControl
"""Controls with readings of their own."""

MadeControl = RockerControl | NudgeControl | SelectorControl
"""Controls made of buttons or keys."""

Control = Annotated[ReadControl | MadeControl, Field(discriminator="kind")]


def parts_of(control: ReadControl | MadeControl) -> dict[str, str]:
    """The buttons or keys that a control is made of or listens to: key in the link file -> name."""
    if isinstance(control, RockerControl):
        return {"plus": control.plus, "minus": control.minus}
    if isinstance(control, NudgeControl):
        return {"up": control.up, "down": control.down} | ({"back": control.back} if control.back else {})
    if isinstance(control, SelectorControl):
        return {f"buttons.{place}": name for place, name in enumerate(control.buttons)}
    off_by = getattr(control, "off_by", None)
    return {"off_by": off_by} if off_by else {}
