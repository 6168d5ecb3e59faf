"""What a decoder says of whatever arrives: a frame, or why not."""

from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

REASONS = {
    "too_long": "longer than any frame: it is noise, or an end marker was lost",
    "stuffing": "the bytes that keep frames apart do not add up: some were lost, added or changed",
    "too_short": "shorter than head and check: it is part of a frame, or noise",
    "check": "the check does not match: at least one bit was changed on the way",
    "wrong_layout": "a sound frame from an end that was built from a different link file",
    "version": "a sound frame of another version of the frame format",
    "wrong_pair": "a sound frame with another pair number: it is of somebody else's link",
    "wrong_kind": "a sound frame of a kind that this end does not take",
    "bad_field": "a payload that cannot be: wrong length, padding, choice, number, or no such key",
    "repeated": "the same sequence number as the frame before",
    "out_of_order": "an older sequence number than the frame before",
    "late": "made from telemetry of too long ago: something on the way delays frames",
}
"""Every reason for which a frame is refused, in the order in which they are tested."""


class Frame(NamedTuple):
    """A frame that may be believed. ``at`` is the offset of its first byte in the stream, or the
    number of the datagram; ``seq`` its sequence number, None in styles that have none; ``values`` one
    value a channel for a command, what ``nuvrik.wire.messages`` makes of other kinds, () for a stop;
    ``raw`` is the frame as it came, without delimiters."""

    at: int
    kind: int
    seq: int | None
    values: Any
    raw: bytes


class RefusedFrame(NamedTuple):
    """A frame that is refused, with its reason, a key of REASONS; ``seq`` where it was sound but came at the
    wrong time.

    >>> nuvrik.Decoder(nuvrik.load("tug.toml")).feed_datagram(b"noise, not a frame")[0].reason
    'check'
    """

    at: int
    reason: str
    raw: bytes
    seq: int | None = None


Event = Frame | RefusedFrame

Opener = Callable[[bytes], bytes | bytearray | None]


class Reader(Protocol):
    """How one style reads what stands between two end markers."""

    @property
    def last(self) -> int | None:
        """The last sequence number; None if there is none."""

    @property
    def end(self) -> bytes:
        """The end marker on a stream; b"" where each byte is a frame of its own."""

    @property
    def most(self) -> int:
        """The longest piece that can be a frame."""

    @property
    def opened(self) -> Opener:
        """Takes a piece of a stream, never empty, out of what keeps it apart from the next; None where that
        does not add up."""

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one body."""

    def forget(self) -> None:
        """Whatever is known from earlier frames counts no more."""
