"""Controls with readings of their own: axes, sliders, buttons and keys."""

from collections.abc import Mapping
from itertools import pairwise
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.hand.controls import ButtonTable, KeyControlTable, MovedTable
from nuvrik.core.hand.hands import IS_BUTTON, IS_KEY, IS_MOVED
from nuvrik.core.levels import FULL
from nuvrik.levels import level_of
from nuvrik.plan.controls.base import ControlBase
from nuvrik.plan.form.base import MAX_RAW_SPAN, Millis, Name, Pin, Reading
from nuvrik.plan.tables.made import curve_table, made, ramp_table

Place = Annotated[float, Field(ge=-1, le=1)]
Point = Annotated[list[Place], Field(min_length=2, max_length=2)]
ItemName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*\.[a-z0-9_+-]+$")]
SmoothMillis = Annotated[int, Field(ge=0, le=2000)]


class _Control(ControlBase):
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


class Moved(_Control):
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

    core_kind: ClassVar[int] = IS_MOVED
    rows: ClassVar[str] = "moved"
    one_sided: ClassVar[bool]
    """Whether it rests at one of its ends."""

    @property
    def points(self) -> list[int]:
        """Its readings low, at rest and high."""
        raise NotImplementedError

    @property
    def stays(self) -> bool:
        """Whether its value stays where the hand took it, though the stick springs back."""
        return False

    @property
    def words(self) -> str:
        """Its range, and how it is bent."""
        words = [f"dead zone {self.zone:.3g}"] if self.zone else []
        words += [f"expo {self.expo:g}"] if self.expo else []
        words += [f"curve of {len(self.curve)} points"] if self.curve else []
        words += ["reversed"] if self.reverse else []
        words += [f"trim {self.trim:+g}"] if self.trim else []
        words += [f"smoothed over {self.smooth_ms} ms"] if self.smooth_ms else []
        words += [f"at least {self.ramp_ms} ms to full"] if self.ramp_ms else []
        return ", ".join([self._travel, *words, *self.hints])

    @property
    def _travel(self) -> str:
        raise NotImplementedError

    @property
    def hints(self) -> list[str]:
        """What a hand would not expect."""
        return ["stays when let go"] if self.stays else []

    def table(self, places: Mapping[str, int], *, waits: bool = False, turns: bool = False) -> MovedTable:
        """An axis or a slider."""
        low, rest, high = self.points
        return made(
            MovedTable,
            low=low,
            rest=rest,
            high=high,
            one_sided=self.one_sided,
            dead_zone=min(level_of(self.zone), FULL - 1),
            expo=level_of(self.expo),
            curve=curve_table(self.curve or ()),
            reverse=self.reverse,
            trim=level_of(self.trim),
            ignore=list(self.ignore),
            smooth_ms=self.smooth_ms,
            slows=bool(self.ramp_ms),
            ramp=ramp_table(self.ramp_ms),
            holds=self.stays,
            plain=not (self.smooth_ms or self.ramp_ms or self.stays),
            turns=turns,
        )

    @property
    def zone(self) -> float:
        """Its dead zone as a fraction of travel: of the shorter half, where it is given in raw readings."""
        if self.dead_zone_raw is None:
            return self.dead_zone
        low, rest, high = self.points
        halves = [half for half in (abs(rest - low), abs(high - rest)) if half]
        return min(self.dead_zone_raw / min(halves), 0.9999)

    @model_validator(mode="after")
    def _one_dead_zone(self) -> "Moved":
        if self.dead_zone_raw is None:
            return self
        if self.dead_zone:
            raise ValueError("dead_zone_raw: is given as well as dead_zone; use one of the two")
        low, rest, high = self.points
        if self.dead_zone_raw >= min(half for half in (abs(rest - low), abs(high - rest)) if half):
            raise ValueError(f"dead_zone_raw: {self.dead_zone_raw} is all of one half of its travel")
        return self

    @model_validator(mode="after")
    def _has_both_pins(self) -> "Moved":
        if self.pin_b is not None and self.pin is None:
            raise ValueError("pin_b: is given without pin; an encoder has two")
        return self

    @model_validator(mode="after")
    def _curve_makes_sense(self) -> "Moved":
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


