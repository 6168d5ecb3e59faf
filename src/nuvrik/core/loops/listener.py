"""A listener: what an infrared receiver sees, as text. Marks are written with +, spaces with -, in
microseconds; a line ends where nothing has come for a while, and the space that lasted so long begins the
next."""

from nuvrik.core.board import LINK, MOST_TAKEN, SILENCE_US, Board
from nuvrik.core.widths import Table, amount, u8, u16, u32

MOST_TEXT = 512
"""Characters that are kept, a power of two. The densest code makes nine a millisecond, and a line of 57,600
baud takes six: a frame of it falls behind by 200, and a code that repeats itself has silence enough
between."""

MOST_AT_ONCE = 32
"""What is being sent is not free before all of it is, so it goes out in small pieces."""

PLACES = 10
LONGEST_NUMBER = 12
"""Sign, ten digits, and what stands behind it."""

ENOUGH_US = 536870912
"""Nine minutes: a silence is not counted any further."""

MARKED = 43
SPACED = 45
BLANK = 32
ENDS_LINE = 10
FIGURE = 48


class ListenerTable(Table):
    """A listener. marks_high: whether its receiver is high while it sees the carrier."""

    pin: u8
    marks_high: bool


class Listener:
    """One listener. filled and given: where the text goes on, and where what has not been sent begins."""

    def __init__(self, table: ListenerTable, board: Board) -> None:
        self.table: ListenerTable = table
        self.board: Board = board
        self.boot: list[u32] = [0] * 1
        self.high: list[bool] = [False] * 1
        self.kept: list[u8] = [0] * MOST_TEXT
        self.filled: u16 = 0
        self.given: u16 = 0
        self.piece: list[u8] = [0] * MOST_AT_ONCE
        self.digits: list[u8] = [0] * PLACES
        self.lasted_us: amount = 0
        self.was_mark: bool = False
        self.ended: bool = False

    def begin(self) -> None:
        """At power-up."""
        self.board.begin()
        self.board.start(self.boot)

    def turn(self, now_ms: u16, gap_ms: u16) -> None:
        """One turn."""
        for _ in range(MOST_TAKEN):
            us: u16 = self.board.edge(self.table.pin, self.high)
            if us == 0:
                break
            self.hear_level(self.high[0] == self.table.marks_high, us)
        self.send_piece()
        self.board.alive()

    def hear_level(self, mark: bool, us: u16) -> None:
        """So many microseconds more of a mark or a space."""
        if mark != self.was_mark:
            if self.lasted_us != 0:
                self.write_length(MARKED if self.was_mark else SPACED, self.lasted_us)
            self.was_mark = mark
            self.lasted_us = 0
            self.ended = False
        if self.lasted_us < ENOUGH_US:
            self.lasted_us = self.lasted_us + us
        if not mark and not self.ended and self.lasted_us >= SILENCE_US and self.room() > LONGEST_NUMBER:
            self.ended = True
            self.write(ENDS_LINE)

    def room(self) -> u16:
        """How many characters still fit."""
        return (self.given - self.filled - 1) & (MOST_TEXT - 1)

    def write(self, character: u8) -> None:
        """One more."""
        self.kept[self.filled] = character
        self.filled = (self.filled + 1) & (MOST_TEXT - 1)

    def write_length(self, ahead: u8, us: amount) -> None:
        """A number, whole or not at all."""
        if self.room() < LONGEST_NUMBER:
            return
        left: amount = us
        count: u8 = 0
        while left > 0:
            tenth: amount = left // 10
            tens: amount = tenth * 10
            last: u8 = left - tens
            self.digits[count] = FIGURE + last
            count += 1
            left = tenth
        self.write(ahead)
        while count > 0:
            count -= 1
            self.write(self.digits[count])
        self.write(BLANK)

    def send_piece(self) -> None:
        """A piece of it, as soon as the line is free."""
        if not self.board.give(LINK, self.piece, 0):
            return
        count: u16 = (self.filled - self.given) & (MOST_TEXT - 1)
        count = MOST_AT_ONCE if count > MOST_AT_ONCE else count
        for i in range(count):
            self.piece[i] = self.kept[self.given]
            self.given = (self.given + 1) & (MOST_TEXT - 1)
        if count > 0:
            self.board.give(LINK, self.piece, count)
