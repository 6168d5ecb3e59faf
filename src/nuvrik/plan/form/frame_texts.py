"""Styles of text, for boards that already speak some: ``line`` and ``columns``."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from nuvrik.core.frames.incoming import IN_LINES
from nuvrik.core.frames.writer import OUT_TEXT
from nuvrik.plan.form.base import Name, Section
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.frame_base import CHECK_DIGITS, Bound, Lack, TextCheck


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


class _TextFrame(Bound):
    way_in: ClassVar[int] = IN_LINES
    way_out: ClassVar[int] = OUT_TEXT
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

    @property
    def named(self) -> dict[str, list[str]]:
        """The channels in ``fields``."""
        return {"fields": list(self.fields)}

    @property
    def between(self) -> str:
        """What stands between two fields."""
        return ""

    @property
    def spaces_ignored(self) -> bool:
        """Whether spaces around a field do not count."""
        return False

    def width(self, form: "TextForm") -> int:
        """To what width a field is padded."""
        return form.longest

    def forms(self, channels: Mapping[str, AnyChannel]) -> list["TextForm"]:
        """How each channel is written, in declared order."""
        return [TextForm.of(channel, self.fields.get(name)) for name, channel in channels.items()]

    def command_bytes(self, channels: Mapping[str, AnyChannel], guard_bytes: int = 0) -> int:
        """Tag, fields, what stands between them, check."""
        fields = sum(form.longest for form in self.forms(channels))
        check = 1 + CHECK_DIGITS[self.check] if self.check != "none" else 0
        return len(self.tag) + fields + len(self.between) * (len(channels) - 1) + check

    def stream_bytes(self, body: int) -> int:
        """The end, and if need be one before."""
        return body + len(self.end) * (1 + self.lead_in)

    def finest(self, name: str, channel: AnyChannel) -> float:
        """One in the last decimal of its range."""
        form = TextForm.of(channel, self.fields.get(name))
        return (1 if channel.kind == "share" else 2) / abs(form.high - form.low)

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

    @property
    def between(self) -> str:
        """The separator."""
        return self.separator

    @property
    def spaces_ignored(self) -> bool:
        """As the file says."""
        return self.spaces == "ignore"

    @property
    def says_no_reading(self) -> bool:
        """As an empty field, if that means so."""
        return self.missing == "no_reading"

    def width(self, form: "TextForm") -> int:
        """As the file says; a separator needs none."""
        return form.width

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


@dataclass(frozen=True)
class TextForm:
    """The integers behind one channel's text: from ``low`` to ``high``, in steps of the last decimal.

    The number of a level is ``low + div((level + FULL) * (high - low), 2 * FULL)``, of a share
    ``low + div(share * (high - low), FULL)``; flags, choices and counts are written as they are. An ``empty``
    field of a level, a share or a choice says that there is none, where the style has that.
    """

    scaled: bool
    one_sided: bool
    low: int
    high: int
    decimals: int
    width: int
    empty: bool

    @classmethod
    def of(cls, channel: AnyChannel, field: TextField | None) -> "TextForm":
        """For a channel, as the file says or as usual."""
        field = field or TextField()
        if not channel.scaled:
            return cls(False, True, 0, channel.most, 0, field.width, channel.kind == "choice")
        low, high = (-1000, 1000) if channel.kind == "level" else (0, 1000)
        if field.range:
            low, high = (int(Decimal(str(end)).scaleb(field.decimals)) for end in field.range)
        return cls(True, channel.kind == "share", low, high, field.decimals, field.width, True)

    @property
    def signed(self) -> bool:
        """Whether there are numbers below zero."""
        return min(self.low, self.high) < 0

    @property
    def longest(self) -> int:
        """How many characters a number has at most."""
        digits = max(len(str(abs(end))) for end in (self.low, self.high))
        return max(max(digits, self.decimals + 1) + (self.decimals > 0) + self.signed, self.width)
