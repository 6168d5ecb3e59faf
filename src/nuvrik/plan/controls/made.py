"""Controls made of buttons or keys, which stand in the link file under names of their own."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.hand.hands import (
    IS_NUDGE,
    IS_ROCKER,
    IS_SELECTOR,
    NudgeTable,
    RockerTable,
    SelectorTable,
)
from nuvrik.core.levels import NOBODY
from nuvrik.levels import level_of
from nuvrik.plan.controls.base import ControlBase
from nuvrik.plan.controls.read import Place
from nuvrik.plan.form.base import Name
from nuvrik.plan.tables.made import made


class RockerControl(ControlBase):
    """``kind = "rocker"``: two buttons or keys for the two directions; both at once is rest."""

    kind: Literal["rocker"]
    plus: Name = Field(description="the button or key for the positive direction")
    minus: Name = Field(description="the button or key for the negative direction")

    core_kind: ClassVar[int] = IS_ROCKER
    rows: ClassVar[str] = "rockers"

    @property
    def parts(self) -> dict[str, str]:
        """One each way."""
        return {"plus": self.plus, "minus": self.minus}

    @property
    def words(self) -> str:
        """Which is which."""
        return f"{self.plus} is +, {self.minus} is -, both together rest"

    @property
    def hints(self) -> list[str]:
        """The same, on a card."""
        return [f"+ {self.plus}", f"- {self.minus}", "both at once: rest"]

    def table(self, places: Mapping[str, int], *, waits: bool = False, turns: bool = False) -> RockerTable:
        """A rocker."""
        return made(RockerTable, plus=places[self.plus], minus=places[self.minus])


class NudgeControl(ControlBase):
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

    core_kind: ClassVar[int] = IS_NUDGE
    rows: ClassVar[str] = "nudges"

    @property
    def parts(self) -> dict[str, str]:
        """A step up, a step down, and perhaps back."""
        return {"up": self.up, "down": self.down} | ({"back": self.back} if self.back else {})

    @property
    def looks_at(self) -> int:
        """All of them."""
        return len(self.parts)

    @property
    def words(self) -> str:
        """How far each press goes."""
        limits = f"{self.low:g} to {self.high:g}, at first {self.start:g}"
        return f"{self.up} and {self.down} step it by {self.step:g}; {limits}"

    @property
    def hints(self) -> list[str]:
        """Which is which."""
        return [f"{self.up} / {self.down}: a step each"] + ([f"{self.back}: back"] if self.back else [])

    def table(self, places: Mapping[str, int], *, waits: bool = False, turns: bool = False) -> NudgeTable:
        """A nudge."""
        return made(
            NudgeTable,
            up=places[self.up],
            down=places[self.down],
            back=places[self.back] if self.back else NOBODY,
            step=level_of(self.step),
            low=level_of(self.low),
            high=level_of(self.high),
            start=level_of(self.start),
            waits=waits,
        )


class SelectorControl(ControlBase):
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

    core_kind: ClassVar[int] = IS_SELECTOR
    rows: ClassVar[str] = "selectors"

    @property
    def parts(self) -> dict[str, str]:
        """Its buttons."""
        return {f"buttons.{place}": name for place, name in enumerate(self.buttons)}

    @property
    def looks_at(self) -> int:
        """All of them."""
        return len(self.buttons)

    @property
    def words(self) -> str:
        """What each chooses."""
        chosen = self.values or range(len(self.buttons))
        return ", ".join(f"{name}: {value:g}" for name, value in zip(self.buttons, chosen, strict=True))

    @property
    def hints(self) -> list[str]:
        """Its buttons."""
        return [", ".join(self.buttons)]

    def table(self, places: Mapping[str, int], *, waits: bool = False, turns: bool = False) -> SelectorTable:
        """A selector."""
        return made(
            SelectorTable,
            buttons=[places[name] for name in self.buttons],
            values=[level_of(value) for value in self.values or [0.0] * len(self.buttons)],
            start=self.start,
            waits=waits,
        )
