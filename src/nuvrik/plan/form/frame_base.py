"""What every frame style says of itself in the link file."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar, Literal

from pydantic import Field

from nuvrik.plan.form.base import Section
from nuvrik.plan.form.channels import AnyChannel

if TYPE_CHECKING:
    from nuvrik.plan.form.frame_actions import KeyAction

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

HEAD_BYTES, CHECK_BYTES = 4, 2
"""What is around the payload of every sealed frame."""

AUTHENTIC_BYTES = 10
"""What an authenticated frame has besides: the rest of its counter, what it was made from, a tag."""

MAX_BODY = 200
"""A longer body would need a COBS code of 0xFF."""

MAX_TEXT = 420
"""The longest line of text: a hex line around the longest body fits."""


class Bound(Section):
    way_in: ClassVar[int]
    """How core keeps its frames apart on a stream."""
    way_out: ClassVar[int]
    """How core writes its commands."""

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
    def sealed(self) -> bool:
        """Whether every frame has head and check: version, pair, layout tag, sequence and CRC-16."""
        return False

    @property
    def key_name(self) -> str | None:
        """The file that has its key, None where frames are not authenticated."""
        return None

    @property
    def around_bytes(self) -> int:
        """How many bytes a sealed frame has besides its payload."""
        return HEAD_BYTES + CHECK_BYTES + (AUTHENTIC_BYTES if self.key_name else 0)

    @property
    def says_no_reading(self) -> bool:
        """Whether it can say that a control has no reading. Where it cannot, the handset sends nothing."""
        return False

    @property
    def answers_in_hex(self) -> bool:
        """Whether frames of other kinds than commands travel as lines of hex digits."""
        return not self.sealed

    @property
    def named(self) -> dict[str, list[str]]:
        """The channels that it names: where in the section -> their names."""
        return {}

    @property
    def actions(self) -> dict[str, "KeyAction"]:
        """Its keys, and what each does."""
        return {}

    @property
    def slots_us(self) -> tuple[int, int] | None:
        """The shortest and the longest slot of time that is one; None where nothing is a slot."""
        return None

    def command_bytes(self, channels: Mapping[str, AnyChannel], guard_bytes: int = 0) -> int:
        """How long the body of a command is, at its longest."""
        raise NotImplementedError

    def stream_bytes(self, body: int) -> int:
        """How many bytes a body of that length becomes on a stream, at most."""
        raise NotImplementedError

    def wire_bytes(self, body: int, *, stream: bool) -> int:
        """How many bytes travel for such a body: in a datagram it goes as it is."""
        return self.stream_bytes(body) if stream else body

    def finest(self, name: str, channel: AnyChannel) -> float:
        """The size of one step of a level or a share, as a fraction of full scale."""
        return channel.finest

    @property
    def carries_questions(self) -> bool:
        """Whether a handset can send anything but commands and stops in it. Keys cannot: the digits of a
        question would be keys themselves."""
        return True
