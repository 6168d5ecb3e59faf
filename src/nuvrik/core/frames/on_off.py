"""Frames over the cheapest radio modules: carrier on, carrier off, and nothing else.

    training (ones) | sync word (16 bits) | length (8 bits) | body | a space to end with

Each bit is two halves, as IEEE 802.3 has Manchester code: a 1 is off then on, a 0 on then off. So the
carrier is on half of the time whatever is sent, which such receivers need to find their threshold, and no
level lasts longer than two halves, which the bit clock is recovered from. Bits go lowest first, but the
sync word highest first. The body carries its own check."""

from nuvrik.core.levels import clamp, div
from nuvrik.core.sizes import MOST_BODY, MOST_KEPT, MOST_SENT
from nuvrik.core.widths import Table, amount, fine, i32, u8, u16

SYNC_WORD = 0xE19A
"""Behind the training, it differs in 14 of its 32 halves or more from itself at every earlier place: the most
that 16 balanced bits can."""

SYNC_EARLY = 0x56A9
SYNC_RECENT = 0x6966
"""Its 32 halves."""

SYNC_BITS = 16
LENGTH_BITS = 8

LONGEST_BODY = 200

SILENT_HALVES = 4
"""The space that ends a frame."""

UNIT = 256
"""Times are kept in parts of a microsecond."""

LONGEST_RUN_US = 20000
"""A longer level is told as this: four halves of the slowest bit."""

FINDING_PHASE = 6
FINDING_PACE = 32
FINDING_LEAN = 12
KEEPING_PHASE = 12
KEEPING_PACE = 256
KEEPING_LEAN = 48
"""What part of each edge's error the recovered clock takes up, before the sync word and behind it: into
where it is, into how fast it runs, and into how much longer marks come out than spaces. Measured at 2000
bit/s with edges that stray by 30 % of a half bit: 88 % of frames are read. Half as much while finding reads
98 % of those, but loses 4 % where a sender's clock is 8 % slow; half as much while keeping reads 75 %,
twice as much 92 %, and with both doubled 68 %. Below 20 % and at any clock within 8 %, these read every
frame."""

NO_HALF = 2
"""In place of the level of a bit's first half: it has not come yet."""


class OnOffTable(Table):
    """How bodies are sent: bits a second, how many bits of training. half: half a bit, as expected and at the
    fastest and the slowest, in parts of a microsecond; most_lean: no mark is longer by more."""

    bitrate: amount
    half: fine
    fastest: fine
    slowest: fine
    most_lean: fine
    training_bits: u8


class OnOffReader:
    """Marks and spaces to bodies. The clock is recovered from the edges, and with it how much longer marks
    come out than spaces, as they do in such receivers. Pulses shorter than a third of a half bit are noise
    and joined to what is around them. half, late and lean: how long half a bit lasts, by how much the last
    edge was late, and how much longer marks come out. A body that has ended is in body, length bytes."""

    def __init__(self, table: OnOffTable) -> None:
        self.table: OnOffTable = table
        self.run_us: u16 = 0
        self.mark: bool = False
        self.half: fine = 0
        self.late: fine = 0
        self.lean: fine = 0
        self.early: u16 = 0
        self.recent: u16 = 0
        self.reading: bool = False
        self.first: u8 = NO_HALF
        self.bits: u16 = 0
        self.gathered: u8 = 0
        self.length: u8 = 0
        self.body: list[u8] = [0] * MOST_BODY

    def take(self, mark: bool, us: amount) -> bool:
        """So many microseconds of mark or of space. True: a body has ended."""
        length: u16 = clamp(us, 0, LONGEST_RUN_US)
        if length == 0:
            return False
        ended: bool = False
        if self.run_us > 0 and mark != self.mark and 3 * length * UNIT >= self.table.half:
            ended = self.run_ended(self.mark, self.run_us)
            self.run_us = length
            self.mark = mark
        else:
            if self.run_us == 0:
                self.mark = mark
            # A glitch, or the rest of what a glitch cut in two: the level goes on.
            self.run_us = clamp(self.run_us + length, 0, LONGEST_RUN_US)
        return ended

    def run_ended(self, mark: bool, us: u16) -> bool:
        """A level has ended. True: a body has, too."""
        count: u8 = self.follow(mark, us)
        ended: bool = False
        for i in range(2):
            if i < count and self.half_bit(1 if mark else 0):
                ended = True
        if count < 1 or count > 2:
            self.lose()
        return ended

    def follow(self, mark: bool, us: u16) -> u8:
        """How many halves a level is, 3 for more; and follow the clock if it is 1 or 2, as in every frame.
        Each edge is held against a grid, not against the edge before, whose own jitter would count twice."""
        if self.half == 0:
            self.half = self.table.half
        lean: fine = self.lean if mark else -self.lean
        reach: fine = us * UNIT + self.late
        twice: i32 = 2 * (reach - lean)
        if twice < self.half:
            return 0
        if twice >= 5 * self.half:
            return 3
        count: u8 = 1 if twice < 3 * self.half else 2
        late: fine = reach - count * self.half
        error: fine = late - lean
        step: fine = div(error, KEEPING_PHASE if self.reading else FINDING_PHASE)
        self.late = late - step
        pace: fine = div(error, count * (KEEPING_PACE if self.reading else FINDING_PACE))
        self.half = clamp(self.half + pace, self.table.fastest, self.table.slowest)
        leaning: fine = div(error, KEEPING_LEAN if self.reading else FINDING_LEAN)
        most: fine = self.table.most_lean
        self.lean = clamp(self.lean + leaning if mark else self.lean - leaning, -most, most)
        return count

    def lose(self) -> None:
        """No clock any more: whatever was being read is not a frame."""
        self.half = self.table.half
        self.late = 0
        self.lean = 0
        self.look()

    def look(self) -> None:
        """Look for a sync word from here on."""
        self.early = 0
        self.recent = 0
        self.reading = False

    def half_bit(self, now: u8) -> bool:
        """Half a bit more. True: a body has ended."""
        if not self.reading:
            self.early = ((self.early << 1) & 0xFFFF) | (self.recent >> 15)
            self.recent = ((self.recent << 1) & 0xFFFF) | now
            if self.early == SYNC_EARLY and self.recent == SYNC_RECENT:
                self.reading = True
                self.bits = 0
                self.first = NO_HALF
            return False
        if self.first == NO_HALF:
            self.first = now
            return False
        before: u8 = self.first
        self.first = NO_HALF
        if before == now:
            # No bit is two halves alike: the frame is damaged, and its check would say so in the end.
            self.look()
            return False
        return self.bit(now)

    def bit(self, one: u8) -> bool:
        """One bit more of the length or the body. True: the body has ended."""
        self.gathered = (self.gathered >> 1) | (0x80 if one != 0 else 0)
        self.bits += 1
        if (self.bits & 7) != 0:
            return False
        if self.bits == LENGTH_BITS:
            self.length = self.gathered
            # No frame of this link is longer than what is kept, and noise may say any length.
            if self.length == 0 or self.length > MOST_KEPT:
                self.look()
            return False
        place: u16 = (self.bits >> 3) - 2
        self.body[place] = self.gathered
        if place + 1 < self.length:
            return False
        self.look()
        return True


