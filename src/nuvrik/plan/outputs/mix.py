"""``[mix]``: how channels become demands of what stands on two sides."""

from typing import Annotated, Literal

from pydantic import Field

from nuvrik.plan.form.base import Name, Section


class _SidesMix(Section):
    left: list[Name] = Field(min_length=1, max_length=16, description="the outputs on the left (port) side")
    right: list[Name] = Field(
        min_length=1, max_length=16, description="the outputs on the right (starboard) side"
    )


class OneStickMix(_SidesMix):
    """``style = "one_stick"``: left = throttle + turn, right = throttle - turn."""

    style: Literal["one_stick"]
    throttle: Name = Field(description="the channel that drives both sides")
    turn: Name = Field(description="the channel that turns: added to the left side, taken from the right")
    turn_weight: float = Field(default=1.0, ge=-2, le=2, description="how strongly the turn counts, -2 to 2")
    overflow: Literal["clip", "scale"] = Field(
        default="clip",
        description='beyond full: "clip" = each side for itself; "scale" = both, so that the turn survives',
    )


class PivotMix(_SidesMix):
    """``style = "pivot"``: a turn slows the inner side only; at full turn it stands still."""

    style: Literal["pivot"]
    throttle: Name = Field(description="the channel that drives both sides")
    turn: Name = Field(description="the channel that turns: + takes from the right side, - from the left")


class TwoStickMix(_SidesMix):
    """``style = "two_stick"``: one stick for each side."""

    style: Literal["two_stick"]
    left_throttle: Name = Field(description="the channel that drives the left side")
    right_throttle: Name = Field(description="the channel that drives the right side")


AnyMix = OneStickMix | TwoStickMix | PivotMix
Mix = Annotated[AnyMix, Field(discriminator="style")]
