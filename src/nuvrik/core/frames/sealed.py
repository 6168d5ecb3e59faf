"""The body of a sealed frame as it comes in, byte by byte: head, payload, check; and of every other, why it
is refused.

The check is CRC-16 with the layout tag as its initial value, high byte first, so that over a whole sound body
it is zero. Where it is not, "built from another file" and "a bit was changed" want different things done, so
they are told apart: the CRC is linear, so what is left of it, run backwards over as many zeros as the body is
long, is the difference between the sender's initial value and ours. The body itself need not be kept for
that.

Rules for whoever edits this. No byte sequence may do harm. A refused frame moves nothing. A stop is accepted
whatever its sequence, because refusing one is the one mistake that hurts. The order of the tests stands in
docs/wire-format.md.
"""

from nuvrik.core.frames.bits import crc16, crc16_back
from nuvrik.core.sizes import MOST_BODY, MOST_KEPT
from nuvrik.core.widths import Table, u8, u16

NO_EVENT = 0
ACCEPTED = 1
TOO_LONG = 2
STUFFING = 3
TOO_SHORT = 4
CHECK = 5
WRONG_LAYOUT = 6
VERSION = 7
WRONG_PAIR = 8
WRONG_KIND = 9
BAD_FIELD = 10
REPEATED = 11
OUT_OF_ORDER = 12
LATE = 13
QUEUED_UP = 14
NOT_AUTHENTICATED = 15
NO_SESSION = 16
OLD = 17
FORGED = 18
"""What becomes of what has arrived: nothing yet, a frame that is accepted, or why it is refused. The last
four are of links with a key."""

KIND_COMMAND = 0
KIND_TELEMETRY = 1
KIND_REQUEST = 2
KIND_REPLY = 3
KIND_HELLO = 4
KIND_STOP = 5
KIND_ECHO = 6

THIS_VERSION = 1

HEAD = 4
"""Version and kind, pair, low byte of the tag, sequence."""

SHORTEST = 6
"""Head and check."""

AUTHENTICATED = 8
"""What the kind of an authenticated frame is more."""

WRAP = 4
TAG = 6
"""What such a frame has besides: before its payload the upper bytes of its counter and the low byte of that
which it was made from, behind it a tag."""

ANY_PAIR = 0
"""No link has this pair number: a hello that carries it asks whoever is there."""

LONGEST = 200
"""The longest body; a longer one would need a COBS code of 0xFF."""

HELLO_INITIAL = 0xFFFF
"""The check of a hello, of either kind, begins with the same value for everybody."""


class SealedTable(Table):
    """What makes a frame ours: pair, layout tag, and the kinds that this end takes, a bit for each.
    authenticated: it believes nobody without the key."""

    pair: u8
    tag: u16
    takes: u16
    authenticated: bool


class Sealed:
    """Bodies, byte by byte. Of each so much is kept as any frame of this link has. authentic: the frame is an
    authenticated one, and whole: long enough for that; its counter is high and low then, and heard the low
    byte of what it was made from."""

    def __init__(self, table: SealedTable) -> None:
        self.table: SealedTable = table
        self.body: list[u8] = [0] * MOST_BODY
        self.length: u16 = 0
        self.crc: u16 = 0
        self.has_last: bool = False
        self.last: u8 = 0
        self.worn: bool = False
        self.kind: u8 = 0
        self.seq: u8 = 0
        self.payload: u16 = 0
        self.authentic: bool = False
        self.whole: bool = False
        self.low: u16 = 0
        self.high: u16 = 0
        self.heard: u8 = 0

    def begin(self) -> None:
        """A new body."""
        self.length = 0

    def put(self, byte: u8) -> None:
        """One byte more."""
        if self.length == 0:
            hello: bool = (byte & 7) == KIND_HELLO
            self.crc = HELLO_INITIAL if hello else self.table.tag
        self.crc = crc16(self.crc, byte)
        if self.length < MOST_KEPT:
            self.body[self.length] = byte
        self.length += 1

    def look(self) -> u8:
        """What the body is that has ended, as far as every frame is alike. ACCEPTED: it is sound and for this
        end; kind, seq and payload, its length, say what it is."""
        if self.length < SHORTEST:
            return TOO_SHORT
        self.kind = self.body[0] & 7
        self.authentic = (self.body[0] & AUTHENTICATED) != 0
        if self.crc != 0:
            return self.unsound()
        # From here on somebody meant every bit of it; what is asked is for whom.
        if (self.body[0] >> 4) != THIS_VERSION:
            return VERSION
        if self.body[1] != self.table.pair and not self.asks_anybody():
            return WRONG_PAIR
        if ((self.table.takes >> (self.body[0] & 15)) & 1) == 0:
            return NOT_AUTHENTICATED if self.table.authenticated and not self.authentic else WRONG_KIND
        self.seq = self.body[3]
        self.payload = self.length - SHORTEST
        if self.table.authenticated and self.authentic:
            self.unwrap()
        return ACCEPTED

    def unwrap(self) -> None:
        """Take out what an authenticated frame has besides its payload, and put that where every other has
        it. The tag stays where it is."""
        self.whole = self.payload >= WRAP + TAG and self.length <= MOST_KEPT
        if not self.whole:
            return
        self.low = self.seq + (self.body[4] << 8)
        self.high = self.body[5] + (self.body[6] << 8)
        self.heard = self.body[7]
        self.payload -= WRAP + TAG
        for i in range(self.payload):
            self.body[HEAD + i] = self.body[HEAD + WRAP + i]

    def asks_anybody(self) -> bool:
        """Whether it is a hello that asks whoever is there."""
        asks: bool = self.length > SHORTEST and self.body[HEAD] == 0 and not self.authentic
        return self.kind == KIND_HELLO and self.body[1] == ANY_PAIR and asks

    def unsound(self) -> u8:
        """Why a body fails its check."""
        # A hello's check tells nothing of the layout.
        if (self.body[0] >> 4) != THIS_VERSION or self.kind == KIND_HELLO:
            return CHECK
        difference: u16 = self.crc
        for i in range(self.length):
            difference = crc16_back(difference)
        if difference == 0 or ((difference ^ self.table.tag) & 0xFF) != self.body[2]:
            return CHECK
        return WRONG_LAYOUT if self.body[1] == self.table.pair else WRONG_PAIR

    def two(self, at: u8) -> u16:
        """Two bytes of the payload, the low one first."""
        return self.body[HEAD + at] + (self.body[HEAD + at + 1] << 8)

    def newness(self) -> u8:
        """What the number of a sound frame says: ACCEPTED, REPEATED or OUT_OF_ORDER."""
        if self.has_last:
            ahead: u8 = (self.seq - self.last) & 0xFF
            if ahead == 0:
                return REPEATED
            if ahead >= 128 and not self.worn:
                return OUT_OF_ORDER
        return ACCEPTED

    def move(self) -> None:
        """It is accepted, and its number is the last."""
        self.has_last = True
        self.last = self.seq
        self.worn = False

    def forget(self) -> None:
        """Whatever comes next is taken as it is."""
        self.has_last = False

    def wear(self) -> None:
        """The sender of the last one may have gone: any other number is taken, but not the same again."""
        self.worn = True


