"""``[frame]``: in what shape frames travel. Two styles with every protection, three for boards that
already speak something of their own.

What a style cannot give must be accepted by name in ``accept``, so that nobody gives it up unawares.
"""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, Literal

from pydantic import Field, model_validator

from nuvrik.plan.form.base import Name, Section

TextCheck = Literal["none", "xor8", "sum8", "crc8", "crc16"]
Lack = Literal["no_sequence", "no_pair", "no_layout", "no_check"]

CHECK_DIGITS: dict[TextCheck, int] = {"none": 0, "xor8": 2, "sum8": 2, "crc8": 2, "crc16": 4}
"""How many hex digits each check is in text."""

LACKS: dict[Lack, str] = {
    "no_sequence": "a frame that comes twice, late or out of order is accepted",
    "no_pair": "anybody's frames in this style are accepted",
    "no_layout": "two ends built from different files misread each other instead of falling silent",
    "no_check": "a frame damaged on the way may be accepted",
}
"""What each thing that may be accepted costs."""

MAX_TEXT = 420
"""The longest line of text: a hex line around the longest body fits."""


class _Bound(Section):
    pair: int = Field(
        default=1,
        ge=1,
        le=255,
        description="the number both ends share and no neighbour should, 1 to 255; in styles of text and "
        "keys only what comes in hex digits carries it",
    )
    accept: list[Lack] = Field(
        default_factory=list,
        max_length=4,
        description='what this style cannot give and is done without, by name, e.g. ["no_sequence"]',
    )

    @property
    def lacks(self) -> list[Lack]:
        """What it cannot give."""
        return []

    @property
    def carries_questions(self) -> bool:
        """Whether a handset can send anything but commands and stops in it. Keys cannot: the digits of a
        question would be keys themselves."""
        return True


class _SealedFrame(_Bound):
    pair: int = Field(
        ge=1, le=255, description="the number both ends share and no neighbour should, 1 to 255"
    )


class PackedFrame(_SealedFrame):
    """``style = "packed"``: channels packed bit by bit, with head and check."""

    style: Literal["packed"] = Field(description='"packed" is the frame style with every protection')
    lead_in: bool = Field(
        default=True,
        description="on a stream, a zero before each frame too: noise on an idle line spoils only itself",
    )


class SlipFrame(_SealedFrame):
    """``style = "slip"``: the same frames as packed, kept apart as RFC 1055 says."""

    style: Literal["slip"] = Field(description='"slip" has every protection too, and RFC 1055 between frames')
    lead_in: bool = Field(
        default=True,
        description="an END before each frame too: noise on an idle line spoils only itself",
    )


class TextField(Section):
    """How one channel is written as text: ``fields.CHANNEL`` of a line or of columns."""

    range: list[Annotated[float, Field(ge=-65535, le=65535)]] | None = Field(
        default=None,
        min_length=2,
        max_length=2,
        description="the numbers at its two ends, e.g. [0, 180]; a level's is [-1000, 1000], a share's "
        "[0, 1000] if not given",
    )
    decimals: int = Field(default=0, ge=0, le=4, description="digits behind the decimal point, 0 to 4")
    width: int = Field(
        default=0,
        ge=0,
        le=12,
        description="digits are padded with zeros to this width, sign and point included",
    )

    @model_validator(mode="after")
    def _range_makes_sense(self) -> "TextField":
        if self.range is None:
            return self
        low, high = self.range
        if low == high:
            raise ValueError(f"range: both ends are {low:g}")
        for end in self.range:
            if Decimal(str(end)).scaleb(self.decimals) % 1:
                raise ValueError(f"range: {end:g} has more than {self.decimals} decimals")
        if abs(high - low) * 10**self.decimals > 65535:
            raise ValueError("range: has more than 65535 steps; use fewer decimals")
        return self