class AxisControl(Moved):
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

    one_sided: ClassVar[bool] = False

    @property
    def stays(self) -> bool:
        """Whether its value stays as far as it was pushed."""
        return self.on_release == "hold"

    @property
    def _travel(self) -> str:
        low, rest, high = self.raw
        return f"{low} to {high}, at rest {rest}"

    @model_validator(mode="after")
    def _range_makes_sense(self) -> "AxisControl":
        low, rest, high = self.raw
        _check_range(low, high)
        if not min(low, high) <= rest <= max(low, high):
            raise ValueError(f"raw: rest {rest} is not between low {low} and high {high}")
        return self


class SliderControl(Moved):
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

    one_sided: ClassVar[bool] = True

    @property
    def _travel(self) -> str:
        return f"{self.raw[0]} to {self.raw[1]}"

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


class Pressed(ControlBase):
    """What is pressed or not."""

    toggle: bool = False
    off_by: Name | None = Field(
        default=None, description="another button or key that switches a toggle off, never on"
    )

    @property
    def parts(self) -> dict[str, str]:
        """What switches it off."""
        return {"off_by": self.off_by} if self.off_by else {}

    @property
    def hints(self) -> list[str]:
        """A toggle."""
        return ["one press on, the next off"] if self.toggle else []

    @property
    def _off(self) -> str:
        return f"; {self.off_by} switches it off" if self.off_by else ""


class ButtonControl(_Control, Pressed):
    """``kind = "button"``: something pressed or not."""

    kind: Literal["button"]
    toggle: bool = Field(default=False, description="true: each press toggles it; false: on while pressed")
    active: Literal["high", "low"] = Field(
        default="high", description='"high": a reading of 1 is pressed; "low": a reading of 0 is pressed'
    )
    debounce_ms: Millis = Field(
        default=20, description="a change must last this long to count, in ms (contacts bounce 1 to 20)"
    )

    core_kind: ClassVar[int] = IS_BUTTON
    rows: ClassVar[str] = "buttons"

    @property
    def words(self) -> str:
        """What a press does."""
        low = "; pressed reads 0" if self.active == "low" else ""
        return f"each press toggles it{self._off}{low}" if self.toggle else f"on while pressed{low}"

    @property
    def hints(self) -> list[str]:
        """A toggle, and a contact that reads the other way round."""
        return super().hints + (["pressed is a reading of 0"] if self.active == "low" else [])

    def table(self, places: Mapping[str, int], *, waits: bool = False, turns: bool = False) -> ButtonTable:
        """A button."""
        return made(
            ButtonTable, pressed=self.on, debounce_ms=self.debounce_ms, toggles=self.toggle, waits=waits
        )

    @property
    def on(self) -> int:
        """What it reads while it is pressed."""
        return 1 if self.active == "high" else 0

    @property
    def off(self) -> int:
        """What it reads while nobody presses it."""
        return 1 - self.on


class KeyControl(Pressed):
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

    core_kind: ClassVar[int] = IS_KEY
    rows: ClassVar[str] = "keys"

    @property
    def words(self) -> str:
        """What an arrival does."""
        what = "each fresh press toggles it" if self.toggle else "on while it keeps arriving"
        return f"{what}; released after {self.released_after_ms} ms{self._off}"

    @property
    def hints(self) -> list[str]:
        """Which key it is."""
        named = "the key space" if self.char == " " else f"the key {self.char}"
        return ([named] if self.char else []) + super().hints

    def table(
        self, places: Mapping[str, int], *, waits: bool = False, turns: bool = False
    ) -> KeyControlTable:
        """A key."""
        return made(KeyControlTable, every=self.repeat == "every", toggles=self.toggle, waits=waits)
