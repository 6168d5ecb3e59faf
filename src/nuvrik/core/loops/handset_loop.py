"""The handset's end of a link on a board, turn by turn: readings go to the end, and what that makes of them
to the board."""

from nuvrik.core.board import (
    DIGITAL,
    HOST,
    LINK,
    MOST_TAKEN,
    NOT_READ,
    READ_MS,
    Board,
    Own,
    ReadTable,
)
from nuvrik.core.boots import Nonces
from nuvrik.core.frames.train import TrainMaker
from nuvrik.core.levels import later
from nuvrik.core.loop import EXPIRES, LISTENS, after_gap
from nuvrik.core.loops.handset_end import HandsetEnd, HandsetEndTable
from nuvrik.core.loops.line import BY_BYTES, BY_SLOTS, MOST_PACKETS, Line, LineTable
from nuvrik.core.widths import Table, amount, i16, i32, u8, u16, u32, whole, wide

RAW_MS = 20
"""How often raw readings are told to a host that asks."""

ASKS_FOR_RAW = 114
"""What a host asks for them with: an r. Anything else ends them."""

NEW_LINE = 10
COMMA = 44
MINUS = 45
ZERO = 48


class HandsetLoopTable(Table):
    """A handset on its board. reads: the pins of controls; timeout_ms and period_ms: the link's; raw_names:
    the first line of raw readings, and room for the longest of the others behind it, where a host may ask for
    them; names_length: how long it is; counts: with a key, the board counts its
    starts, for it has no random numbers."""

    end: HandsetEndTable
    line: LineTable
    reads: list[ReadTable]
    timeout_ms: u16
    period_ms: u16
    raw_names: list[u8]
    names_length: u16
    counts: bool


