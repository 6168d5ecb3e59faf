"""``[telemetry.NAME]`` and ``[cues.NAME]``: what comes back.

A kind of item is one class: what may be written in a link file, how a sensor's reading becomes the numbers
that core takes, what the codes mean that arrive, its table, and its words.
"""

from collections.abc import Iterable, Mapping
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.frames.bits import level_from_code, share_from_code
from nuvrik.core.levels import FULL, NO_READING, NOBODY, clamp
from nuvrik.core.machine.telling import (
    NOTHING_THERE,
    TELLS_AXES,
    TELLS_COUNT,
    TELLS_DEMAND,
    TELLS_DIGITAL,
    TELLS_SHARE,
    TELLS_STEPS,
    ItemTable,
)
from nuvrik.plan.form.base import MAX_RAW_SPAN, Name, Number, Pin, Reading, Section, Unit
from nuvrik.plan.outputs.base import OutputBase
from nuvrik.plan.tables.made import made

Raw = int | tuple[int, int, int] | None
"""A reading at the machine; three of them for a vector; None: nothing there."""

Value = float | bool | tuple[float, float, float] | None

MOST_RAW = 70_000
"""Beyond every range that an item may have; what is further out is as far out."""

ANALOG, COUNTER, CONTACT = "analog", "counter", "contact"
"""How a board reads a sensor by itself."""


def value_words(value: Value, unit: str) -> str:
    """A value with its unit."""
    if value is None:
        return "nothing there"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        return f"{' '.join(f'{axis:+.2f}' for axis in value)} {unit}".rstrip()
    return f"{value:.2f} {unit}".rstrip()


def _at(ends: list[float], level: int) -> float:
    """A level, -FULL to FULL, as a place between two ends."""
    return ends[0] + (ends[1] - ends[0]) * (level / FULL + 1) / 2


class ItemBase(Section):
    """An item of telemetry."""

    every_ms: int = Field(
        default=500, ge=10, le=30000, description="how often it is sent, in ms, 10 to 30000"
    )
    pin: Pin | None = Field(default=None, description="the pin that it is read from")
    stale_ms: int = Field(
        default=1000, ge=1, le=30000, description="after this long without a reading, in ms, it is not sent"
    )

    tells: ClassVar[int] = TELLS_SHARE
    """What core calls the kind."""

    @property
    def parts(self) -> int:
        """How many numbers it is."""
        return 1

    @property
    def measured(self) -> bool:
        """Whether a sensor reads it; else it is what an output is told."""
        return True

    @property
    def read_as(self) -> str:
        """How a board reads its sensor, "" where the builder's own code has to."""
        return ""

    @property
    def still(self) -> Raw:
        """What its sensor reads while nothing happens."""
        return 0

    @property
    def words(self) -> str:
        """What it says."""
        raise NotImplementedError

    def place(self, outputs: Mapping[str, OutputBase]) -> int:
        """The place of the output that core has to look at, NOBODY for none."""
        return NOBODY

    def table(self, outputs: Mapping[str, OutputBase], first: int) -> ItemTable:
        """It as a table; its codes begin at ``first``."""
        ends = getattr(self, "raw", [0, 0])
        return made(
            ItemTable,
            tells=self.tells,
            bits=getattr(self, "bits"),  # noqa: B009
            low=ends[0],
            high=ends[1],
            high_on=getattr(self, "active", "high") == "high",
            of=self.place(outputs),
            pin=NOBODY if self.pin is None else self.pin,
            every_ms=self.every_ms,
            stale_ms=self.stale_ms,
            first=first,
        )

    def numbers(self, raw: Raw) -> tuple[int, ...]:
        """A reading as core takes it: three numbers for a vector, else one, NOTHING_THERE for None. TypeError
        for one that is of another kind than the item, and for an item that no sensor reads."""
        if not self.measured:
            raise TypeError("it is commanded: no sensor reads it")
        if raw is None:
            return (NOTHING_THERE,)
        if not isinstance(raw, int):
            raise TypeError(f"a reading is a whole number, not {raw!r}")
        return (self._taken(raw),)

    def _taken(self, raw: int) -> int:
        return clamp(raw, -MOST_RAW, MOST_RAW)

    def value(self, codes: tuple[int, ...]) -> tuple[Value, str]:
        """The value that codes stand for, and its unit."""
        raise NotImplementedError

    def text(self, codes: tuple[int, ...]) -> str:
        """Codes for a person to read: ``11.40 V``, ``nothing there``, ``on``, ``312 counts``."""
        return value_words(*self.value(codes))


