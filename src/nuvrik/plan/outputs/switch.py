"""Switches: off or on, as a flag says."""

from collections.abc import Iterator
from typing import ClassVar, Literal

from pydantic import Field

from nuvrik.core.machine import servo as core
from nuvrik.core.machine.outputs import IS_SWITCH
from nuvrik.core.machine.pins import SWITCHED_HIGH, SWITCHED_LOW, PinTable
from nuvrik.plan.form.base import Name, Pin
from nuvrik.plan.outputs.base import PLAIN, Fed, OnPin, OutputBase, PinLevel
from nuvrik.plan.outputs.demand import HELD, LOST, Demand, InWords, Mode, Told
from nuvrik.plan.problems import Problem
from nuvrik.plan.tables.made import made


class Switch:
    """Off or on. It is on only while armed, unless ``on_loss = "hold"`` keeps it through a failsafe."""

    def __init__(self, name: str, model: "SwitchOutput") -> None:
        self.name = name
        self.core = core.Switch(model.table)
        self.told = self.core.demand = Told(name)
        self.core.begin()

    @property
    def demand(self) -> Demand:
        """What it is told now."""
        return self.told.demand

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """On if ``target`` is above zero; without one, as it was."""
        self.core.tick(target or 0, target is not None, mode)
        return self.told.demand

    def halt(self) -> None:
        """Off."""
        self.core.halt()

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        state = "on" if self.demand.value else "off"
        if mode is HELD and self.demand.value:
            return state + ", as it was when arm went off after a while without a code"
        return state + (", as it was before the loss" if mode is LOST and self.demand.value else "")


class SwitchOutput(OutputBase):
    """``kind = "switch"``: off or on, as a flag says."""

    kind: Literal["switch"]
    follows: Name = Field(description="the flag channel that switches it")
    pin: Pin | None = Field(default=None, description="the pin that switches it")
    active: Literal["high", "low"] = Field(
        default="high", description='"high": the pin is high when on; "low": it is low when on'
    )
    on_loss: Literal["off", "hold"] = Field(
        default="off", description='when frames stop: "off", or "hold" as it was (a light, never a motor)'
    )

    core_kind: ClassVar[int] = IS_SWITCH
    rows: ClassVar[str] = "switches"

    # ---- what others ask of it ----

    @property
    def switched_by(self) -> Name | None:
        """The flag that switches it."""
        return self.follows

    @property
    def on_pins(self) -> list[OnPin]:
        """Its pin, where the file names it; a resistor pulls it to off while the board starts."""
        if self.pin is None:
            return []
        of = "its driver's or transistor's input"
        on = OnPin("pin", self.pin, PLAIN, of, f"{self.active} while on", "low")
        return [on if self.active == "high" else on._replace(pull="high")]

    @property
    def pin_roles(self) -> tuple[str, ...]:
        """One pin."""
        return ("pin",)

    @property
    def pin_table(self) -> PinTable:
        """It as a table."""
        use = SWITCHED_HIGH if self.active == "high" else SWITCHED_LOW
        return self._pin_table(use, 1, self.pin_roles)

    @property
    def table(self) -> core.SwitchTable:
        """One switch."""
        return made(core.SwitchTable, holds=self.on_loss == "hold")

    def in_words(self, name: str, timeout_ms: int) -> InWords:
        """One that lives."""
        return Switch(name, self)

    @property
    def words(self) -> tuple[str, str]:
        """What drives it, and what it keeps to."""
        return f"switch, active {self.active}", f"on loss: {self.on_loss}"

    @property
    def told_words(self) -> str:
        """What a function of the builder's is told that moves it."""
        return "A switch: told.value 1 for on, 0 for off."

    def amount(self, share: float) -> str:
        """It has no shares."""
        return ""

    def runs_at_start(self, role: str, level: PinLevel) -> tuple[str, str] | None:
        """It may be on while the board starts."""
        if level not in (self.active, "float"):
            return None
        what = f'is {level}, and "{self.active}" is on: it may be on while the board starts'
        return what, "fit a resistor that pulls it to off"

    def notes(self, name: str, fed: Fed) -> Iterator[Problem]:
        """Nothing may have been left out."""
        return iter(())