class HandsetLoop:
    """One handset. up: milliseconds since it began; raw_text, raw_length: the line of raw readings
    that is being written."""

    def __init__(self, table: HandsetLoopTable, board: Board, own: Own) -> None:
        self.table: HandsetLoopTable = table
        self.board: Board = board
        self.own: Own = own
        self.end: HandsetEnd = HandsetEnd(table.end)
        self.line: Line = Line(table.line, board)
        self.maker: TrainMaker = TrainMaker(table.end.medium)
        self.boot: list[u32] = [0] * 1
        self.nonces: Nonces = Nonces(board)
        self.searches: u16 = 0
        self.read_at: u16 = 0
        self.leaving: bool = False
        self.left_ms: u16 = 0
        self.telling: bool = False
        self.up: whole = 0
        self.raw_text: list[u8] = [0] * len(table.raw_names)
        self.raw_length: u16 = 0

    def begin(self) -> None:
        """At power-up."""
        self.board.begin()
        self.line.begin()
        self.board.start(self.boot)
        self.end.begin(self.boot[0] & 0xFFFF)
        if self.table.end.session.authenticated:
            self.nonces.begin(self.end.session.tags, self.table.counts)

    def turn(self, now_ms: u16, gap_ms: u16) -> None:
        """One turn, so long after the one before: what has come back, controls, and the frame that is due."""
        self.up = (self.up + gap_ms) & 0x3FFFFFFF
        self.line.pass_time(gap_ms)
        first: u8 = after_gap(gap_ms, self.table.timeout_ms)
        if first == EXPIRES:
            self.end.expire(now_ms)
        else:
            self.end.pass_time(now_ms)
        self.listen(first == LISTENS)
        for i in range(len(self.table.end.knobs)):
            self.look_at_knob(i)
        if (now_ms - self.read_at) & 0xFFFF >= READ_MS:
            self.read_at = now_ms
            self.read_controls()
            if self.telling and now_ms - now_ms // RAW_MS * RAW_MS < READ_MS:
                self.tell_raw()
        if len(self.table.raw_names) > 0:
            self.hear_host()
        self.send()
        self.board.alive()

    def leave(self, now_ms: u16, gap_ms: u16) -> bool:
        """One turn on the way out: everything at rest and arm off. True once that has been sent for as long
        as a machine needs to believe it, and two frames more."""
        if not self.leaving:
            self.leaving = True
            self.end.leave()
        else:
            self.left_ms = later(self.left_ms, gap_ms)
        self.turn(now_ms, gap_ms)
        return self.left_ms > self.table.timeout_ms + 2 * self.table.period_ms

    # ---- controls ----

    def look_at_knob(self, knob: u8) -> None:
        """Look at the contacts of a rotary encoder: in every turn, because they change quickly."""
        a: i32 = self.board.input(self.table.end.knobs[knob].pin_a, DIGITAL)
        b: i32 = self.board.input(self.table.end.knobs[knob].pin_b, DIGITAL)
        if a != NOT_READ and b != NOT_READ:
            self.end.turn(knob, a != 0, b != 0)

    def read_controls(self) -> None:
        """Read the pins that controls are on."""
        for one in self.table.reads:
            raw: i32 = self.board.input(one.pin, one.what)
            if raw != NOT_READ:
                self.read(one.of, raw)
        self.own.before_frame()
        self.end.have_read()

    def read(self, control: u8, raw: i32) -> None:
        """Give a reading of a control."""
        self.end.read(control, raw)

    # ---- what comes back, and what is sent ----

    def listen(self, hears: bool) -> None:
        """Take what has come back, or throw it away: after a gap it was sent to somebody who was not
        listening."""
        if self.table.line.way == BY_BYTES:
            self.take_bytes(hears)
        elif self.table.line.way != BY_SLOTS:
            self.take_packets(hears)

    def take_bytes(self, hears: bool) -> None:
        """Byte by byte."""
        for _ in range(MOST_TAKEN):
            byte: i16 = self.board.take(LINK)
            if byte < 0:
                return
            if hears:
                self.end.take(byte & 0xFF)
                if self.table.end.session.authenticated and self.end.session.tags.took():
                    return

    def take_packets(self, hears: bool) -> None:
        """In packets."""
        for _ in range(MOST_PACKETS):
            count: u8 = self.line.packet()
            if count == 0:
                return
            if hears:
                self.end.begin_packet()
                for i in range(count):
                    self.end.packet_byte(self.line.bytes[i])
                self.end.end_packet()
                if self.table.end.session.authenticated and self.end.session.tags.took():
                    return

    def send(self) -> None:
        """Send the frame that is due, as soon as it can be taken."""
        if self.table.line.way == BY_SLOTS:
            self.send_train()
            return
        if self.table.end.session.authenticated and self.end.session.wants:
            self.draw()
        if self.line.free(self.end.writer.sender.wire) and self.end.send():
            self.line.give(self.end.writer.sender.wire, self.end.writer.sender.count)
        self.line.go_on()

    def draw(self) -> None:
        """What the machine is asked with. A start has one count and many searches, so where it is counted
        their number takes the place of two bytes of jitter."""
        if not self.nonces.draw(self.end.session.asked, self.table.counts):
            return
        if self.table.counts:
            self.searches = (self.searches + 1) & 0xFFFF
            self.end.session.asked[6] = self.searches & 0xFF
            self.end.session.asked[7] = self.searches >> 8
        self.end.session.drawn()

    def send_train(self) -> None:
        """A train of pulses, level by level."""
        slots: u8 = len(self.table.end.writer.channels)
        if not self.line.sending and self.end.send():
            self.maker.begin()
            self.line.next_us = self.maker.next(self.end.writer.slots, slots)
            self.line.sending = True
        while self.line.sending and self.board.emit(
            self.table.end.medium.pin_out,
            self.maker.is_mark == self.table.end.medium.active_high,
            self.line.next_us,
            0,
        ):
            self.line.next_us = self.maker.next(self.end.writer.slots, slots)
            self.line.sending = self.line.next_us != 0

    # ---- raw readings, as a recording has them ----

    def hear_host(self) -> None:
        """What a host asks on its line."""
        byte: i16 = self.board.take(HOST)
        if byte < 0:
            return
        self.telling = byte == ASKS_FOR_RAW
        if self.telling and self.board.give(HOST, self.raw_text, 0):
            for i in range(self.table.names_length):
                self.raw_text[i] = self.table.raw_names[i]
            self.board.give(HOST, self.raw_text, self.table.names_length)

    def tell_raw(self) -> None:
        """A line of them. A control without one leaves its place empty."""
        if not self.board.give(HOST, self.raw_text, 0):
            return
        self.raw_length = 0
        self.put_number(self.up)
        for one in self.table.reads:
            self.put(COMMA)
            raw: i32 = self.board.input(one.pin, one.what)
            if raw != NOT_READ:
                self.put_number(raw)
        self.put(NEW_LINE)
        self.board.give(HOST, self.raw_text, self.raw_length)

    def put(self, character: u8) -> None:
        """One character more."""
        self.raw_text[self.raw_length] = character
        self.raw_length += 1

    def put_number(self, number: wide) -> None:
        """A number in decimal."""
        left: amount = abs(number)
        if number < 0:
            self.put(MINUS)
        ten: amount = 1
        while left // ten >= 10:
            ten = ten * 10
        while ten > 0:
            digit: u8 = left // ten
            self.put(ZERO + digit)
            taken: amount = digit * ten
            left = left - taken
            ten = ten // 10
