"""Whatever arrives to events: every frame that may be believed, and of every other, why not.

The reasons are tested in the order of ``REASONS``; the first that applies is the one reported. No
byte sequence whatever raises, and memory is bounded by the longest frame.
"""

from binascii import crc_hqx
from collections.abc import Iterable
from typing import NamedTuple

from nuvrik.plan.layout import CHECK_BYTES, CRC_INITIAL, HEAD_BYTES, MAX_BODY, layout_tag
from nuvrik.plan.models import Link
from nuvrik.wire.cobs import unstuff
from nuvrik.wire.frames import (
    COMMAND,
    HELLO,
    REQUEST,
    SHORTEST_BODY,
    STOP,
    VERSION,
    initial_from_check,
)
from nuvrik.wire.packing import Packer, Values
from nuvrik.wire.requests import JOG_BYTES, unpack_jog

REASONS = {
    "too_long": "no frame is this long: noise, or an end marker was lost",
    "stuffing": "the zero-distances inside do not add up: bytes were lost, added or changed",
    "too_short": "shorter than head and check: part of a frame, or noise",
    "check": "the check does not match: at least one bit was changed on the way",
    "wrong_layout": "a sound frame from an end that was built from a different link file",
    "version": "a sound frame of another version of the frame format",
    "wrong_pair": "a sound frame for another pair number: somebody else's link",
    "wrong_kind": "a sound frame of a kind that this end does not take",
    "bad_field": "a sound check around a payload that cannot be: wrong length, padding or choice",
    "repeated": "the same sequence number as the frame before",
    "out_of_order": "an older sequence number than the frame before",
}
"""Every reason for which a frame is refused, in the order in which they are tested."""

MAX_STUFFED = MAX_BODY + 1


class Frame(NamedTuple):
    """A frame that may be believed. ``at`` is the offset of its first byte in the stream, or the
    number of the datagram; ``values`` is one value a channel for a command, a
    :class:`~nuvrik.wire.requests.Jog` for a request, else empty; ``raw`` is the frame as it came,
    without delimiters."""

    at: int
    kind: int
    seq: int
    values: Values
    raw: bytes


class Reject(NamedTuple):
    """A frame that is refused, with its reason, a key of REASONS."""

    at: int
    reason: str
    raw: bytes


Event = Frame | Reject

# Events are made by the hundred thousand; a named tuple's own constructor costs twice this one.
_new = tuple.__new__


class Decoder:
    """Decodes one link's frames, from a stream in pieces of any size, or datagram by datagram.

    It keeps two things: the beginning of a frame not yet ended, and the last sequence number, which
    :meth:`forget` drops (after a timeout, the next is taken as it is).
    """

    def __init__(self, link: Link, accepts: Iterable[int] = (COMMAND, STOP, REQUEST)) -> None:
        packer = Packer(link)
        self._unpack = packer.unpack
        self._tag = layout_tag(link)
        self._pair = link.frame.pair
        # How long the body of each accepted kind is.
        sizes = {
            COMMAND: SHORTEST_BODY + packer.size,
            STOP: SHORTEST_BODY,
            REQUEST: SHORTEST_BODY + JOG_BYTES,
        }
        self._link = link
        self._lengths = {kind: sizes[kind] for kind in accepts}
        self.last: int | None = None
        self._held = b""
        self._skipping = False
        self._at = 0
        self._datagrams = 0

    def forget(self) -> None:
        """Drop the last sequence number: whatever comes next is taken as it is."""
        self.last = None

    def feed(self, data: bytes) -> list[Event]:
        """The events in the next piece of a stream. How the stream is cut makes no difference."""
        pieces = data.split(b"\0")
        if self._skipping:
            if len(pieces) == 1:
                self._at += len(data)
                return []
            self._skipping = False
            self._at += len(pieces[0]) + 1
            del pieces[0]
        elif self._held:
            pieces[0] = self._held + pieces[0]
        held = pieces.pop()
        events: list[Event] = []
        at = self._at
        for piece in pieces:
            length = len(piece)
            if length > MAX_STUFFED:
                events.append(Reject(at, "too_long", bytes(piece[: MAX_STUFFED + 1])))
            elif length:
                body = unstuff(piece)
                if body is None:
                    events.append(Reject(at, "stuffing", piece))
                else:
                    events.append(self._judge(body, piece, at))
            at += length + 1
        if len(held) > MAX_STUFFED:
            # Said once, at the byte that overflows; the rest is skipped up to the next delimiter.
            events.append(Reject(at, "too_long", bytes(held[: MAX_STUFFED + 1])))
            self._skipping = True
            at += len(held)
            held = b""
        self._held = held
        self._at = at
        return events

    def feed_datagram(self, body: bytes) -> list[Event]:
        """The event of one packet; none for an empty one."""
        if not body:
            return []
        at = self._datagrams
        self._datagrams += 1
        if len(body) > MAX_BODY:
            return [Reject(at, "too_long", bytes(body[: MAX_BODY + 1]))]
        return [self._judge(body, bytes(body), at)]

    def _judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        length = len(body)
        if length < SHORTEST_BODY:
            return Reject(at, "too_short", raw)
        head = body[0]
        kind = head & 0x0F
        # The check is sent high byte first, so the CRC over everything, check included, is zero.
        if crc_hqx(body, self._tag if kind != HELLO else CRC_INITIAL):
            return Reject(at, "wrong_layout" if self._other_layout(body) else "check", raw)
        if head >> 4 != VERSION:
            return Reject(at, "version", raw)
        if body[1] != self._pair:
            return Reject(at, "wrong_pair", raw)
        wanted = self._lengths.get(kind)
        if wanted is None:
            return Reject(at, "wrong_kind", raw)
        if length != wanted:
            return Reject(at, "bad_field", raw)
        values: Values | None = ()
        if kind == COMMAND:
            values = self._unpack(int.from_bytes(body, "little"))
        elif kind == REQUEST:
            values = unpack_jog(body[HEAD_BYTES:-CHECK_BYTES], self._link)
        if values is None:
            return Reject(at, "bad_field", raw)
        seq = body[3]
        if self.last is not None:
            ahead = seq - self.last & 0xFF
            if not 0 < ahead < 128:
                # A stop is obeyed whatever its sequence, and an old one must not move the last
                # sequence backwards: that would make the frames after it look old.
                if kind == STOP:
                    return Frame(at, kind, seq, (), raw)
                return Reject(at, "out_of_order" if ahead else "repeated", raw)
        self.last = seq
        return _new(Frame, (at, kind, seq, values, raw))

    def _other_layout(self, body: bytes | bytearray) -> bool:
        """Whether a frame that fails the check is sound under another layout tag."""
        if body[0] >> 4 != VERSION or body[1] != self._pair or body[0] & 0x0F == HELLO:
            return False
        check = int.from_bytes(body[-CHECK_BYTES:], "big")
        tag = initial_from_check(bytes(body[:-CHECK_BYTES]), check)
        return tag != self._tag and tag & 0xFF == body[2]
