"""Pieces on their way in: what keeps frames apart in a stream, or the packets that they come in."""

from nuvrik.core.frames.sealed import ACCEPTED, LONGEST, NO_EVENT, TOO_LONG, CobsReader, Sealed, SlipReader
from nuvrik.core.frames.text import TextReader, TextTable
from nuvrik.core.widths import Table, u8, u16

IN_PACKETS = 0
IN_COBS = 1
IN_SLIP = 2
IN_LINES = 3
IN_KEYS = 4
IN_SLOTS = 5
"""How frames are kept apart on their way in. Keys and slots are no pieces of this kind: one byte or one slot
is looked at by itself."""


class IncomingTable(Table):
    """How frames come. lines: they are lines of text, of hex digits where they are sealed."""

    text: TextTable
    way_in: u8
    lines: bool


class Incoming:
    """The pieces of one end. A body goes into a Sealed, a line into text. Each method tells what has become
    of a piece: NO_EVENT, nothing so far; ACCEPTED, it is whole; else why it is refused."""

    def __init__(self, table: IncomingTable) -> None:
        self.table: IncomingTable = table
        self.cobs: CobsReader = CobsReader()
        self.slip: SlipReader = SlipReader()
        self.text: TextReader = TextReader(table.text)

    def take(self, byte: u8, sealed: Sealed) -> u8:
        """One byte of a stream."""
        if self.table.way_in == IN_COBS:
            return self.cobs.take(byte, sealed)
        if self.table.way_in == IN_SLIP:
            return self.slip.take(byte, sealed)
        if self.table.way_in == IN_LINES:
            return self.text.take(byte)
        return NO_EVENT

    def begin_packet(self, sealed: Sealed) -> None:
        """A packet begins."""
        sealed.begin()
        self.text.begin()

    def packet_byte(self, byte: u8, sealed: Sealed) -> None:
        """One byte of a packet."""
        if self.table.lines:
            self.text.keep(byte)
        else:
            sealed.put(byte)

    def end_packet(self, sealed: Sealed) -> u8:
        """It has ended. An empty one is nothing."""
        length: u16 = self.text.length if self.table.lines else sealed.length
        if length == 0:
            return NO_EVENT
        if length > LONGEST:
            return TOO_LONG
        if self.table.lines:
            self.text.without_ending()
        return ACCEPTED
