"""A bridge on a board, turn by turn: what comes whole goes on, and nothing is judged."""

from nuvrik.core.board import HOST, MOST_TAKEN, Board
from nuvrik.core.loops.bridge import Bridge, BridgeTable
from nuvrik.core.loops.line import Line, LineTable
from nuvrik.core.widths import Table, i16, u8, u16, u32


class BridgeLoopTable(Table):
    """A bridge on its board. line: the radio module's."""

    end: BridgeTable
    line: LineTable


class BridgeLoop:
    """One bridge."""

    def __init__(self, table: BridgeLoopTable, board: Board) -> None:
        self.table: BridgeLoopTable = table
        self.board: Board = board
        self.end: Bridge = Bridge(table.end)
        self.line: Line = Line(table.line, board)
        self.boot: list[u32] = [0] * 1

    def begin(self) -> None:
        """At power-up."""
        self.board.begin()
        self.line.begin()
        self.board.start(self.boot)

    def turn(self, now_ms: u16, gap_ms: u16) -> None:
        """One turn: from the host to the air, and back."""
        self.line.pass_time(gap_ms)
        for _ in range(MOST_TAKEN):
            byte: i16 = self.board.take(HOST)
            if byte < 0:
                break
            # What comes while the module is busy goes no further: it would be old by then.
            if self.end.take(byte & 0xFF) and self.line.free(self.end.sealed.body):
                self.line.give(self.end.sealed.body, self.end.sealed.length)
        # What comes while the host's line is busy waits in the module.
        count: u8 = self.line.packet() if self.board.give(HOST, self.end.sender.wire, 0) else 0
        if count > 0:
            self.end.begin_packet()
            for i in range(count):
                self.end.packet_byte(self.line.bytes[i])
            if self.end.end_packet():
                self.board.give(HOST, self.end.sender.wire, self.end.sender.count)
        self.board.alive()
