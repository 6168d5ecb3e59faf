"""``[telemetry.NAME]``, ``[requests.NAME]``, ``[cues.NAME]``: what comes back, and what can be asked for."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from nuvrik.plan.form.base import MAX_RAW_SPAN, Name, Pin, Reading, Section

Number = Annotated[float, Field(ge=-1e6, le=1e6)]
Unit = Annotated[str, Field(min_length=1, max_length=12, pattern=r"^[^\x00-\x1f\x7f]+$")]


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


class Argument(Section):
    """One argument of a request: ``args.NAME``."""

    kind: Literal["integer", "count", "flag", "choice"] = Field(
        description='"integer" = either sign, "count" = from 0, "flag" = off or on, "choice" = one of options'
    )
    bits: int = Field(
        default=16, ge=1, le=16, description="bits on the wire; a flag has 1, a choice as many as it needs"
    )
    options: list[Name] | None = Field(
        default=None, min_length=2, max_length=64, description="of a choice: names; the number travels"
    )

    @model_validator(mode="before")
    @classmethod
    def _bits_that_follow(cls, given: Any) -> Any:
        if not isinstance(given, dict) or "bits" in given:
            return given
        options = given.get("options")
        if given.get("kind") == "flag":
            return {**given, "bits": 1}
        if given.get("kind") == "choice" and isinstance(options, list):
            return {**given, "bits": max(1, (len(options) - 1).bit_length())}
        return given

    @model_validator(mode="after")
    def _options_fit(self) -> "Argument":
        if (self.kind == "choice") != (self.options is not None):
            raise ValueError('options: belong to kind = "choice", and it needs them')
        if self.options is not None:
            if len(set(self.options)) < len(self.options):
                raise ValueError("options: one of them stands there twice")
            if len(self.options) > 1 << self.bits:
                raise ValueError(f"bits: {self.bits} is too few for {len(self.options)} options")
        return self

    @property
    def limits(self) -> tuple[int, int]:
        """The least and the greatest value."""
        if self.kind == "integer":
            return -(1 << (self.bits - 1)), (1 << (self.bits - 1)) - 1
        if self.options is not None:
            return 0, len(self.options) - 1
        return 0, 1 if self.kind == "flag" else (1 << self.bits) - 1

    def number(self, value: int | str) -> int:
        """A value as it travels: of a choice, a name is its number. ValueError for a name that there is not,
        TypeError for a text where a number is wanted."""
        if not isinstance(value, str):
            return int(value)
        if self.options is None:
            raise TypeError(f"{value!r} is a text; it takes a whole number")
        if value not in self.options:
            raise ValueError(f"{value!r} is none of {', '.join(self.options)}")
        return self.options.index(value)

    def value(self, code: int) -> int:
        """What a code of its bits stands for: an integer is in two's complement."""
        negative = self.kind == "integer" and code >> (self.bits - 1)
        return code - (1 << self.bits) if negative else code


class _Request(Section):
    when: Name | None = Field(
        default=None, description="a button or a key of the handset that starts it, once a press"
    )
    when_args: dict[Name, int | Name] = Field(
        default_factory=dict,
        max_length=8,
        description="what it then passes on, e.g. { steps = 40 }; a flag 0 or 1, a choice by its name",
    )

    @property
    def arguments(self) -> dict[str, Argument]:
        """Its arguments, in order."""
        return {}

    @property
    def moving(self) -> bool:
        """Whether it needs ARMED, and ends on leaving it."""
        return True

    @property
    def bits(self) -> int:
        """How many bits its arguments are."""
        return sum(argument.bits for argument in self.arguments.values())


STEPS = Argument(kind="integer", bits=16)
SPEED = Argument(kind="count", bits=7)


class _Move(_Request):
    output: Name = Field(description="the stepper")
    speed: bool = Field(
        default=False,
        description="true: it has an argument speed too, at most so many per cent of rate_max; 0 is full",
    )

    @property
    def arguments(self) -> dict[str, Argument]:
        """How fast, where it says that."""
        return {"speed": SPEED} if self.speed else {}


class StepsRequest(_Move):
    """``kind = "steps"``: turn a stepper by so many steps; the argument is ``steps``."""

    kind: Literal["steps"]

    @property
    def arguments(self) -> dict[str, Argument]:
        """How many steps, and which way."""
        return {"steps": STEPS} | super().arguments


class HomeRequest(_Move):
    """``kind = "home"``: turn a stepper back to where it was at power-up, or to one of its ends."""

    kind: Literal["home"]
    against: Literal["forward", "backward"] | None = Field(
        default=None,
        description="the end to which it turns until the switch there is on; from there it counts then",
    )


class CallRequest(_Request):
    """``kind = "call"``: run the machine's own code."""

    kind: Literal["call"]
    moves: bool = Field(
        default=False, description="true: it moves something, so it needs ARMED and ends on leaving it"
    )
    args: dict[Name, Argument] = Field(
        default_factory=dict,
        max_length=8,
        description='what is passed on, e.g. { number = { kind = "count", bits = 4 } }',
    )

    @property
    def arguments(self) -> dict[str, Argument]:
        """As the file says."""
        return self.args

    @property
    def moving(self) -> bool:
        """As the file says."""
        return self.moves

    @model_validator(mode="after")
    def _flags_are_one_bit(self) -> "CallRequest":
        for name, argument in self.args.items():
            if argument.kind == "flag" and argument.bits != 1:
                raise ValueError(f"args: {name} is a flag; a flag has bits = 1")
            if argument.kind == "integer" and argument.bits < 2:
                raise ValueError(f"args: {name} is an integer; it needs at least 2 bits")
        return self


AnyRequest = StepsRequest | HomeRequest | CallRequest
Request = Annotated[AnyRequest, Field(discriminator="kind")]


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
