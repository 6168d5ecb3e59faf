"""Two boards that try out their radio chips, without the rest: each sends what it would send in the link, a
packet of a few bytes, and counts what it hears of the other. A host reads along as text.

What the chip holds comes first, a register a line, as it is read back; then a line a second: how many packets
have been sent, heard and lost, and what is wrong with the chip, as packet_radio numbers it. An r asks for the
registers again."""

from nuvrik.core.board import HOST, Board
from nuvrik.core.frames.sender import digit
from nuvrik.core.levels import later
from nuvrik.core.loops.line import MOST_PACKETS, Line, LineTable
from nuvrik.core.loops.packet_radio import RADIO_LISTENS
from nuvrik.core.widths import Table, i16, u8, u16, u32

BENCH_MARK = 0xB5
BENCH_BYTES = 9
"""A packet of ours: a mark, a number, and as many bytes as a small command has."""

TELLS_MS = 1000
ASKS_AGAIN = 114
"""An r."""

BENCH_LINE = 64
BENCH_BLANK = 32
BENCH_END = 10
BENCH_ZERO = 48


class RadioBenchTable(Table):
    """A radio on a bench. words: the first line of the table, ended by a line's end."""

    line: LineTable
    words: list[u8]


class RadioBench:
    """One board. sent, heard and lost: packets so far. shows: the register that is shown next; behind the
    last of them the words come."""

    def __init__(self, table: RadioBenchTable, board: Board) -> None:
        self.table: RadioBenchTable = table
        self.board: Board = board
        self.line: Line = Line(table.line, board)
        self.boot: list[u32] = [0] * 1
        self.packet: list[u8] = [0] * BENCH_BYTES
        self.text: list[u8] = [0] * BENCH_LINE
        self.length: u16 = 0
        self.shows: u8 = 0
        self.sent: u16 = 0
        self.heard: u16 = 0
        self.lost: u16 = 0
        self.number: u8 = 0
        self.last: u8 = 0
        self.begun: bool = False
        self.owes: bool = False
        self.sent_ms: u16 = 0
        self.told_ms: u16 = 0

    def begin(self) -> None:
        """At power-up."""
        self.board.begin()
        self.line.begin()
        self.board.start(self.boot)

    def turn(self, now_ms: u16, gap_ms: u16) -> None:
        """One turn."""
        self.line.pass_time(gap_ms)
        self.sent_ms = later(self.sent_ms, gap_ms)
        self.told_ms = later(self.told_ms, gap_ms)
        for _ in range(MOST_PACKETS):
            count: u8 = self.line.packet()
            if count == 0:
                break
            if count == BENCH_BYTES and self.line.bytes[0] == BENCH_MARK:
                self.hear(self.line.bytes[1])
        self.send()
        self.tell()
        self.board.alive()

    def hear(self, number: u8) -> None:
        """One of the other's. Numbers in between are packets that were lost."""
        if self.begun:
            between: u8 = (number + 255 - self.last) & 0xFF
            self.lost = later(self.lost, between if between < 128 else 0)
        self.begun = True
        self.last = number
        self.heard = later(self.heard, 1)
        self.owes = True

    def send(self) -> None:
        """As the link has it: a handset's board every period, a machine's once for each that it hears."""
        answers: bool = self.table.line.radio.answers
        due: bool = self.owes if answers else self.sent_ms >= self.table.line.radio.period_ms
        if not due or not self.line.free(self.packet):
            return
        self.owes = False
        self.sent_ms = 0
        self.packet[0] = BENCH_MARK
        self.packet[1] = self.number
        self.number = (self.number + 1) & 0xFF
        self.line.give(self.packet, BENCH_BYTES)
        self.sent = later(self.sent, 1)

    # ---- what a host reads ----

    def tell(self) -> None:
        """A line more, as soon as the host's line takes one."""
        byte: i16 = self.board.take(HOST)
        if byte == ASKS_AGAIN:
            self.shows = 0
        if not self.board.give(HOST, self.text, 0):
            return
        self.length = 0
        many: u8 = len(self.table.line.radio.registers) // 2
        # For a tenth of a second after power a chip says nothing yet.
        if self.line.radio.state < RADIO_LISTENS and self.told_ms < TELLS_MS:
            return
        if self.shows < many:
            self.show(self.table.line.radio.registers[2 * self.shows])
        elif self.shows == many:
            for i in range(len(self.table.words)):
                self.put(self.table.words[i])
        elif self.told_ms >= TELLS_MS:
            self.told_ms = 0
            self.put_number(self.sent)
            self.put_number(self.heard)
            self.put_number(self.lost)
            self.put(BENCH_ZERO + self.line.radio.trouble)
            self.put(BENCH_END)
        if self.shows <= many:
            self.shows += 1
        if self.length > 0:
            self.board.give(HOST, self.text, self.length)

    def show(self, address: u8) -> None:
        """A register, what it was told to be, and what it is, in hex digits."""
        self.put_byte(address)
        self.put_byte(self.table.line.radio.registers[2 * self.shows + 1])
        self.put_byte(self.line.radio.read(address))
        self.put(BENCH_END)

    def put(self, character: u8) -> None:
        """One character more."""
        self.text[self.length] = character
        self.length += 1

    def put_byte(self, value: u8) -> None:
        """A byte in hex digits."""
        self.put(digit(value >> 4))
        self.put(digit(value & 15))
        self.put(BENCH_BLANK)

    def put_number(self, number: u16) -> None:
        """A number of five digits, so that columns stay where they are."""
        ten: u16 = 10000
        left: u16 = number
        while ten > 0:
            one: u8 = left // ten
            self.put(BENCH_ZERO + one)
            left = left - one * ten
            ten = ten // 10
        self.put(BENCH_BLANK)
