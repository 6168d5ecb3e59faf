"""Marks and spaces to codes, as they come: one burst at a time.

What lies between two silences is a burst; ``families`` says which code it is, if it is one and only one. Here
bursts are found in what comes, a repeat is told from a fresh press, and a learned shape is read beside the
published codes."""

from nuvrik.core.infrared.burst import Burst
from nuvrik.core.infrared.families import LEARNED, NEC, NEC_AGAIN, NEC_EXTENDED, RC6, Found, judge
from nuvrik.core.infrared.marks import Cleaner, longer
from nuvrik.core.infrared.shape import WORDS, ShapeTable, Tail
from nuvrik.core.widths import amount, u8, u16

END_US = 3300
"""The silence that ends a frame. No code has a longer space in it (rc5's longest is 1778 us, at the slowest
clock and with 150 us of stretch below 2400),"""

LEADER_US = 3000
LEADER_END_US = 6700
"""except behind a leader longer than that, nec's, whose space of 4500 us is up to 5625 at the slowest
clock."""

NOT_YET = 0
NEW_PRESS = 1
SAME_PRESS = 2
AGAIN_ONLY = 3
"""What has been read: nothing; a code; the same code of the same press; what a nec remote sends while a key
is held, but not whose key."""

NEC_REPEAT_US = 290000
RC_REPEAT_US = 500000
SIRC_REPEAT_US = 120000
"""How long after a frame's start the next one of the same press may start at the latest, one frame lost on
the way included."""

ADDRESS = 1
"""The word of a published code that holds its address; the command is in word 0."""


class InfraredReader:
    """Codes from marks and spaces. protocol, words and toggle are those of the code read last; since_us: how
    long ago it began, as far as lengths have ended; us: how long it lasted."""

    def __init__(self, table: ShapeTable) -> None:
        self.table: ShapeTable = table
        self.cleaner: Cleaner = Cleaner()
        self.burst: Burst = Burst()
        self.tail: Tail = Tail(table)
        self.found: Found = Found()
        self.read: bool = False
        self.since_us: amount = 0
        self.us: amount = 0
        self.protocol: u8 = 0
        self.words: list[u16] = [0] * WORDS
        self.toggle: u8 = 0

    def take(self, mark: bool, us: amount) -> u8:
        """So many microseconds of mark or of space. A last space may still grow: what ends a frame is told as
        soon as the silence is long enough."""
        event: u8 = NOT_YET
        was_mark: bool = self.cleaner.is_mark
        ended: amount = self.cleaner.take(mark, us)
        if ended > 0:
            event = self.length(was_mark, ended)
        if not self.cleaner.is_mark and event == NOT_YET:
            event = self.quiet(self.cleaner.pending, True)
        return event

    def length(self, mark: bool, us: amount) -> u8:
        """A length has ended."""
        event: u8 = NOT_YET
        if mark:
            if us > LEADER_US:
                # No code has such a mark but at its beginning.
                self.burst.empty()
            self.burst.keep(us)
        else:
            event = self.quiet(us, False)
            if self.burst.kept > 0:
                self.burst.keep(us)
        self.tail.keep(us)
        self.since_us = longer(self.since_us, us)
        return event

    def quiet(self, us: amount, grows: bool) -> u8:
        """A silence, so far so long: what it ends."""
        leader: bool = self.burst.kept == 1 and self.burst.times[0] > LEADER_US
        if self.burst.kept > 0 and us >= (LEADER_END_US if leader else END_US):
            sure: bool = judge(self.burst, self.found)
            if sure:
                self.us = 0
                for place in range(self.burst.count()):
                    self.us += self.burst.time(place)
            self.burst.empty()
            if sure:
                # What published codes can read is theirs.
                self.tail.clear()
                return self.published()
        # A learned code waits for the published ones.
        if self.tail.count > 0 and us >= self.table.gap_us and (not grows or self.burst.kept == 0):
            matches: bool = self.tail.match()
            if matches:
                self.us = self.tail.us()
            self.tail.clear()
            if matches:
                return self.learned()
        return NOT_YET

    def within(self, most_us: amount) -> bool:
        """Whether the code that has just ended began no later than that after the one before."""
        return self.read and self.since_us <= most_us + self.us

    def published(self) -> u8:
        """What has been found, with what it repeats."""
        if self.found.protocol == NEC_AGAIN:
            last_nec: bool = self.protocol == NEC or self.protocol == NEC_EXTENDED
            if not last_nec or not self.within(NEC_REPEAT_US):
                return AGAIN_ONLY
            self.since_us = self.us
            return SAME_PRESS
        most_us: amount = SIRC_REPEAT_US
        if self.found.protocol <= NEC_EXTENDED:
            most_us = NEC_REPEAT_US
        elif self.found.protocol <= RC6:
            most_us = RC_REPEAT_US
        same: bool = self.found.protocol == self.protocol and self.found.toggle == self.toggle
        if self.found.command != self.words[0] or self.found.address != self.words[ADDRESS]:
            same = False
        event: u8 = SAME_PRESS if same and self.within(most_us) else NEW_PRESS
        self.words[0] = self.found.command
        self.words[ADDRESS] = self.found.address
        return self.told(event, self.found.protocol, self.found.toggle)

    def learned(self) -> u8:
        """A code of the learned shape."""
        same: bool = self.protocol == LEARNED
        for i in range(WORDS):
            if self.words[i] != self.tail.words[i]:
                same = False
        event: u8 = SAME_PRESS if same and self.within(self.table.repeat_us) else NEW_PRESS
        for i in range(WORDS):
            self.words[i] = self.tail.words[i]
        return self.told(event, LEARNED, 0)

    def told(self, event: u8, protocol: u8, toggle: u8) -> u8:
        """It is the last code from now on."""
        self.read = True
        self.protocol = protocol
        self.toggle = toggle
        self.since_us = self.us
        return event
