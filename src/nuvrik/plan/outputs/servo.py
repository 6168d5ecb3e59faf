"""Servos: each goes to a place and stays there."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.levels import FULL, clamp
from nuvrik.core.machine import servo as core
from nuvrik.core.machine.outputs import IS_SERVO
from nuvrik.core.machine.pins import PULSED, PinTable
from nuvrik.core.ramp import coarse
from nuvrik.levels import level_of
from nuvrik.plan.controls import SliderControl
from nuvrik.plan.form.base import Millis, Pin
from nuvrik.plan.outputs.base import PULSE, Fed, Moving, OnPin
from nuvrik.plan.outputs.demand import FOLLOW, LOST, Demand, InWords, Mode, Told
from nuvrik.plan.problems import Problem
from nuvrik.plan.tables.made import made, ramp_table


class QuickServo(core.Servo):
    """The same servo, faster: its pulse follows from the place alone, so each is worked out once. A test
    holds it to the rules as they are."""

    def __init__(self, table: core.ServoTable, told: Told) -> None:
        super().__init__(table)
        self.demand = self._told = told
        self._pulses: dict[int, Demand] = {}
        self.begin()

    def tell(self) -> None:
        """Tell the servo where to be."""
        place = coarse(self.slew.fine)
        known = None if self.released else self._pulses.get(place)
        if known is not None:
            self._told.repeat(known)
            return
        super().tell()
        if not self.released:
            self._pulses[place] = self._told.demand


class Servo:
    """Goes to a place and stays there; without a reading, and outside ARMED, it stays where it is.

    Where it stands before it has ever been told a place nobody knows. So it gets no pulses until then, unless
    the link file says ``at_start = "centre"``. After ``timeout_ms`` without a reading, once it had one, it
    does what ``on_loss`` says."""

    def __init__(self, name: str, model: "ServoOutput", timeout_ms: int) -> None:
        self.name = name
        self._model, self._timeout_ms = model, timeout_ms
        self.told = Told(name)
        self.core = QuickServo(model.table, self.told)

    @property
    def demand(self) -> Demand:
        """What it is told now."""
        return self.told.demand

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """Go towards ``target``; without one, stay."""
        self.core.tick(target or 0, target is not None, False, dt_ms, mode, self._timeout_ms)
        return self.told.demand

    def halt(self) -> None:
        """Stay where it is now."""
        self.core.halt()

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        if self.core.released:
            return "released: no pulses" if self.core.started else "no pulses until it is told a place"
        angle = f"at {self.angle:.0f} degrees"
        if mode is LOST and self._model.on_loss != "hold":
            return f"{angle}, on loss: {self._model.on_loss}"
        if mode is not FOLLOW or target is None:
            return f"{angle}, staying"
        if target != self.core.goal:
            return f"{angle}, at the end of its travel"
        return angle + (", on its way" if self.core.slew.at() != self.core.goal else "")

    @property
    def angle(self) -> float:
        """Where it is, in degrees, by the link file's ``angle``."""
        low, high = self._model.angle
        return low + (high - low) * (self.core.table.facing * self.core.slew.at() / FULL + 1) / 2


