"""What a decoder says of whatever arrives: a frame, or why not."""

from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

from nuvrik.core.frames.sealed import TOO_LONG

REASONS = {
    "too_long": "longer than any frame: it is noise, or an end marker was lost",
    "stuffing": "the bytes that keep frames apart do not add up: some were lost, added or changed",
    "too_short": "shorter than head and check: it is part of a frame, or noise",
    "check": "the check does not match: at least one bit was changed on the way",
    "wrong_layout": "a sound frame from an end that was built from a different link file",
    "version": "a sound frame of another version of the frame format",
    "wrong_pair": "a sound frame with another pair number: it is of somebody else's link",
    "wrong_kind": "a sound frame of a kind that this end does not take; 8 and above want a key",
    "bad_field": "a payload that cannot be: wrong length, padding, choice, number, or no such key",
    "repeated": "the same sequence number as the frame before",
    "out_of_order": "an older sequence number than the frame before",
    "late": "made from telemetry of too long ago: something on the way delays frames",
    "queued_up": "sent while nobody listened, or more than is looked at in such a time",
    "not_authenticated": "a sound frame that anybody could have made, and this link has a key",
    "no_session": "made with a key, before machine and handset have met since the machine started",
    "old": "its counter is not above what has been accepted: sent before, or overtaken by another handset",
    "forged": "its tag is not what the key makes of it: made without the key, or changed on the way",
}
"""Every reason for which a frame is refused, by the numbers of core; up to ``late`` in the order in which
they are tested."""

WITH_KEY = ("queued_up", "not_authenticated", "no_session", "old", "forged")
"""Those that only a link with a key has."""


_NUMBERED = tuple(REASONS)


def reason_of(code: int) -> str:
    """The reason that core has this number for."""
    return _NUMBERED[code - TOO_LONG]


class Frame(NamedTuple):
    """A frame that may be believed. ``at`` is the offset of its first byte in the stream, or the
    number of the datagram; ``seq`` its sequence number, None in styles that have none; ``values`` one
    value a channel for a command, what ``nuvrik.wire.messages`` makes of other kinds, () for a stop;
    ``raw`` is the frame as it came, without delimiters. ``checked`` is None for a frame without a tag;
    False where a bystander had no way of working the tag out: whose such a frame is, nobody knows."""

    at: int
    kind: int
    seq: int | None
    values: Any
    raw: bytes
    checked: bool | None = None

    def proves(self, authenticated: bool) -> bool:
        """Whether it says whom it comes from. With a key only a frame with a tag does: a stop that needs
        none, and a hello that anybody asks, are no sign of the handset."""
        return self.checked is True or not authenticated


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
