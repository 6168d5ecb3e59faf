"""``[channels.NAME]``: what travels in every command frame, and what it is made of."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from nuvrik.plan.form.base import Name, Number, Section, Unit

SCALED = frozenset(("level", "share"))
"""Kinds of channel whose values are parts of full scale."""

Share = Annotated[float, Field(ge=-1, le=1)]


class _Channel(Section):
    optional: bool = Field(
        default=False,
        description="true: a frame without a reading for this channel still keeps motors moving",
    )

    @property
    def scaled(self) -> bool:
        """Whether its value is a part of full scale: a level or a share. Anything else is a whole number."""
        return False

    @property
    def most(self) -> int:
        """The greatest value of a flag, a choice or a count."""
        return (1 << getattr(self, "bits", 1)) - 1

    @property
    def finest(self) -> float:
        """The size of one step of its bits, as a fraction of full scale."""
        return 1.0


class _FromOne(_Channel):
    source: Name | None = Field(default=None, alias="from", description="the control that feeds this channel")

    @property
    def sources(self) -> dict[str, str]:
        """Every control it uses: key in the link file -> name."""
        return {"from": self.source} if self.source else {}


class _FromMany(_Channel):
    source: Name | list[Name] | None = Field(
        default=None,
        alias="from",
        description='the control that feeds this channel, or several, e.g. ["left_stick", "pupil_stick"]',
    )
    rule: Literal["priority", "first", "sum"] = Field(
        default="priority",
        description='which of several wins: "priority" = the first in the list that has a reading; '
        '"first" = whoever left rest first, until back at rest; "sum" = all together',
    )
    weights: dict[Name, Share] | None = Field(
        default=None,
        min_length=1,
        max_length=8,
        description="instead of from: a sum of controls, e.g. { stick = 0.8, knob = 0.2 }, each -1 to 1",
    )
    when_on: Share | None = Field(
        default=None, description="fed by a button or a key: its value while that is on, -1 to 1"
    )
    when_off: Share = Field(default=0.0, description="and while it is off, -1 to 1")
    multiplied_by: Name | None = Field(
        default=None, description="a control whose value multiplies the first (a grip as accelerator)"
    )
    slow_when: Name | None = Field(default=None, description="a button or key that slows it down while on")
    slow_to: float = Field(
        default=0.4, gt=0, le=1, description="slowed down, this fraction is left, above 0 to 1"
    )
    preset_when: Name | None = Field(
        default=None, description="a button or key that sets it to preset while on"
    )
    preset: float = Field(default=0.0, ge=-1, le=1, description="what preset_when sets it to, -1 to 1")
    range: list[Number] | None = Field(
        default=None,
        min_length=2,
        max_length=2,
        description="the numbers at its two ends, for programs and people who set it, e.g. [-90, 90]; "
        "without it, -1 to 1 (a share: 0 to 1)",
    )
    unit: Unit | None = Field(default=None, description='what they are, for people to read, e.g. "degrees"')

    @model_validator(mode="after")
    def _one_origin(self) -> "_FromMany":
        if self.source is not None and self.weights is not None:
            raise ValueError("weights: is given as well as from; use one of the two")
        if isinstance(self.source, list) and not 2 <= len(self.source) <= 8:
            raise ValueError(f"from: is a list of {len(self.source)}; a list has 2 to 8 controls")
        if self.when_on is not None and not isinstance(self.source, str):
            raise ValueError("when_on: is for a channel fed by one button or key")
        if self.when_on is None and self.when_off:
            raise ValueError("when_off: is given without when_on")
        if self.range is not None and self.range[0] == self.range[1]:
            raise ValueError(f"range: both ends are {self.range[0]:g}")
        return self

    @property
    def low(self) -> float:
        """The lower end of full scale."""
        return -1.0

    def fraction(self, number: float) -> float:
        """A number of its range as a fraction of full scale. ValueError for one beyond its ends."""
        if self.range is None:
            return number
        first, last = self.range
        if not min(self.range) <= number <= max(self.range):
            unit = f" {self.unit}" if self.unit else ""
            raise ValueError(f"{number:g}{unit} is not from {first:g} to {last:g}")
        return self.low + (number - first) / (last - first) * (1 - self.low)

    @property
    def scaled(self) -> bool:
        """Yes."""
        return True

    @property
    def origins(self) -> list[str]:
        """The controls in ``from``, as a list."""
        return [self.source] if isinstance(self.source, str) else list(self.source or ())

    @property
    def sources(self) -> dict[str, str]:
        """Every control it uses: key in the link file -> name."""
        places = range(len(self.origins))
        keys = ["from"] if isinstance(self.source, str) else [f"from.{place}" for place in places]
        used = dict(zip(keys, self.origins, strict=True))
        used |= {f"weights.{name}": name for name in self.weights or {}}
        for key in ("multiplied_by", "slow_when", "preset_when"):
            if getattr(self, key):
                used[key] = getattr(self, key)
        return used


class LevelChannel(_FromMany):
    """``kind = "level"``: -1 to 1."""

    kind: Literal["level"]
    bits: int = Field(default=11, ge=3, le=16, description="bits on the wire, 3 to 16")

    @property
    def finest(self) -> float:
        """One code; the most negative one is not a level."""
        return 1 / ((1 << (self.bits - 1)) - 1)


class ShareChannel(_FromMany):
    """``kind = "share"``: 0 to 1."""

    kind: Literal["share"]
    bits: int = Field(default=8, ge=2, le=16, description="bits on the wire, 2 to 16")

    @property
    def low(self) -> float:
        """Rest."""
        return 0.0

    @property
    def finest(self) -> float:
        """One code; all ones is not a share."""
        return 1 / ((1 << self.bits) - 2)


class FlagChannel(_FromOne):
    """``kind = "flag"``: off or on."""

    kind: Literal["flag"]
    above: float | None = Field(
        default=None, ge=-1, le=1, description="fed by an axis or a slider: on from this value up, -1 to 1"
    )
    hysteresis: float = Field(
        default=0.1, ge=0, le=1, description="it goes off again this much below above, fraction of full scale"
    )

    @property
    def bits(self) -> int:
        return 1


class ChoiceChannel(_FromOne):
    """``kind = "choice"``: one of several named options."""

    kind: Literal["choice"]
    options: list[Name] = Field(min_length=2, max_length=64, description="the names of the options, 2 to 64")

    @model_validator(mode="after")
    def _options_differ(self) -> "ChoiceChannel":
        twice = [option for option in self.options if self.options.count(option) > 1]
        if twice:
            raise ValueError(f"options: {twice[0]!r} is there twice")
        return self

    @property
    def bits(self) -> int:
        """Enough for one code more than there are options: all ones says that none is chosen."""
        return len(self.options).bit_length()

    @property
    def most(self) -> int:
        """The number of the last option."""
        return len(self.options) - 1


class CountChannel(_FromOne):
    """``kind = "count"``: a number that goes round, modulo 2**bits; fed by a button, its presses."""

    kind: Literal["count"]
    bits: int = Field(default=8, ge=1, le=16, description="bits on the wire, 1 to 16")


AnyChannel = LevelChannel | ShareChannel | FlagChannel | ChoiceChannel | CountChannel
Channel = Annotated[AnyChannel, Field(discriminator="kind")]


def source_name(channel: AnyChannel) -> str | None:
    """The control that a person would name first when asked where a channel comes from."""
    return next(iter(channel.sources.values()), None)
