"""The link file as typed models: what may be written in it, and what each key means.

Every key carries its meaning, unit and range in ``description``; the error messages, the JSON
Schema in docs/ and the table of keys in docs/link-file.md are all made from it, so that the rule
stands in one place. Fractions are of full scale; a unit, where there is one, is in the key.
"""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

NAME_PATTERN = r"^[a-z][a-z0-9_]{0,31}$"
Name = Annotated[str, Field(pattern=NAME_PATTERN)]
Millis = Annotated[int, Field(ge=0, le=30000)]
Reading = Annotated[int, Field(ge=-65535, le=65535)]
Pin = Annotated[int, Field(ge=0, le=255)]
Weight = Annotated[float, Field(ge=-2, le=2)]

MAX_RAW_SPAN = 65535


class Section(BaseModel):
    """Common to every part of a link file: unknown keys refused, no silent conversions."""

    model_config = ConfigDict(
        extra="forbid", strict=True, frozen=True, allow_inf_nan=False, populate_by_name=True
    )


class LinkSection(Section):
    """``[link]``: the link as a whole."""

    name: str = Field(min_length=1, max_length=40, description="what the link is called, 1 to 40 characters")
    rate_hz: int = Field(ge=1, le=500, description="command frames a second, 1 to 500")
    tick_ms: int = Field(
        default=20, ge=1, le=1000, description="how often the machine's loop runs, in ms, 1 to 1000"
    )

    @property
    def period_ms(self) -> int:
        """Milliseconds from one command frame to the next, rounded to a whole number, at least 1."""
        return max(1, (2000 + self.rate_hz) // (2 * self.rate_hz))


class SerialMedium(Section):
    """``[medium] kind = "serial"``: a wire that carries a stream of bytes."""

    kind: Literal["serial"]
    baud: int = Field(default=115200, ge=50, le=4_000_000, description="bits a second on the wire")
    delay_ms: Millis = Field(
        default=0, description="delay beyond the airtime, in ms (a USB adapter adds 1 to 16)"
    )
    jitter_ms: Millis = Field(default=0, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Whether frames arrive whole and separate (True) or as a stream of bytes (False)."""
        return False

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds that ``wire_bytes`` occupy the line: a start bit, 8 data bits, a stop bit each."""
        return -(-wire_bytes * 10_000_000 // self.baud)


class RadioMedium(Section):
    """``[medium] kind = "radio"``: a module that carries whole packets."""

    kind: Literal["radio"]
    payload_max: int = Field(
        default=32, ge=6, le=200, description="bytes the module carries in one packet, 6 to 200"
    )
    bitrate: int = Field(default=250_000, ge=300, le=10_000_000, description="bits a second on the air")
    overhead_bytes: int = Field(
        default=9, ge=0, le=64, description="bytes the module adds to each packet: preamble, address, check"
    )
    delay_ms: Millis = Field(default=1, description="delay beyond the airtime, in ms")
    jitter_ms: Millis = Field(default=3, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Whether frames arrive whole and separate (True) or as a stream of bytes (False)."""
        return True

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds that a packet of ``wire_bytes`` is on the air, the module's own bytes included."""
        return -(-(wire_bytes + self.overhead_bytes) * 8_000_000 // self.bitrate)


class PackedFrame(Section):
    """``[frame] style = "packed"``: channels packed bit by bit, with head and check."""

    style: Literal["packed"] = Field(description='"packed" is the frame style with every protection')
    pair: int = Field(
        ge=1, le=255, description="the number both ends share and no neighbour should, 1 to 255"
    )
    lead_zero: bool = Field(
        default=True,
        description="on a stream, a zero before each frame too: noise on an idle line spoils only itself",
    )


class _Control(Section):
    stale_ms: int = Field(
        default=500,
        ge=1,
        le=30000,
        description="after this long without a reading, in ms, the control has no reading",
    )


class AxisControl(_Control):
    """``kind = "axis"``: a stick that rests somewhere between its two ends."""

    kind: Literal["axis"]
    raw: list[Reading] = Field(
        min_length=3,
        max_length=3,
        description="three raw readings: low, at rest, high, e.g. [0, 508, 1023]; low may be the larger",
    )
    dead_zone: float = Field(
        default=0.0, ge=0, lt=1, description="fraction of travel about rest that counts as rest, 0 to below 1"
    )
    expo: float = Field(
        default=0.0,
        ge=0,
        le=1,
        description="0 = straight, 1 = a cubic curve: gentle about rest, the ends kept",
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

    @model_validator(mode="after")
    def _range_makes_sense(self) -> "AxisControl":
        low, rest, high = self.raw
        if low == high:
            raise ValueError(f"raw: low and high are both {low}, so the control has no travel")
        if not min(low, high) <= rest <= max(low, high):
            raise ValueError(f"raw: rest {rest} is not between low {low} and high {high}")
        if abs(high - low) > MAX_RAW_SPAN:
            raise ValueError(
                f"raw: from {low} to {high} is {abs(high - low)}; a range spans at most {MAX_RAW_SPAN}"
            )
        return self


class ButtonControl(_Control):
    """``kind = "button"``: something pressed or not."""

    kind: Literal["button"]
    toggle: bool = Field(
        default=False, description="true: each press changes it over; false: on while pressed"
    )
    active: Literal["high", "low"] = Field(
        default="high", description='"high": a reading of 1 is pressed; "low": a reading of 0 is pressed'
    )
    debounce_ms: Millis = Field(
        default=20, description="a change must last this long to count, in ms (contacts bounce 1 to 20)"
    )


Control = Annotated[AxisControl | ButtonControl, Field(discriminator="kind")]


class _Channel(Section):
    source: Name | None = Field(default=None, alias="from", description="the control that feeds this channel")
    optional: bool = Field(
        default=False,
        description="true: a frame without a reading for this channel still keeps motors moving",
    )


class LevelChannel(_Channel):
    """``kind = "level"``: -1 to 1."""

    kind: Literal["level"]
    bits: int = Field(default=11, ge=3, le=16, description="bits on the wire, 3 to 16")
    times: Name | None = Field(
        default=None, description="a second control whose value multiplies the first (a grip as accelerator)"
    )


class ShareChannel(_Channel):
    """``kind = "share"``: 0 to 1."""

    kind: Literal["share"]
    bits: int = Field(default=8, ge=2, le=16, description="bits on the wire, 2 to 16")
    times: Name | None = Field(default=None, description="a second control whose value multiplies the first")


class FlagChannel(_Channel):
    """``kind = "flag"``: off or on."""

    kind: Literal["flag"]

    @property
    def bits(self) -> int:
        return 1


class ChoiceChannel(_Channel):
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
        return (len(self.options) - 1).bit_length()


class CountChannel(_Channel):
    """``kind = "count"``: a number that goes round, modulo 2**bits."""

    kind: Literal["count"]
    bits: int = Field(default=8, ge=1, le=16, description="bits on the wire, 1 to 16")


Channel = Annotated[
    LevelChannel | ShareChannel | FlagChannel | ChoiceChannel | CountChannel, Field(discriminator="kind")
]


class TwoDirectionPins(Section):
    """The three pins of a driver with one PWM input and one input for each direction."""

    pwm: Pin = Field(description="the pin that carries the duty")
    ahead: Pin = Field(description="high to turn ahead")
    astern: Pin = Field(description="high to turn astern")


class MotorOutput(Section):
    """``kind = "motor"``: a motor behind an H-bridge."""

    kind: Literal["motor"]
    driver: Literal["pwm_2dir"] = Field(description='how the driver is wired: "pwm_2dir" = PWM + two pins')
    pins: TwoDirectionPins | None = Field(default=None, description="the machine's pins, by number")
    reverse: bool = Field(default=False, description="true if the motor turns the wrong way")
    duty_max: int = Field(
        default=255, ge=1, le=65535, description="the PWM count that is full on, 1 to 65535 (8 bits: 255)"
    )
    start_duty: float = Field(
        default=0.0, ge=0, lt=1, description="the least duty that moves it, as a fraction of duty_max"
    )
    limit: float = Field(
        default=1.0,
        gt=0,
        le=1,
        description="the most duty ever used, as a fraction of duty_max, kept by the machine",
    )
    ramp_ms: Millis = Field(
        default=0, description="from rest to full, and from full to rest, in ms; 0 = at once"
    )
    reverse_pause_ms: Millis = Field(default=0, description="rest between the two directions, in ms")
    on_loss: Literal["stop"] = Field(default="stop", description='when frames stop: "stop" = ramp to rest')
    mix: dict[Name, Weight] | None = Field(
        default=None,
        min_length=1,
        max_length=8,
        description="weights of channels, e.g. { throttle = 1.0, turn = 0.6 }, each -2 to 2",
    )

    @model_validator(mode="after")
    def _limit_above_start(self) -> "MotorOutput":
        if self.start_duty >= self.limit:
            raise ValueError(
                f"start_duty: {self.start_duty} is not below limit {self.limit}, so nothing is left to use"
            )
        return self


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


class TwoStickMix(_SidesMix):
    """``style = "two_stick"``: one stick for each side."""

    style: Literal["two_stick"]
    left_throttle: Name = Field(description="the channel that drives the left side")
    right_throttle: Name = Field(description="the channel that drives the right side")


Mix = Annotated[OneStickMix | TwoStickMix, Field(discriminator="style")]
Medium = Annotated[SerialMedium | RadioMedium, Field(discriminator="kind")]


class FailsafeSection(Section):
    """``[failsafe]``: who may move and when."""

    arm: Name = Field(description='the flag channel that must be on for anything to move, or "none"')
    timeout_ms: int = Field(
        ge=1, le=30000, description="without a drive frame for this long, in ms, everything goes safe"
    )
    good_frames: int = Field(
        default=3, ge=1, le=100, description="good frames in a row before the link counts as there, 1 to 100"
    )
    recover: Literal["rearm", "neutral", "resume"] = Field(
        default="neutral",
        description='after a loss: "rearm" = arm again by hand; "neutral" = once the sticks are at rest; '
        '"resume" = at once',
    )
    neutral_band: float = Field(
        default=0.0183,
        ge=0,
        le=0.25,
        description="how far from zero a channel may be and still count as at rest, fraction of full scale",
    )
    give_up_ms: Millis | None = Field(
        default=None, description="after this long in failsafe, in ms, start again as at power-up"
    )
    stop: Name | None = Field(default=None, description="the control that, while on, sends only stop frames")


class Link(Section):
    """A whole link file. Made by :func:`nuvrik.load`, which reports every problem in plain words."""

    link: LinkSection
    medium: Medium
    frame: PackedFrame
    controls: dict[Name, Control] = Field(default_factory=dict, description="the handset: what a hand moves")
    channels: dict[Name, Channel] = Field(min_length=1, description="what travels in every command frame")
    outputs: dict[Name, MotorOutput] = Field(default_factory=dict, description="the machine: what moves")
    mix: Mix | None = Field(default=None, description="how channels become demands on the outputs")
    failsafe: FailsafeSection

    @property
    def arm_channel(self) -> str | None:
        """The name of the arm channel, None where the file says ``arm = "none"``."""
        return None if self.failsafe.arm == "none" else self.failsafe.arm


TAGGED: dict[str, tuple[str, dict[str, type[Section]]]] = {
    "medium": ("kind", {"serial": SerialMedium, "radio": RadioMedium}),
    "frame": ("style", {"packed": PackedFrame}),
    "controls": ("kind", {"axis": AxisControl, "button": ButtonControl}),
    "channels": (
        "kind",
        {
            "level": LevelChannel,
            "share": ShareChannel,
            "flag": FlagChannel,
            "choice": ChoiceChannel,
            "count": CountChannel,
        },
    ),
    "outputs": ("kind", {"motor": MotorOutput}),
    "mix": ("style", {"one_stick": OneStickMix, "two_stick": TwoStickMix}),
}
"""Sections whose entries come in kinds: the key that tells which, and the model of each."""


def json_schema() -> dict[str, Any]:
    """The JSON Schema of a link file, for editors that complete and check TOML."""
    schema = Link.model_json_schema(by_alias=True)
    schema["title"] = "Nuvrik link file"
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return schema
