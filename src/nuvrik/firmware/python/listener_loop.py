"""A listener: what an infrared receiver sees, as text. Marks are written with +, spaces with -, in
microseconds; a line ends where nothing has come for a while, and the space that lasted so long begins the
next."""

from nuvrik import wiring
from nuvrik.guard import Guard
from nuvrik.wiring import board

ROOM = 1024
"""The densest code makes nine characters a millisecond, and a line of 57,600 baud takes six: a frame of it
falls behind by 200, and a code that repeats itself has silence enough between."""

LONGEST_NUMBER = 12
"""A number: sign, ten digits, and what stands behind it."""

MOST_AT_ONCE = 64
ENOUGH_US = 1 << 29


class ListenerLoop(Guard):
    """One listener."""

    def __init__(self):
        super().__init__()
        self.port = wiring.port()
        self.edges, self.marks_high = wiring.edges()
        self.text = bytearray(ROOM)
        self.filled = self.given = 0
        self.digits = bytearray(10)
        self.piece = bytearray(MOST_AT_ONCE)
        self.lasted_us = 0
        self.was_mark = self.ended = False
        board.start()
        self.begin()

    def turn(self):
        """One turn."""
        edges = self.edges
        for _ in range(64):
            us = edges.next()
            if us == 0:
                break
            self.hear(edges.high == self.marks_high, us)
        if self.port.free():
            self.send()
        board.alive()

    def hear(self, mark, us):
        """So many microseconds more of a mark or a space."""
        if mark != self.was_mark:
            if self.lasted_us:
                self.put_number(43 if self.was_mark else 45, self.lasted_us)
            self.was_mark = mark
            self.lasted_us = 0
            self.ended = False
        if self.lasted_us < ENOUGH_US:
            self.lasted_us += us
        if not mark and not self.ended and self.lasted_us >= 30000 and self.room() > LONGEST_NUMBER:
            self.ended = True
            self.put(10)

    def room(self):
        """How many characters still fit."""
        return self.given - self.filled - 1 & ROOM - 1

    def put(self, character):
        """One more."""
        self.text[self.filled] = character
        self.filled = self.filled + 1 & ROOM - 1

    def put_number(self, sign, us):
        """A number, whole or not at all."""
        if self.room() < LONGEST_NUMBER:
            return
        count = 0
        while us:
            self.digits[count] = 48 + us % 10
            us //= 10
            count += 1
        self.put(sign)
        while count:
            count -= 1
            self.put(self.digits[count])
        self.put(32)

    def send(self):
        """A piece of it."""
        count = self.filled - self.given & ROOM - 1
        count = count if count < MOST_AT_ONCE else MOST_AT_ONCE
        for i in range(count):
            self.piece[i] = self.text[self.given]
            self.given = self.given + 1 & ROOM - 1
        if count:
            self.port.write(self.piece, count)