MOST_STUFFED = 201
"""The longest body, and its first code."""


class CobsReader:
    """Bodies out of a stream, kept apart by zeros as in S. Cheshire and M. Baker, "Consistent Overhead Byte
    Stuffing", IEEE/ACM Transactions on Networking 7(2), 1999: no zero inside a frame, so that one can end
    it."""

    def __init__(self) -> None:
        self.left: u8 = 0
        self.stuffed: u8 = 0
        self.skipping: bool = False

    def take(self, byte: u8, sealed: Sealed) -> u8:
        """One byte of the stream. ACCEPTED: a body has ended, and may be looked at."""
        if byte == 0:
            return self.end()
        if self.skipping:
            return NO_EVENT
        if self.stuffed == MOST_STUFFED:
            # Said once, at the byte that overflows; the rest is skipped up to the next end.
            self.skipping = True
            return TOO_LONG
        if self.left > 0:
            self.left -= 1
            sealed.put(byte)
        else:
            # A code: it stands for a zero, but for the first.
            if self.stuffed > 0:
                sealed.put(0)
            else:
                sealed.begin()
            self.left = byte - 1
        self.stuffed += 1
        return NO_EVENT

    def end(self) -> u8:
        """A zero has come."""
        there: bool = self.stuffed > 0 and not self.skipping
        whole: bool = self.left == 0
        self.left = 0
        self.stuffed = 0
        self.skipping = False
        if not there:
            return NO_EVENT
        return ACCEPTED if whole else STUFFING


SLIP_END = 0xC0
SLIP_ESC = 0xDB
SLIP_ESC_END = 0xDC
SLIP_ESC_ESC = 0xDD

MOST_ESCAPED = 400
"""The longest body, every byte of it escaped."""


class SlipReader:
    """Bodies out of a stream, kept apart as in RFC 1055. Where an escape stands before a byte that needs none
    the frame was not made by a sender that keeps to the RFC, and is refused."""

    def __init__(self) -> None:
        self.length: u16 = 0
        self.escaped: bool = False
        self.broken: bool = False

    def take(self, byte: u8, sealed: Sealed) -> u8:
        """One byte of the stream. ACCEPTED: a body has ended, and may be looked at."""
        if byte == SLIP_END:
            return self.end()
        if self.length > MOST_ESCAPED:
            return NO_EVENT
        if self.length == MOST_ESCAPED:
            self.length += 1
            return TOO_LONG
        if self.length == 0:
            sealed.begin()
        self.length += 1
        if self.escaped:
            self.escaped = False
            if byte == SLIP_ESC_END:
                sealed.put(SLIP_END)
            elif byte == SLIP_ESC_ESC:
                sealed.put(SLIP_ESC)
            else:
                self.broken = True
        elif byte == SLIP_ESC:
            self.escaped = True
        else:
            sealed.put(byte)
        return NO_EVENT

    def end(self) -> u8:
        """An END has come."""
        there: bool = self.length > 0 and self.length <= MOST_ESCAPED
        whole: bool = not self.escaped and not self.broken
        self.length = 0
        self.escaped = False
        self.broken = False
        if not there:
            return NO_EVENT
        return ACCEPTED if whole else STUFFING
