"""Head, payload, check, in the styles that have every protection: a fast path, held to
core in tests/test_traces.py.

::

    body = head(4) | payload | check(2)
    head = [version << 4 | kind] [pair] [layout tag, low byte] [sequence]

How this works. The check is CRC-16 (polynomial 0x1021, not reflected, no final XOR; the one that the
standard library has as ``binascii.crc_hqx``), high byte first, and its initial value is the whole layout
tag: a frame from another layout fails the check even where its head looks right. High byte first, because
then the CRC over everything, check included, is zero, and one pass tells. The tests come in a fixed order,
the cheapest and most telling first; the reason of the first that fails is what is said.

A frame that fails the check is told apart once more, because "built from another file" and "a bit was
changed" want different things done. The CRC is linear: run backwards from the check, it gives the initial
value with which the sender must have begun. If the low byte of that is the head's tag byte, chance is 1 in
256 that it is mere damage, and the version and pair make it rarer still.

Rules for whoever edits this. No byte sequence may raise. A refused frame moves nothing: not the last
sequence, not the pair heard. A stop is accepted whatever its sequence, because refusing one is the one
mistake that hurts. What is tested, and in which order, stands in docs/wire-format.md first. Tried and given
up: a tag in every frame in full (two bytes for what the initial value gives for one), and a sequence of 16
bits (the timeout comes long before 8 bits run out, and ``check`` requires that it does)."""

import struct
from binascii import crc_hqx
from collections.abc import Callable, Collection
from typing import NamedTuple

from nuvrik.plan.form.frame_base import CHECK_BYTES, HEAD_BYTES, MAX_BODY
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import CRC_INITIAL, layout_tag
from nuvrik.wire.events import Event, Frame, Opener, RefusedFrame
from nuvrik.wire.kinds import COMMAND, ECHO, HELLO, REPLY, STOP, TELEMETRY
from nuvrik.wire.messages import WRONG_WAY, Payloads, only_asks
from nuvrik.wire.packing import Packer

VERSION = 1
ANY_PAIR = 0
"""No link has this pair number: a hello that carries it asks whoever is there."""

SHORTEST_BODY = HEAD_BYTES + CHECK_BYTES
CRC_POLYNOMIAL = 0x1021

CHECK = struct.Struct(">H").pack

# Events are made by the hundred thousand; a named tuple's own constructor costs twice this one.
_new = tuple.__new__


def head(kind: int, pair: int, tag: int, seq: int) -> bytes:
    """The four bytes in front of a payload."""
    return bytes((VERSION << 4 | kind, pair, tag & 0xFF, seq))


def check_bytes(covered: bytes, initial: int) -> bytes:
    """The two bytes behind it."""
    return CHECK(crc_hqx(covered, initial))


def initial_of(kind: int, tag: int) -> int:
    """What the check of a frame begins with: of a hello, with a key or without, the same for everybody."""
    return CRC_INITIAL if kind & 7 == HELLO else tag


def sealed(kind: int, pair: int, tag: int, seq: int, payload: bytes) -> bytes:
    """The body of a frame of any kind around a payload made elsewhere."""
    covered = head(kind, pair, tag, seq) + payload
    return covered + check_bytes(covered, initial_of(kind, tag))


def initial_from_check(data: bytes, check: int) -> int:
    """The initial value with which CRC-16 over ``data`` would have given ``check``.

    Each step of the CRC is undone, last bit first: the polynomial is odd, so the lowest bit of the
    register tells whether it was subtracted.
    """
    register = check
    for byte in reversed(data):
        for _ in range(8):
            subtracted = register & 1
            register = ((register ^ (CRC_POLYNOMIAL * subtracted)) >> 1) | subtracted << 15
        register ^= byte << 8
    return register


def comes_from_machine(kind: int, payload: bytes | bytearray) -> bool:
    """Which end a frame comes from. The first byte of a hello or an echo says which way it goes."""
    return kind in (TELEMETRY, REPLY) or (kind in (HELLO, ECHO) and payload[:1] == b"\1")


class Framing(NamedTuple):
    """How bodies are kept apart on a stream: what ends one, the longest piece that can be one, and what takes
    it out. What it is by default never ends anything: lines of hex digits have ends of their own."""

    end: bytes = b""
    most: int = MAX_BODY
    opened: Opener = bytes