class ServoOutput(Moving):
    """``kind = "servo"``: goes to a place and stays there."""

    kind: Literal["servo"]
    pin: Pin | None = Field(default=None, description="the pin that carries the pulse")
    pulse_us: list[Annotated[int, Field(ge=400, le=2600)]] = Field(
        default=[1000, 1500, 2000],
        min_length=3,
        max_length=3,
        description="pulse at one end, centred, at the other end, in microseconds, 400 to 2600, rising",
    )
    angle: list[Annotated[float, Field(ge=-360, le=360)]] = Field(
        default=[-45.0, 45.0],
        min_length=2,
        max_length=2,
        description="the angles at the two ends, in degrees; only for people to read",
    )
    travel: list[Annotated[float, Field(ge=-1, le=1)]] = Field(
        default=[-1.0, 1.0],
        min_length=2,
        max_length=2,
        description="it never goes beyond these two places, -1 to 1, kept by the machine",
    )
    ramp_ms: Millis = Field(default=0, description="least time from the centre to an end, in ms; 0 = at once")
    at_start: Literal["silent", "centre"] = Field(
        default="silent",
        description='from power-up to first armed: "silent" = no pulses; "centre" = pulses for the centre',
    )
    on_loss: Literal["hold", "centre", "release", "preset"] = Field(
        default="hold",
        description='when frames stop: "hold" = stay; "centre"; "release" = no pulses; "preset" = go there',
    )
    preset: float = Field(default=0.0, ge=-1, le=1, description='where on_loss = "preset" goes, -1 to 1')

    core_kind: ClassVar[int] = IS_SERVO
    rows: ClassVar[str] = "servos"

    @property
    def stands(self) -> bool:
        """Yes."""
        return True

    @model_validator(mode="after")
    def _ranges_make_sense(self) -> "ServoOutput":
        low, centre, high = self.pulse_us
        if not low < centre < high:
            raise ValueError(f"pulse_us: {low}, {centre}, {high} do not rise")
        if not self.travel[0] <= 0 <= self.travel[1] or self.travel[0] == self.travel[1]:
            raise ValueError(f"travel: {self.travel} does not go from below to above the centre, 0")
        return self

    # ---- what others ask of it ----

    @property
    def on_pins(self) -> list[OnPin]:
        """Its pin, where the file names it. Without pulses a servo stays limp, so nothing pulls it."""
        if self.pin is None:
            return []
        return [OnPin("pin", self.pin, PULSE, "signal wire", "servo pulses", "")]

    @property
    def pin_roles(self) -> tuple[str, ...]:
        """One pin."""
        return ("pin",)

    @property
    def pin_table(self) -> PinTable:
        """It as a table."""
        return self._pin_table(PULSED, 0, self.pin_roles)

    @property
    def table(self) -> core.ServoTable:
        """One servo. Where a loss takes it, a centre is a place like any other."""
        low, high = level_of(self.travel[0]), level_of(self.travel[1])
        pulses = dict(zip(("pulse_low", "pulse_centre", "pulse_high"), self.pulse_us, strict=True))
        return made(
            core.ServoTable,
            slew=ramp_table(self.ramp_ms),
            facing=self.facing,
            low=low,
            high=high,
            **pulses,
            on_loss={"hold": core.STAYS, "release": core.RELEASES}.get(self.on_loss, core.GOES),
            lost_place=clamp(level_of(self.preset), low, high) if self.on_loss == "preset" else 0,
            silent=self.at_start == "silent",
        )

    def in_words(self, name: str, timeout_ms: int) -> InWords:
        """One that lives."""
        return Servo(name, self, timeout_ms)

    @property
    def words(self) -> tuple[str, str]:
        """What drives it, and what it keeps to."""
        low, centre, high = self.pulse_us
        keeps = f"{low} to {high} us, centred at {centre}; travel {self.travel[0]:g} to {self.travel[1]:g}"
        keeps += f"; {self.ramp_ms} ms to an end" if self.ramp_ms else ""
        silent = "no pulses before it is told a place"
        keeps += f"; {silent if self.at_start == 'silent' else 'centred at power-up'}"
        where = f" {self.preset:g}" if self.on_loss == "preset" else ""
        return "servo" + self.turned, f"{keeps}; on loss: {self.on_loss}{where}"

    @property
    def told_words(self) -> str:
        """What a function of the builder's is told that moves it."""
        return "Servo pulses: told.value microseconds, 0 for none."

    def amount(self, share: float) -> str:
        """A share of full in the units of its driver."""
        degrees = share * abs(self.angle[1] - self.angle[0]) / 2
        return f"{share * (self.pulse_us[2] - self.pulse_us[0]) / 2:.2g} us or {degrees:.2g} degrees"

    def notes(self, name: str, fed: Fed) -> Iterator[Problem]:
        """A slider goes from none to full, and a servo without a ramp jumps."""
        sources = list(fed.controls)
        if sources and all(isinstance(one, SliderControl) for one in fed.controls.values()):
            what = f"moves {name} from its centre to one end only, because a slider goes from none to full"
            do = "make it an axis with three readings, raw = [low, middle, high], for the whole of its travel"
            yield Problem("note", f"controls.{sources[0]}.kind", what, do)
        if not self.ramp_ms:
            what = "is not given: it jumps to every place that it is told"
            do = "give it the time it may take from centre to end"
            yield Problem("note", f"outputs.{name}.ramp_ms", what, do)
