"""Head, payload, check: the body of a frame, and how it goes onto a medium.

::

    body = head(4) | payload | check(2)
    head = [version << 4 | kind] [pair] [layout tag, low byte] [sequence]

The check is CRC-16 (polynomial 0x1021, not reflected, no final XOR; the one that the standard
library has as ``binascii.crc_hqx``), high byte first, and its initial value is the whole layout tag:
a frame from another layout fails the check even where its head looks right.
"""

import struct
from binascii import crc_hqx
from collections.abc import Sequence

from nuvrik.plan.layout import CHECK_BYTES, CRC_INITIAL, HEAD_BYTES, layout_tag, wire_bytes
from nuvrik.plan.models import Link
from nuvrik.wire.cobs import CODES, stuff
from nuvrik.wire.codes import Value
from nuvrik.wire.packing import Packer

VERSION = 1

COMMAND, TELEMETRY, REQUEST, REPLY, HELLO, STOP, ECHO = range(7)
KINDS = ("command", "telemetry", "request", "reply", "hello", "stop", "echo")

SHORTEST_BODY = HEAD_BYTES + CHECK_BYTES
CRC_POLYNOMIAL = 0x1021

_check = struct.Struct(">H").pack


def kind_name(kind: int) -> str:
    """The name of a frame kind, also of one that does not exist."""
    return KINDS[kind] if 0 <= kind < len(KINDS) else f"kind {kind}"


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


class Encoder:
    """Makes the frames of one link. Sequence numbers are the caller's to count.

    ``stream`` overrides what the link's medium says about framing: True for a stream of bytes,
    False for datagrams; a radio link is tried over a wire that way.
    """

    def __init__(self, link: Link, *, stream: bool | None = None) -> None:
        self.packer = Packer(link)
        self._pack = self.packer.pack
        self.tag = layout_tag(link)
        self._stream = not link.medium.datagrams if stream is None else stream
        self._pair = link.frame.pair
        self._lead = b"\0" if link.frame.lead_zero else b""
        self._opener = self._lead + CODES[SHORTEST_BODY + self.packer.size]
        self._commands = [self._head(COMMAND, seq) for seq in range(256)]

    def command(self, values: Sequence[Value], seq: int) -> bytes:
        """The body of a command frame: one value a channel in declared order.

        Raises ValueError for a value out of range and for a wrong number of values.
        """
        covered = self._commands[seq] + self._pack(values)
        return covered + _check(crc_hqx(covered, self.tag))

    def command_on_wire(self, values: Sequence[Value], seq: int) -> bytes:
        """A command frame as it travels: ``on_wire(command(values, seq))`` in one go."""
        covered = self._commands[seq] + self._pack(values)
        check = _check(crc_hqx(covered, self.tag))
        if not self._stream:
            return covered + check
        if 0 in covered or 0 in check:
            return self._lead + stuff(covered + check) + b"\0"
        # Most frames: one run, one code, and no search for zeros.
        return b"".join((self._opener, covered, check, b"\0"))

    def stop(self, seq: int) -> bytes:
        """The body of a stop frame, which has no payload."""
        return self.sealed(STOP, seq, b"")

    def sealed(self, kind: int, seq: int, payload: bytes) -> bytes:
        """The body of a frame of any kind around a payload made elsewhere."""
        covered = self._head(kind, seq) + payload
        return covered + _check(crc_hqx(covered, CRC_INITIAL if kind == HELLO else self.tag))

    def _head(self, kind: int, seq: int) -> bytes:
        return bytes((VERSION << 4 | kind, self._pair, self.tag & 0xFF, seq))

    def on_wire(self, body: bytes) -> bytes:
        """The body as it travels: stuffed and delimited on a stream, as it is in a datagram."""
        return self._lead + stuff(body) + b"\0" if self._stream else body

    def wire_bytes(self, payload_bytes: int) -> int:
        """How long a frame with such a payload is on the link's own medium."""
        return wire_bytes(payload_bytes, stream=self._stream, lead_zero=bool(self._lead))