class _Scaled(ItemBase):
    bits: int = Field(default=8, ge=2, le=16, description="bits on the wire, 2 to 16")
    raw: list[Reading] = Field(
        default=[0, 1023], min_length=2, max_length=2, description="the readings at the two ends of range"
    )

    @model_validator(mode="after")
    def _raw_has_travel(self) -> "_Scaled":
        if self.raw[0] == self.raw[1] or abs(self.raw[0] - self.raw[1]) > MAX_RAW_SPAN:
            raise ValueError(f"raw: from {self.raw[0]} to {self.raw[1]} is no range up to {MAX_RAW_SPAN}")
        return self


class _Ranged(_Scaled):
    """Something on a scale."""

    range: list[Number]

    @property
    def read_as(self) -> str:
        """By a converter."""
        return ANALOG

    @property
    def shown_in(self) -> str:
        """Its unit."""
        return getattr(self, "unit", None) or ""

    @property
    def words(self) -> str:
        """From where to where."""
        return f"{self.range[0]:g} to {self.range[1]:g} {self.shown_in}".rstrip()

    def value(self, codes: tuple[int, ...]) -> tuple[Value, str]:
        """Its place on the scale, None for nothing there."""
        share, (low, high) = share_from_code(codes[0], self.bits), self.range
        return (None if share == NO_READING else low + (high - low) * share / FULL), self.shown_in


class VoltsItem(_Ranged):
    """``kind = "volts"``: a voltage."""

    kind: Literal["volts"]
    range: list[Number] = Field(
        min_length=2, max_length=2, description="volts at the two ends, e.g. [0, 12.75]"
    )

    @property
    def shown_in(self) -> str:
        """Volts."""
        return "V"


class AnalogItem(_Ranged):
    """``kind = "analog"``: any reading on a scale."""

    kind: Literal["analog"]
    range: list[Number] = Field(
        default=[0.0, 1.0], min_length=2, max_length=2, description="the numbers at the two ends"
    )
    unit: Unit | None = Field(default=None, description='what they are, for people to read, e.g. "bar"')


class DistanceItem(_Ranged):
    """``kind = "distance"``: how far away something is, or nothing there."""

    kind: Literal["distance"]
    range: list[Number] = Field(
        min_length=2, max_length=2, description="metres at the two ends, e.g. [0.02, 4.0]"
    )

    @property
    def shown_in(self) -> str:
        """Metres."""
        return "m"

    @property
    def still(self) -> Raw:
        """Nothing is near."""
        return None

    @property
    def words(self) -> str:
        """From where to where, or nothing."""
        return f"{super().words} m, or nothing there"


class VectorItem(_Scaled):
    """``kind = "vector"``: three axes, such as acceleration."""

    kind: Literal["vector"]
    bits: int = Field(default=10, ge=3, le=16, description="bits an axis on the wire, 3 to 16")
    raw: list[Reading] = Field(
        default=[-512, 512], min_length=2, max_length=2, description="the readings at the two ends of range"
    )
    range: list[Number] = Field(
        default=[-1.0, 1.0], min_length=2, max_length=2, description="the numbers at the two ends"
    )
    unit: Unit | None = Field(default=None, description='what they are, for people to read, e.g. "g"')

    tells: ClassVar[int] = TELLS_AXES

    @property
    def parts(self) -> int:
        """One an axis."""
        return 3

    @property
    def still(self) -> Raw:
        """Level: the third axis points down."""
        middle = sum(self.raw) // 2
        return middle, middle, self.raw[1]

    @property
    def words(self) -> str:
        """From where to where."""
        return f"{self.range[0]:g} to {self.range[1]:g}, three axes"

    def numbers(self, raw: Raw) -> tuple[int, ...]:
        """Three."""
        if not isinstance(raw, tuple) or len(raw) != 3 or not all(isinstance(axis, int) for axis in raw):
            raise TypeError(f"a vector is three whole numbers, not {raw!r}")
        return tuple(self._taken(axis) for axis in raw)

    def value(self, codes: tuple[int, ...]) -> tuple[Value, str]:
        """Three places on the scale; an axis without a reading is in the middle of it."""
        levels = (level_from_code(code, self.bits) for code in codes)
        x, y, z = (_at(self.range, 0 if level == NO_READING else level) for level in levels)
        return (x, y, z), self.unit or ""