class _TextFrame(_Bound):
    tag: Annotated[str, Field(pattern=r"^[!-~ ]{0,8}$")] = Field(
        default="", description='text that every command begins with, e.g. "M,"; up to 8 characters'
    )
    end: Annotated[str, Field(pattern=r"^[\x01-\x7e]{1,4}$")] = Field(
        default="\n", description='what ends a frame, 1 to 4 characters, e.g. "\\n" or "\\r\\n"'
    )
    lead_in: bool = Field(
        default=True,
        description="send what ends a frame before it too: half a frame never runs into the next",
    )
    check: TextCheck = Field(
        default="none",
        description='a checksum in hex digits behind "*": "xor8", "sum8", "crc8", "crc16" or "none"',
    )
    stop: Annotated[str, Field(pattern=r"^[!-~]{0,8}$")] = Field(
        default="!", description='the text of a stop frame; "" if the board knows none'
    )
    fields: dict[Name, TextField] = Field(
        default_factory=dict, description="how channels are written, e.g. { throttle = { range = [0, 180] } }"
    )

    @property
    def lacks(self) -> list[Lack]:
        """What it cannot give."""
        always: list[Lack] = ["no_sequence", "no_pair", "no_layout"]
        return [*always, "no_check"] if self.check == "none" else always

    @model_validator(mode="after")
    def _characters_are_told_apart(self) -> "_TextFrame":
        for key in ("tag", "stop"):
            text = getattr(self, key)
            if text.startswith("#"):
                raise ValueError(f"{key}: begins with #, which begins lines of hex digits")
            if any(mark in text for mark in (self.end, "*")):
                raise ValueError(f"{key}: holds the end of a frame or *")
        if set(self.end) & set("0123456789+-.*#"):
            raise ValueError("end: holds a character that numbers, * or # need")
        return self


class LineFrame(_TextFrame):
    """``style = "line"``: text fields with a separator between them and an end marker."""

    style: Literal["line"] = Field(description='"line" is text, a field a channel in their order')
    separator: Annotated[str, Field(pattern=r"^[\x20-\x7e\t]{1,4}$")] = Field(
        default=",", description="what stands between two fields, 1 to 4 characters"
    )
    spaces: Literal["refuse", "ignore"] = Field(
        default="refuse", description='what to do about spaces around a field: "refuse" or "ignore"'
    )
    missing: Literal["refuse", "no_reading"] = Field(
        default="refuse",
        description='an empty field: "refuse" the frame, or take it (and send it) as "no_reading"',
    )

    @model_validator(mode="after")
    def _separator_is_told_apart(self) -> "LineFrame":
        if set(self.separator) & (set("0123456789+-.*#") | set(self.end)):
            raise ValueError("separator: holds a character that numbers, * or the end need")
        if self.spaces == "ignore" and not self.separator.strip(" "):
            raise ValueError('separator: is a space, so spaces cannot be ignored; use spaces = "refuse"')
        return self


class ColumnsFrame(_TextFrame):
    """``style = "columns"``: text in columns of fixed width, without separators, and an end marker."""

    style: Literal["columns"] = Field(description='"columns" is text of fixed width, a column a channel')


class _Plain(_Bound):
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

    def codes(self) -> dict[int, KeyAction]:
        """Byte on the wire -> what it does."""
        number = ord if self.send == "characters" else int
        return {number(key): action for key, action in self.keys.items()}


class TrainFrame(_Plain):
    """``style = "train"``: a slot of time for each channel, as radio gear carries several on one wire."""

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
    def longest_us(self) -> int:
        """The longest slot that is one."""
        return max(self.low_us, self.high_us) + self.margin_us

    @property
    def shortest_us(self) -> int:
        """The shortest slot that is one."""
        return min(self.low_us, self.high_us) - self.margin_us


AnyFrame = PackedFrame | SlipFrame | LineFrame | ColumnsFrame | KeysFrame | TrainFrame
Frame = Annotated[AnyFrame, Field(discriminator="style")]
Sealed = PackedFrame | SlipFrame
"""Styles whose bodies have head and check."""
Text = LineFrame | ColumnsFrame


@dataclass(frozen=True)
class TextForm:
    """The integers behind one channel's text: from ``low`` to ``high``, in steps of the last decimal.

    The number of a level is ``low + div((level + FULL) * (high - low), 2 * FULL)``, of a share
    ``low + div(share * (high - low), FULL)``; flags, choices and counts are written as they are.
    """

    scaled: bool
    one_sided: bool
    low: int
    high: int
    decimals: int
    width: int

    @classmethod
    def of(cls, kind: str, most: int, field: TextField | None) -> "TextForm":
        """For a channel of a kind; ``most`` is the greatest value of a flag, a choice or a count."""
        field = field or TextField()
        if kind not in ("level", "share"):
            return cls(False, True, 0, most, 0, field.width)
        low, high = (-1000, 1000) if kind == "level" else (0, 1000)
        if field.range:
            low, high = (int(Decimal(str(end)).scaleb(field.decimals)) for end in field.range)
        return cls(True, kind == "share", low, high, field.decimals, field.width)

    @property
    def signed(self) -> bool:
        """Whether there are numbers below zero."""
        return min(self.low, self.high) < 0

    @property
    def longest(self) -> int:
        """How many characters a number has at most."""
        digits = max(len(str(abs(end))) for end in (self.low, self.high))
        return max(max(digits, self.decimals + 1) + (self.decimals > 0) + self.signed, self.width)