class SealedReader:
    """Reads such bodies, out of whatever ``framing`` keeps them apart."""

    def __init__(
        self,
        link: Link,
        accepts: Collection[int],
        *,
        any_pair: bool = False,
        framing: Framing | None = None,
    ) -> None:
        self._any_pair = any_pair
        self.pair_heard: int | None = None
        """The pair number of the last hello that was accepted."""
        packer = Packer(link)
        self._unpack = packer.unpack
        self._command_bytes = SHORTEST_BODY + packer.size
        self._tag = layout_tag(link)
        self._pair = link.frame.pair
        self._accepts = frozenset(accepts)
        self._payloads = Payloads(link, accepts)
        self.last: int | None = None
        self._worn = False
        self.fresh: Callable[[int], bool] | None = None
        """Says of the guard byte of a command whether it is recent, where there is a delay guard."""
        self.skips = False
        """Whether what arrives was sent to somebody who was not listening."""
        self.end, self.most, self.opened = framing or Framing()

    def forget(self) -> None:
        """Whatever comes next is taken as it is."""
        self.last = None

    def wear(self) -> None:
        """The sender of the last sequence may have gone: any other is taken, but not the same again."""
        self._worn = True

    def pass_time(self, dt_ms: int) -> None:
        """Nothing here depends on time."""

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one body."""
        length = len(body)
        if length < SHORTEST_BODY:
            return RefusedFrame(at, "too_short", raw)
        head = body[0]
        kind = head & 0x0F
        # The check is sent high byte first, so the CRC over everything, check included, is zero.
        if crc_hqx(body, self._tag if kind & 7 != HELLO else CRC_INITIAL):
            return RefusedFrame(at, self._why_unsound(body), raw)
        # From here on somebody meant every bit of it; what is asked is for whom.
        if head >> 4 != VERSION:
            return RefusedFrame(at, "version", raw)
        if body[1] != self._pair and not (kind == HELLO and self._may_ask(body)):
            return RefusedFrame(at, "wrong_pair", raw)
        if kind not in self._accepts:
            return RefusedFrame(at, "wrong_kind", raw)
        # Only now is the payload looked at: its layout is known to be ours by the check.
        if kind == COMMAND:
            values = self._unpack(int.from_bytes(body, "little")) if length == self._command_bytes else None
        else:
            values = self._payloads.take(body)
            if values is WRONG_WAY:
                return RefusedFrame(at, "wrong_kind", raw)
            if kind == HELLO and values is not None:
                self.pair_heard = body[1]
                if only_asks(values):
                    # Anybody may, numbering for themselves: that must not make the handset look old.
                    return Frame(at, kind, body[3], values, raw)
        if values is None:
            return RefusedFrame(at, "bad_field", raw)
        seq = body[3]
        if self.last is not None:
            ahead = seq - self.last & 0xFF
            if not 0 < ahead < 128 and not (ahead and self._worn):
                # A stop is accepted whatever its sequence, and an old one must not move the last
                # sequence backwards: that would make the frames after it look old.
                if kind == STOP:
                    return Frame(at, kind, seq, (), raw)
                return RefusedFrame(at, "out_of_order" if ahead else "repeated", raw, seq)
        # Lateness last, and before the sequence moves: a late frame leaves room for the one behind it.
        if self.fresh is not None and kind == COMMAND and not self.fresh(body[HEAD_BYTES]):
            return RefusedFrame(at, "late", raw, seq)
        self.last = seq
        self._worn = False
        return _new(Frame, (at, kind, seq, values, raw, None))

    def _may_ask(self, body: bytes | bytearray) -> bool:
        """Whether a hello with another pair number is for this end: a question to whoever is there, or, where
        everybody is listened to, any with a pair number of its own."""
        if body[1] == ANY_PAIR:
            return body[HEAD_BYTES:-CHECK_BYTES][:1] == b"\0"
        return self._any_pair

    def _why_unsound(self, body: bytes | bytearray) -> str:
        """Of a frame that fails the check: "wrong_layout" if it is sound under another layout tag,
        "wrong_pair" if it is so and has another pair number too (somebody else's link on the same air), else
        "check"."""
        # A hello's check begins with the same value for everybody, so it tells nothing of the layout.
        if body[0] >> 4 != VERSION or body[0] & 7 == HELLO:
            return "check"
        check = int.from_bytes(body[-CHECK_BYTES:], "big")
        tag = initial_from_check(bytes(body[:-CHECK_BYTES]), check)
        if tag == self._tag or tag & 0xFF != body[2]:
            return "check"
        return "wrong_layout" if body[1] == self._pair else "wrong_pair"


class BystanderReader(SealedReader):
    """Hears both ends, and keeps a last sequence number for each."""

    def __init__(
        self,
        link: Link,
        accepts: Collection[int],
        *,
        any_pair: bool = False,
        framing: Framing | None = None,
    ) -> None:
        super().__init__(link, accepts, any_pair=any_pair, framing=framing)
        self._other_last: int | None = None
        self._hears_machine = False

    def forget(self) -> None:
        """Whatever comes next from either end is taken as it is."""
        self.last = self._other_last = None

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one body, by the sequence of the end that it comes from."""
        from_machine = comes_from_machine(body[0] & 0x0F if body else COMMAND, body[HEAD_BYTES:])
        if from_machine is not self._hears_machine:
            self._hears_machine = from_machine
            self.last, self._other_last = self._other_last, self.last
        return super().judge(body, raw, at)
