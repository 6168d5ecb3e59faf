"""A remote on a board, turn by turn: keys in, marks and spaces out."""

from nuvrik.core.board import READ_MS, Board, Own, ReadTable
from nuvrik.core.loops.remote import Remote, RemoteTable
from nuvrik.core.widths import Table, u8, u16, u32

OFF_US = 1000
"""How long the space behind a frame is sent; it lasts until the next one begins."""


class RemoteLoopTable(Table):
    """A remote on its board. reads: the pins of keys, each a contact to ground."""

    end: RemoteTable
    reads: list[ReadTable]


class RemoteLoop:
    """One remote. sent: how many levels of the frame that is being sent are out."""

    def __init__(self, table: RemoteLoopTable, board: Board, own: Own) -> None:
        self.table: RemoteLoopTable = table
        self.board: Board = board
        self.own: Own = own
        self.end: Remote = Remote(table.end)
        self.boot: list[u32] = [0] * 1
        self.read_at: u16 = 0
        self.sent: u8 = 0
        self.sending: bool = False

    def begin(self) -> None:
        """At power-up."""
        self.board.begin()
        self.board.start(self.boot)

    def turn(self, now_ms: u16, gap_ms: u16) -> None:
        """One turn."""
        self.end.pass_time(now_ms)
        if (now_ms - self.read_at) & 0xFFFF >= READ_MS:
            self.read_at = now_ms
            for one in self.table.reads:
                if self.board.input(one.pin, one.what) == 0:
                    self.end.hold(one.of)
            self.own.before_frame()
        if not self.sending and self.end.send():
            self.sending = True
            self.sent = 0
        # Marks and spaces in turn, a mark first; behind the last mark the lamp goes off.
        while self.sending and self.emit():
            self.sending = self.sent < self.end.maker.count
            self.sent += 1
        self.board.alive()

    def emit(self) -> bool:
        """Hand the next level to the board. False: it has no room for it now."""
        over: bool = self.sent == self.end.maker.count
        us: u16 = OFF_US if over else self.end.maker.times[self.sent]
        mark: bool = not over and (self.sent & 1) == 0
        return self.board.emit(self.table.end.medium.pin_out, mark, us, self.table.end.carrier_hz)

    def read(self, key: u8, count: u16) -> None:
        """Give how often a key has arrived so far."""
        self.end.read(key, count)
