"""A bridge: a host that has no radio speaks to it over a wire, and it hands packets on to a module, and back.

It judges nothing. What is no whole piece, or longer than the module carries, goes no further; whatever a
packet says, both ends of the link decide for themselves, and a bridge that has lost its host is silence."""

from nuvrik.core.frames.incoming import Incoming, IncomingTable
from nuvrik.core.frames.sealed import ACCEPTED, NO_EVENT, Sealed, SealedTable
from nuvrik.core.frames.sender import Sender, SenderTable
from nuvrik.core.levels import later
from nuvrik.core.sizes import MOST_SENT
from nuvrik.core.widths import Table, u8, u16


class BridgeTable(Table):
    """A bridge's part of a link: how frames come on the wire, how they go there, and the longest packet that
    the module carries."""

    incoming: IncomingTable
    sealed: SealedTable
    sender: SenderTable
    most: u8


class Bridge:
    """One bridge. A packet for the module is in sealed.body, sealed.length bytes of it, when take gives True;
    bytes for the host are in sender.wire, sender.count of them, when end_packet does. dropped: pieces that
    went no further."""

    def __init__(self, table: BridgeTable) -> None:
        self.table: BridgeTable = table
        self.incoming: Incoming = Incoming(table.incoming)
        self.sealed: Sealed = Sealed(table.sealed)
        self.sender: Sender = Sender(table.sender)
        self.size: u16 = 0
        self.dropped: u16 = 0

    def take(self, byte: u8) -> bool:
        """One byte from the host. True: a packet is whole."""
        event: u8 = self.incoming.take(byte, self.sealed)
        if event == NO_EVENT:
            return False
        if event != ACCEPTED or self.sealed.length > self.table.most:
            self.dropped = later(self.dropped, 1)
            return False
        return True

    def begin_packet(self) -> None:
        """A packet from the module begins."""
        self.size = 0

    def packet_byte(self, byte: u8) -> None:
        """One byte of it."""
        if self.size < MOST_SENT:
            self.sender.body[self.size] = byte
            self.size += 1

    def end_packet(self) -> bool:
        """It has ended. True: there is something for the host."""
        if self.size == 0:
            return False
        if self.size > self.table.most:
            self.dropped = later(self.dropped, 1)
            return False
        self.sender.length = self.size
        self.sender.travel()
        return True
