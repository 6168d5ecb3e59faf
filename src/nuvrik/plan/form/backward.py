"""``[telemetry.NAME]`` and ``[cues.NAME]``: what comes back."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from nuvrik.plan.form.base import MAX_RAW_SPAN, Name, Number, Pin, Reading, Section, Unit


class _Item(Section):
    every_ms: int = Field(
        default=500, ge=10, le=30000, description="how often it is sent, in ms, 10 to 30000"
    )
    pin: Pin | None = Field(default=None, description="the pin that it is read from")
    stale_ms: int = Field(
        default=1000, ge=1, le=30000, description="after this long without a reading, in ms, it is not sent"
    )

    @property
    def parts(self) -> int:
        """How many numbers it is."""
        return 1


class _Scaled(_Item):
    bits: int = Field(default=8, ge=2, le=16, description="bits on the wire, 2 to 16")
    raw: list[Reading] = Field(
        default=[0, 1023], min_length=2, max_length=2, description="the readings at the two ends of range"
    )

    @model_validator(mode="after")
    def _raw_has_travel(self) -> "_Scaled":
        if self.raw[0] == self.raw[1] or abs(self.raw[0] - self.raw[1]) > MAX_RAW_SPAN:
            raise ValueError(f"raw: from {self.raw[0]} to {self.raw[1]} is no range up to {MAX_RAW_SPAN}")
        return self


class VoltsItem(_Scaled):
    """``kind = "volts"``: a voltage."""

    kind: Literal["volts"]
    range: list[Number] = Field(
        min_length=2, max_length=2, description="volts at the two ends, e.g. [0, 12.75]"
    )


class AnalogItem(_Scaled):
    """``kind = "analog"``: any reading on a scale."""

    kind: Literal["analog"]
    range: list[Number] = Field(
        default=[0.0, 1.0], min_length=2, max_length=2, description="the numbers at the two ends"
    )
    unit: Unit | None = Field(default=None, description='what they are, for people to read, e.g. "bar"')


class DistanceItem(_Scaled):
    """``kind = "distance"``: how far away something is, or nothing there."""

    kind: Literal["distance"]
    range: list[Number] = Field(
        min_length=2, max_length=2, description="metres at the two ends, e.g. [0.02, 4.0]"
    )


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

    @property
    def parts(self) -> int:
        """One an axis."""
        return 3


class ShaftItem(_Item):
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


class DigitalItem(_Item):
    """``kind = "digital"``: off or on."""

    kind: Literal["digital"]
    active: Literal["high", "low"] = Field(
        default="high", description='"high": a reading of 1 is on; "low": a reading of 0 is on'
    )

    @property
    def bits(self) -> int:
        return 1


class DemandItem(_Item):
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
