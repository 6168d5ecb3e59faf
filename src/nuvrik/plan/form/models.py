"""The link file as typed models: what may be written in it, and what each key means.

Every key carries its meaning, unit and range in ``description``; the error messages, the JSON
Schema in docs/ and the table of keys in docs/link-file.md are all made from it, so that the rule
stands in one place. Fractions are of full scale; a unit, where there is one, is in the key.
"""

import json
from typing import Annotated, Any, Literal

from pydantic import Field, PrivateAttr, field_validator

from nuvrik.plan.controls import AnyControl, Control
from nuvrik.plan.form.base import Millis, Name, Section, kinds_of
from nuvrik.plan.form.channels import AnyChannel, Channel, source_name
from nuvrik.plan.form.frames import AnyFrame, Frame
from nuvrik.plan.form.media import AnyMedium, Medium
from nuvrik.plan.form.requests import AnyRequest, Request
from nuvrik.plan.keys import Key
from nuvrik.plan.outputs import AnyOutput, Output
from nuvrik.plan.outputs.mix import AnyMix, Mix
from nuvrik.plan.telemetry import AnyItem, Cue, Item


class LinkSection(Section):
    """``[link]``: the link as a whole."""

    name: str = Field(min_length=1, max_length=40, description="what the link is called, 1 to 40 characters")
    rate_hz: int = Field(ge=1, le=500, description="command frames a second, 1 to 500")
    tick_ms: int = Field(
        default=20, ge=1, le=1000, description="how often the machine's loop runs, in ms, 1 to 1000"
    )

    settle_ms: Millis = Field(
        default=0,
        description="how long the machine's board takes, in ms, from the opening of the port until it runs",
    )

    @field_validator("name")
    @classmethod
    def _can_be_shown(cls, name: str) -> str:
        if not name.isprintable():
            raise ValueError("name: has a character in it that cannot be shown")
        return name

    @property
    def period_ms(self) -> int:
        """Milliseconds from one command frame to the next, rounded to a whole number, at least 1."""
        return max(1, (2000 + self.rate_hz) // (2 * self.rate_hz))


class LowBattery(Section):
    """``failsafe.low_battery``: an item of telemetry, from where on it is too low, and what is left then."""

    of: Name = Field(description="the item of telemetry, of kind volts or analog")
    below: float = Field(ge=-1e6, le=1e6, description="in the units of the item, e.g. volts")
    to: float = Field(
        default=0.0, ge=0, le=1, description="how much of full scale is left to what turns; 0 = a stop"
    )
    for_ms: Millis = Field(
        default=2000, description="for this long without a break, in ms: a motor that starts pulls it down"
    )


class FailsafeSection(Section):
    """``[failsafe]``: who may move and when."""

    arm: Name = Field(description='the flag channel that must be on for anything to move, or "none"')
    timeout_ms: int = Field(
        ge=1, le=30000, description="without a drive frame for this long, in ms, everything goes safe"
    )
    good_frames: int = Field(
        default=3, ge=1, le=100, description="good frames in a row before the link counts as there, 1 to 100"
    )
    recover: Literal["rearm", "at_rest", "resume"] = Field(
        default="at_rest",
        description='after a loss: "rearm" = arm again by hand; "at_rest" = once the sticks are at rest; '
        '"resume" = at once',
    )
    rest_band: float = Field(
        default=0.0183,
        ge=0,
        le=0.25,
        description="how far from zero a channel may be and still count as at rest, fraction of full scale",
    )
    give_up_ms: Millis | None = Field(
        default=None, description="after this long in failsafe, in ms, start again as at power-up"
    )
    delay_guard_ms: int | None = Field(
        default=None,
        ge=60,
        le=5000,
        description="with telemetry: a command made from what was known longer ago, in ms, is refused",
    )
    stop_without_key: bool = Field(
        default=False,
        description="with a key: anybody in range may stop the machine, for as long as they like",
    )
    stop: Name | None = Field(default=None, description="the control that, while on, sends only stop frames")
    stop_switch: Name | None = Field(
        default=None,
        description="a digital item of telemetry: while on, or without a reading, the machine is stopped",
    )
    low_battery: LowBattery | None = Field(
        default=None, description="what becomes of a machine whose battery is too low"
    )


class Board(Section):
    """``[board]``: what the machine's board has, so that `check` can tell when it is too little."""

    chip: Literal["atmega328p", "atmega2560", "other"] | None = Field(
        default=None,
        description="the chip of a board for sketches, whose pins are known then; other: one that this file "
        "describes with pins, pwm_pins and reserved",
    )
    pins: int | None = Field(default=None, ge=1, le=256, description="how many pins it has, numbered from 0")
    pwm_pins: list[Annotated[int, Field(ge=0, le=255)]] | None = Field(
        default=None, max_length=256, description="the pins that can carry PWM; all, if not given"
    )
    reserved: list[Annotated[int, Field(ge=0, le=255)]] = Field(
        default_factory=list, max_length=256, description="pins that something else uses: serial line, radio"
    )
    regulator_ma: int | None = Field(
        default=None, ge=1, le=100_000, description="what the board's own regulator can give, in mA"
    )
    supply_ma: int | None = Field(
        default=None, ge=1, le=1_000_000, description="what battery or supply can give in all, in mA"
    )
    own_code_ms: int = Field(
        default=0,
        ge=0,
        le=1000,
        description="how long code of your own may keep the machine's loop at a time, in ms: "
        "nothing is heard and nothing can stop meanwhile, so it goes twice into the worst stop",
    )
    interrupts_off_ms: float = Field(
        default=0.0,
        ge=0,
        le=1000,
        description="for how long code of your own keeps interrupts off in one tick, all told, in ms, as "
        "strips of lamps do: the chip's clock loses that much, and every time that it counts is longer",
    )


class Link(Section):
    """A whole link file. Made by ``nuvrik.load``, which reports every problem in plain words."""

    link: LinkSection
    medium: Medium
    frame: Frame
    controls: dict[Name, Control] = Field(default_factory=dict, description="the handset: what a hand moves")
    channels: dict[Name, Channel] = Field(min_length=1, description="what travels in every command frame")
    board: Board | None = Field(default=None, description="the microcontroller board at the machine")
    outputs: dict[Name, Output] = Field(default_factory=dict, description="the machine: what moves")
    mix: Mix | None = Field(default=None, description="how channels become demands on the outputs")
    failsafe: FailsafeSection
    telemetry: dict[Name, Item] = Field(
        default_factory=dict, max_length=32, description="what comes back from the machine"
    )
    requests: dict[Name, Request] = Field(
        default_factory=dict, max_length=128, description="what the machine can be asked to do, once each"
    )
    cues: dict[Name, Cue] = Field(default_factory=dict, description="what comes back made heard")
    _key: Key | None = PrivateAttr(default=None)

    @property
    def name(self) -> str:
        """What the link is called."""
        return self.link.name

    @property
    def rate_hz(self) -> int:
        """Command frames a second."""
        return self.link.rate_hz

    @property
    def period_ms(self) -> int:
        """Milliseconds from one command frame to the next."""
        return self.link.period_ms

    @property
    def tick_ms(self) -> int:
        """Milliseconds from one turn of the machine's loop to the next."""
        return self.link.tick_ms

    @property
    def settle_ms(self) -> int:
        """Milliseconds that the machine's board takes to start once its port has been opened."""
        return self.link.settle_ms

    @property
    def own_code_ms(self) -> int:
        """How long the builder's own code may keep the machine's loop at a time, beyond a moment."""
        return self.board.own_code_ms if self.board is not None else 0

    @property
    def interrupts_off_ms(self) -> float:
        """For how long interrupts are off at the machine in one tick."""
        return self.board.interrupts_off_ms if self.board is not None else 0.0

    @property
    def two_way(self) -> bool:
        """Whether anything comes back from the machine unasked or asked for by this file."""
        return bool(self.telemetry or self.requests)

    @property
    def guard_bytes(self) -> int:
        """How many bytes of a command's payload guard against delay: 1 or 0. With a key it is beside the
        payload, in every frame."""
        return int(self.failsafe.delay_guard_ms is not None and not self.authenticated)

    @property
    def authenticated(self) -> bool:
        """Whether frames are authenticated."""
        return self.frame.key_name is not None

    @property
    def key(self) -> Key:
        """The key. ValueError for a link without one."""
        if self._key is None:
            raise ValueError(f"{self.name} has no key")
        return self._key

    @property
    def has_key(self) -> bool:
        """Whether its key is here: somebody may look at a link without it."""
        return self._key is not None

    def with_key(self, key: Key) -> "Link":
        """The link, which has this key from now on."""
        self._key = key
        return self

    @property
    def arm_channel(self) -> str | None:
        """The name of the arm channel, None where the file says ``arm = "none"``."""
        return None if self.failsafe.arm == "none" else self.failsafe.arm

    @property
    def arm_control(self) -> str | None:
        """The control that arms, None where no control does (a program may)."""
        return source_name(self.channels[self.arm_channel]) if self.arm_channel else None


TAGGED: dict[str, tuple[str, dict[str, type[Section]]]] = {
    name: (key, kinds_of(union, key))
    for name, key, union in (
        ("medium", "kind", AnyMedium),
        ("frame", "style", AnyFrame),
        ("controls", "kind", AnyControl),
        ("channels", "kind", AnyChannel),
        ("outputs", "kind", AnyOutput),
        ("telemetry", "kind", AnyItem),
        ("requests", "kind", AnyRequest),
        ("mix", "style", AnyMix),
    )
}
"""Sections whose entries come in kinds: the key that tells which, and the model of each."""


def json_schema() -> dict[str, Any]:
    """The JSON Schema of a link file, for editors that complete and check TOML."""
    schema = Link.model_json_schema(by_alias=True)
    schema["title"] = "Nuvrik link file"
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return schema


def schema_text() -> str:
    """The same as a file: what the first line of a starter names."""
    return json.dumps(json_schema(), indent=1) + "\n"