class ShaftItem(ItemBase):
    """``kind = "shaft"``: a shaft counter; turns and speed follow from it."""

    kind: Literal["shaft"]
    bits: int = Field(default=16, ge=4, le=16, description="bits on the wire; the count goes round")
    counts_per_rev: int = Field(default=20, ge=1, le=65535, description="counts in one turn of the shaft")
    of: Name | None = Field(default=None, description="the output whose shaft it is")
    unit: Literal["turns", "degrees"] = Field(
        default="turns", description="what it is shown in, and told to programs in"
    )
    sensor: bool = Field(
        default=True,
        description="false: there is no counter; a stepper's steps are sent, marked as commanded",
    )

    @property
    def tells(self) -> int:  # type: ignore[override]
        """What is counted, or what an output was told to turn."""
        return TELLS_COUNT if self.sensor else TELLS_STEPS

    @property
    def measured(self) -> bool:
        """Whether there is a counter."""
        return self.sensor

    @property
    def read_as(self) -> str:
        """Edges are counted."""
        return COUNTER if self.sensor else ""

    @property
    def words(self) -> str:
        """What is counted."""
        if not self.sensor:
            return f"how far {self.of} was told to turn, marked as commanded"
        return f"turns of {self.of or 'a shaft'}, {self.counts_per_rev} counts each, and their speed"

    def place(self, outputs: Mapping[str, OutputBase]) -> int:
        """Among those that go by steps."""
        return _place(self.of, (name for name, one in outputs.items() if one.steps_hz))

    def _taken(self, raw: int) -> int:
        # A count goes round; the other end works out how far it went from the last it heard.
        return raw & 0xFFFF

    def text(self, codes: tuple[int, ...]) -> str:
        """One count alone says nothing of turns."""
        return f"{codes[0]} counts"


class DigitalItem(ItemBase):
    """``kind = "digital"``: off or on."""

    kind: Literal["digital"]
    active: Literal["high", "low"] = Field(
        default="high", description='"high": a reading of 1 is on; "low": a reading of 0 is on'
    )

    tells: ClassVar[int] = TELLS_DIGITAL

    @property
    def bits(self) -> int:
        """One."""
        return 1

    @property
    def read_as(self) -> str:
        """A contact."""
        return CONTACT

    @property
    def still(self) -> Raw:
        """Off."""
        return int(self.active == "low")

    @property
    def words(self) -> str:
        """What is on."""
        return f"off or on, active {self.active}"

    def value(self, codes: tuple[int, ...]) -> tuple[Value, str]:
        """Off or on."""
        return bool(codes[0]), ""


class DemandItem(ItemBase):
    """``kind = "demand"``: what an output is told, always marked as commanded."""

    kind: Literal["demand"]
    bits: int = Field(default=8, ge=3, le=16, description="bits on the wire, 3 to 16")
    of: Name = Field(description="the output")
    range: list[Number] | None = Field(
        default=None,
        min_length=2,
        max_length=2,
        description="the numbers at full backward and full forward, e.g. [-45, 45] or [-100, 100]; "
        "without it, -1 to 1",
    )
    unit: Unit | None = Field(default=None, description='what they are, for people to read, e.g. "degrees"')

    tells: ClassVar[int] = TELLS_DEMAND

    @property
    def measured(self) -> bool:
        """No."""
        return False

    @property
    def words(self) -> str:
        """What it repeats."""
        return f"what {self.of} is told, marked as commanded"

    def place(self, outputs: Mapping[str, OutputBase]) -> int:
        """Among all."""
        return _place(self.of, outputs)

    def value(self, codes: tuple[int, ...]) -> tuple[Value, str]:
        """Where it is told to be."""
        level, unit = level_from_code(codes[0], self.bits), self.unit or ("" if self.range else "of full")
        return (None if level == NO_READING else _at(self.range or [-1.0, 1.0], level)), unit

    def text(self, codes: tuple[int, ...]) -> str:
        """Never without saying that it is commanded."""
        return f"{super().text(codes)} (commanded)"


def _place(name: str | None, names: Iterable[str]) -> int:
    known = [*names]
    return known.index(name) if name in known else NOBODY


AnyItem = VoltsItem | AnalogItem | DistanceItem | VectorItem | ShaftItem | DigitalItem | DemandItem
Item = Annotated[AnyItem, Field(discriminator="kind")]


class Cue(Section):
    """``[cues.NAME]``: a value that comes back, made heard: the nearer to fast, the quicker it beeps."""

    source: Name = Field(alias="from", description="the telemetry it follows: a range, volts or analog")
    fast_at: Number = Field(description="the value at which it beeps fastest, in the telemetry's own unit")
    slow_at: Number = Field(description="from this value on it is silent; just before, it beeps slowest")
    fast_ms: int = Field(default=100, ge=20, le=10000, description="from beep to beep at its fastest, in ms")
    slow_ms: int = Field(default=1000, ge=20, le=10000, description="from beep to beep at its slowest, in ms")

    @model_validator(mode="after")
    def _ends_differ(self) -> "Cue":
        if self.fast_at == self.slow_at:
            raise ValueError(f"fast_at: is {self.fast_at:g}, the same as slow_at")
        if self.fast_ms >= self.slow_ms:
            raise ValueError(f"fast_ms: is {self.fast_ms}, not below slow_ms {self.slow_ms}")
        return self
