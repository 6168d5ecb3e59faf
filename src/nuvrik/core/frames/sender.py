"""Frames on their way out: a body is begun, filled, sealed, and put into the form in which it travels."""

from nuvrik.core.frames.bits import crc16, put
from nuvrik.core.frames.sealed import (
    AUTHENTICATED,
    HEAD,
    HELLO_INITIAL,
    KIND_HELLO,
    SLIP_END,
    SLIP_ESC,
    SLIP_ESC_END,
    SLIP_ESC_ESC,
    THIS_VERSION,
    WRAP,
)
from nuvrik.core.sizes import MOST_SENT, MOST_WIRE
from nuvrik.core.widths import Table, few, u8, u16

AS_IT_IS = 0
STUFFED = 1
ESCAPED = 2
IN_HEX = 3
"""How bodies travel: in packets, between zeros, between ENDs, as a line of hex digits."""

HEX_MARK = 35
"""The character # begins a line of hex digits."""


class SenderTable(Table):
    """What makes a frame ours, and how it travels. ending: what ends a line of hex digits; leads: whether the
    end of a frame is sent before it too; authenticated: frames get a counter and a tag before they travel."""

    pair: u8
    tag: u16
    way: u8
    leads: bool
    authenticated: bool
    ending: list[u8]


def digit(code: u8) -> u8:
    """A hex digit as a character."""
    return code + 48 if code < 10 else code + 87


class Sender:
    """One sender's frames, one at a time. body holds length bytes while a frame is filled; wire holds count
    of what travels, once it is sealed."""

    def __init__(self, table: SenderTable) -> None:
        self.table: SenderTable = table
        self.seq: u8 = 0
        self.body: list[u8] = [0] * MOST_SENT
        self.length: u8 = 0
        self.at: u16 = 0
        self.wire: list[u8] = [0] * MOST_WIRE
        self.count: u16 = 0

    def begin(self, kind: u8) -> None:
        """A frame of a kind, with the next number."""
        self.begin_open(kind)
        if self.table.authenticated:
            self.body[0] = self.body[0] + AUTHENTICATED
            self.at = 8 * (HEAD + WRAP)

    def begin_open(self, kind: u8) -> None:
        """A frame that is not authenticated, be there a key or not. With one it has the number 0."""
        for i in range(MOST_SENT):
            self.body[i] = 0
        self.body[0] = (THIS_VERSION << 4) + kind
        self.body[1] = self.table.pair
        self.body[2] = self.table.tag & 0xFF
        self.body[3] = self.seq
        self.at = 8 * HEAD

    def bits(self, code: u16, bits: few) -> None:
        """One code more in the payload."""
        put(self.body, self.at, bits, code)
        self.at += bits

    def byte(self, value: u8) -> None:
        """One byte more."""
        self.bits(value, 8)

    def word(self, value: u16) -> None:
        """Two bytes more, the low one first."""
        self.bits(value, 16)

    def seal(self) -> None:
        """The payload is whole. With a key, counter and tag come before it travels: see Tags."""
        if not self.table.authenticated:
            self.seq = (self.seq + 1) & 0xFF
            self.finish()

    def finish(self) -> None:
        """Add the check, and put it into the form in which it travels."""
        length: u8 = (self.at + 7) >> 3
        crc: u16 = HELLO_INITIAL if (self.body[0] & 7) == KIND_HELLO else self.table.tag
        for i in range(length):
            crc = crc16(crc, self.body[i])
        self.body[length] = crc >> 8
        self.body[length + 1] = crc & 0xFF
        self.length = length + 2
        self.travel()

    def travel(self) -> None:
        """The body is whole: put it into the form in which it travels."""
        self.count = 0
        if self.table.way == STUFFED:
            self.stuff()
        elif self.table.way == ESCAPED:
            self.escape()
        elif self.table.way == IN_HEX:
            self.write_out()
        else:
            for i in range(self.length):
                self.put(self.body[i])

    def put(self, byte: u8) -> None:
        """One byte more of what travels."""
        self.wire[self.count] = byte
        self.count += 1

    def stuff(self) -> None:
        """Between zeros: each zero is replaced by the distance to the next."""
        if self.table.leads:
            self.put(0)
        code: u16 = self.count
        self.put(0)
        for i in range(self.length):
            if self.body[i] == 0:
                self.wire[code] = self.count - code
                code = self.count
            self.put(self.body[i])
        self.wire[code] = self.count - code
        self.put(0)

    def escape(self) -> None:
        """Between ENDs."""
        if self.table.leads:
            self.put(SLIP_END)
        for i in range(self.length):
            if self.body[i] == SLIP_END:
                self.put(SLIP_ESC)
                self.put(SLIP_ESC_END)
            elif self.body[i] == SLIP_ESC:
                self.put(SLIP_ESC)
                self.put(SLIP_ESC_ESC)
            else:
                self.put(self.body[i])
        self.put(SLIP_END)

    def write_out(self) -> None:
        """As a line of hex digits."""
        if self.table.leads:
            self.put_ending()
        self.put(HEX_MARK)
        for i in range(self.length):
            self.put(digit(self.body[i] >> 4))
            self.put(digit(self.body[i] & 15))
        self.put_ending()

    def put_ending(self) -> None:
        """What ends a line."""
        for character in self.table.ending:
            self.put(character)