class OnOffMaker:
    """Bodies to marks and spaces, one at a time. place is the half bit that comes next; part is what is left
    of a microsecond, in parts of the bit rate, so that rounding does not add up."""

    def __init__(self, table: OnOffTable) -> None:
        self.table: OnOffTable = table
        self.sent: list[u8] = [0] * MOST_SENT
        self.size: u8 = 0
        self.place: u16 = 0
        self.halves: u16 = 0
        self.is_mark: bool = False
        self.part: amount = 0

    def begin(self) -> None:
        """A new body; add its bytes, and then call next until it gives 0."""
        self.size = 0
        self.place = 0
        self.halves = 2 * (self.table.training_bits + SYNC_BITS + LENGTH_BITS)
        self.part = self.table.bitrate // 2

    def add(self, byte: u8) -> None:
        """One byte more."""
        if self.size < MOST_SENT:
            self.sent[self.size] = byte
            self.size += 1
            self.halves += 16

    def next(self) -> u16:
        """The length of the next mark or space, in microseconds; is_mark says which. 0: all is sent."""
        if self.place > self.halves:
            return 0
        self.is_mark = self.carrier(self.place)
        us: u16 = 0
        while self.place < self.halves and self.carrier(self.place) == self.is_mark:
            us += self.half_us()
            self.place += 1
        if self.place >= self.halves and not self.is_mark:
            # The space that ends the frame; what is left of the last bit is part of it.
            us = 0
            for _ in range(SILENT_HALVES):
                us += self.half_us()
            self.place = self.halves + 1
        return us

    def half_us(self) -> u16:
        """How long the next half bit lasts, in whole microseconds."""
        parts: amount = self.part + 500000
        whole_us: u16 = parts // self.table.bitrate
        taken: amount = whole_us * self.table.bitrate
        self.part = parts - taken
        return whole_us

    def carrier(self, half: u16) -> bool:
        """Whether the carrier is on in a half bit."""
        if half >= self.halves:
            return False
        second: bool = (half & 1) != 0
        return self.one(half >> 1) == second

    def one(self, place: u16) -> bool:
        """Whether a bit is a one."""
        if place < self.table.training_bits:
            return True
        at: u16 = place - self.table.training_bits
        if at < SYNC_BITS:
            sync: u8 = SYNC_BITS - 1 - at
            return ((SYNC_WORD >> sync) & 1) != 0
        at -= SYNC_BITS
        if at < LENGTH_BITS:
            return ((self.size >> at) & 1) != 0
        at -= LENGTH_BITS
        return ((self.sent[at >> 3] >> (at & 7)) & 1) != 0
