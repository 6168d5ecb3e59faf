"""What carries frames to and from a board: bytes, packets, a radio chip, or the levels of a pin."""

from nuvrik.core.board import LINK, MOST_TAKEN, Board
from nuvrik.core.frames.medium import MediumTable
from nuvrik.core.frames.on_off import OnOffMaker, OnOffReader
from nuvrik.core.loops.packet_radio import PacketRadio, PacketRadioTable
from nuvrik.core.sizes import MOST_PACKET
from nuvrik.core.widths import Table, u8, u16

BY_BYTES = 0
BY_PACKETS = 1
BY_LEVELS = 2
BY_SLOTS = 3
BY_RADIO = 4
"""How frames come and go: in a stream of bytes; each in a packet of a module's; in the levels of a pin, as
packets are; as the slots of a train; or in packets of a radio chip, whose driver is core's own."""

MOST_PACKETS = 4
"""So many packets are looked at in a turn."""


class LineTable(Table):
    """What carries the frames of an end. way: how they come; talks: whether it has a way to send."""

    way: u8
    talks: bool
    medium: MediumTable
    radio: PacketRadioTable


class Line:
    """One line. A packet that has arrived is in bytes; high: the level that was looked at last."""

    def __init__(self, table: LineTable, board: Board) -> None:
        self.table: LineTable = table
        self.board: Board = board
        self.radio: PacketRadio = PacketRadio(table.radio, board)
        self.reader: OnOffReader = OnOffReader(table.medium.carrier)
        self.maker: OnOffMaker = OnOffMaker(table.medium.carrier)
        self.bytes: list[u8] = [0] * MOST_PACKET
        self.high: list[bool] = [False] * 1
        self.sending: bool = False
        self.next_us: u16 = 0

    def begin(self) -> None:
        """At power-up, once the board is ready."""
        if self.table.way == BY_RADIO:
            self.radio.begin()

    def pass_time(self, dt_ms: u16) -> None:
        """A turn begins, so long after the one before."""
        if self.table.way == BY_RADIO:
            self.radio.pass_time(dt_ms)
            self.radio.tend()

    def packet(self) -> u8:
        """A packet that has come whole: how many bytes, 0 for none."""
        if self.table.way == BY_RADIO:
            return self.radio.packet(self.bytes)
        if self.table.way == BY_PACKETS:
            return self.board.packet(self.bytes)
        for _ in range(MOST_TAKEN):
            us: u16 = self.board.edge(self.table.medium.pin_in, self.high)
            if us == 0:
                return 0
            if self.reader.take(self.high[0], us) and self.reader.length <= MOST_PACKET:
                for i in range(self.reader.length):
                    self.bytes[i] = self.reader.body[i]
                return self.reader.length
        return 0

    def free(self, wire: list[u8]) -> bool:
        """Whether it would take a frame."""
        if not self.table.talks:
            return False
        if self.table.way == BY_RADIO:
            return self.radio.free()
        if self.table.way == BY_LEVELS:
            return not self.sending
        return self.board.give(LINK, wire, 0)

    def give(self, wire: list[u8], count: u16) -> None:
        """Send a frame, when it is free."""
        if self.table.way == BY_RADIO:
            self.radio.give(wire, count)
        elif self.table.way == BY_LEVELS:
            self.maker.begin()
            for i in range(count):
                self.maker.add(wire[i])
            self.next_us = self.maker.next()
            self.sending = True
        else:
            self.board.give(LINK, wire, count)

    def go_on(self) -> None:
        """Hand the levels of what is being sent to the board, as many as it takes."""
        if self.table.way != BY_LEVELS or not self.table.talks:
            return
        while self.sending and self.board.emit(
            self.table.medium.pin_out, self.maker.is_mark, self.next_us, 0
        ):
            self.next_us = self.maker.next()
            self.sending = self.next_us != 0
