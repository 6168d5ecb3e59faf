"""Styles that say only what is to be done: ``keys`` and ``train``."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.frames.incoming import IN_KEYS, IN_SLOTS
from nuvrik.core.frames.writer import OUT_KEYS, OUT_SLOTS
from nuvrik.plan.form.base import Name, Section
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.frame_base import Bound, Lack


class _Plain(Bound):
    """What says only what is to be done, one thing at a time, and nothing about itself."""

    @property
    def lacks(self) -> list[Lack]:
        """What it cannot give: nearly everything."""
        return ["no_sequence", "no_pair", "no_layout", "no_check"]

    @property
    def carries_questions(self) -> bool:
        """No: whatever is sent is an action."""
        return False


class KeyAction(Section):
    """What one key does: ``keys.KEY``."""

    set: dict[Name, float] = Field(
        default_factory=dict, description="channels it puts at a value, -1 to 1 (a flag: 0 or 1)"
    )
    add: dict[Name, float] = Field(default_factory=dict, description="channels it steps by a value, -1 to 1")
    stop: bool = Field(default=False, description="true: it stops everything")

    @model_validator(mode="after")
    def _values_are_fractions(self) -> "KeyAction":
        for key in ("set", "add"):
            for name, value in getattr(self, key).items():
                if not -1 <= value <= 1:
                    raise ValueError(f"{key}: {name} is {value:g}; it must be from -1 to 1")
        if self.stop and (self.set or self.add):
            raise ValueError("stop: is given with set or add; a stop does nothing else")
        return self


class KeysFrame(_Plain):
    """``style = "keys"``: one character or one number for each action."""

    way_in: ClassVar[int] = IN_KEYS
    way_out: ClassVar[int] = OUT_KEYS
    style: Literal["keys"] = Field(description='"keys" is a character or a byte for each action')
    send: Literal["characters", "numbers"] = Field(
        default="characters",
        description='what a key is on the wire: "characters", or "numbers" (a byte from 0 to 255)',
    )
    keys: dict[str, KeyAction] = Field(
        min_length=1,
        max_length=64,
        description='what each does, e.g. { w = { set = { throttle = 0.5 } }, " " = { stop = true } }',
    )

    @model_validator(mode="after")
    def _keys_fit_on_the_wire(self) -> "KeysFrame":
        for key in self.keys:
            if self.send == "characters" and not (len(key) == 1 and " " <= key <= "~" and key != "#"):
                raise ValueError(f'keys: "{key}" is not one printable character (and not #)')
            if self.send == "numbers" and not (key.isascii() and key.isdigit() and int(key) < 256):
                raise ValueError(f'keys: "{key}" is not a number from 0 to 255')
        if not any(action.stop for action in self.keys.values()):
            raise ValueError('keys: none of them stops; add one, e.g. " " = { stop = true }')
        return self

    @property
    def actions(self) -> dict[str, KeyAction]:
        """As the file says."""
        return self.keys

    @property
    def named(self) -> dict[str, list[str]]:
        """The channels that keys set and step."""
        acted = {f"keys.{key}.set": list(action.set) for key, action in self.keys.items()}
        return acted | {f"keys.{key}.add": list(action.add) for key, action in self.keys.items()}

    def command_bytes(self, channels: Mapping[str, AnyChannel], guard_bytes: int = 0) -> int:
        """A key is a byte."""
        return 1

    def stream_bytes(self, body: int) -> int:
        """Nothing stands between keys."""
        return body

    def codes(self) -> dict[int, KeyAction]:
        """Byte on the wire -> what it does."""
        number = ord if self.send == "characters" else int
        return {number(key): action for key, action in self.keys.items()}


class TrainFrame(_Plain):
    """``style = "train"``: a slot of time for each channel, as radio gear carries several on one wire."""

    way_in: ClassVar[int] = IN_SLOTS
    way_out: ClassVar[int] = OUT_SLOTS
    style: Literal["train"] = Field(description='"train" is a slot of time a channel, for medium "pulses"')
    low_us: int = Field(default=1000, ge=500, le=2500, description="the slot of a level of -1, in us")
    high_us: int = Field(default=2000, ge=500, le=2500, description="the slot of a level of 1, in us")
    margin_us: int = Field(
        default=100, ge=0, le=400, description="a slot further out than this, in us, spoils the train"
    )

    @model_validator(mode="after")
    def _slots_have_travel(self) -> "TrainFrame":
        if abs(self.high_us - self.low_us) < 100:
            raise ValueError(f"low_us: {self.low_us} and high_us {self.high_us} are less than 100 us apart")
        return self

    @property
    def answers_in_hex(self) -> bool:
        """Nothing comes back at all."""
        return False

    def command_bytes(self, channels: Mapping[str, AnyChannel], guard_bytes: int = 0) -> int:
        """Two bytes a slot, as a timer captures it."""
        return 2 * len(channels)

    def stream_bytes(self, body: int) -> int:
        """The gap is one more slot."""
        return body + 2

    def finest(self, name: str, channel: AnyChannel) -> float:
        """A microsecond."""
        return (1 if channel.kind == "share" else 2) / abs(self.high_us - self.low_us)

    @property
    def slots_us(self) -> tuple[int, int]:
        """A little beyond either end."""
        ends = self.low_us, self.high_us
        return min(ends) - self.margin_us, max(ends) + self.margin_us
