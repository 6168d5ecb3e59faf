"""How often a board without random numbers has started, in memory that lasts: a number that was never there
before, of which a nonce is made.

Sixteen slots of eight bytes go round: the key's id, the count, a check. The greatest count in any sound slot,
whatever its key, plus one is written to the next two, each is read back, and only then is it used. So power
may fail at any moment, and one slot may rot, and yet no count comes twice. A byte is written in a turn, and
nothing waits for it.

A board is new to a key if no slot, or one that is broken, carries its id. Where more do, and none of them is
sound, nobody knows what has been used, and it is not used at all until another key is put there."""

from nuvrik.core.board import Board
from nuvrik.core.cmac import BLOCK
from nuvrik.core.frames.bits import crc16
from nuvrik.core.frames.tags import Tags
from nuvrik.core.session import is_above
from nuvrik.core.widths import u8, u16

SLOTS = 16
SLOT_BYTES = 8
FIRST_BYTE = 8
"""Not the first of the memory: where power fails while a byte is written, that one may be lost on some
chips."""

COPIES = 2
MOST_ROTTEN = 8
"""So many pairs of slots are tried before the memory is given up."""

JITTER = 4
"""Bytes beside the count."""

BOOTS_NONE = 0
BOOTS_WRITES = 1
BOOTS_READY = 2
"""What has become of the count: there is none to be used, it is being written, it may be used."""


class Boots:
    """The count of one board. low and high are its halves; id: the key's; slot and at: what is written next;
    copies: slots that have been; rotten: pairs that did not keep what they were given."""

    def __init__(self, board: Board) -> None:
        self.board: Board = board
        self.state: u8 = BOOTS_NONE
        self.id: u16 = 0
        self.low: u16 = 0
        self.high: u16 = 0
        self.sum: u16 = 0
        self.slot: u8 = 0
        self.at: u8 = 0
        self.copies: u8 = 0
        self.rotten: u8 = 0

    def begin(self, id: u16) -> None:
        """At power-up, with the key's id."""
        any: bool = False
        mine: u8 = 0
        broken: u8 = 0
        self.state = BOOTS_NONE
        self.id = id
        self.low = 0
        self.high = 0
        self.slot = SLOTS - 1
        for i in range(SLOTS):
            low: u16 = self.two(i, 2)
            high: u16 = self.two(i, 4)
            sound: bool = self.is_sound(i)
            if self.two(i, 0) == id:
                if sound:
                    mine += 1
                else:
                    broken += 1
            # Of two that are alike, the later: it was written last, but for the two ends of the ring.
            if sound and (not any or not is_above(self.high, self.low, high, low)):
                any = True
                self.low = low
                self.high = high
                self.slot = i
        if mine == 0 and broken > 1:
            return
        if self.low == 0xFFFF and self.high == 0xFFFF:
            return
        if self.low == 0xFFFF:
            self.high += 1
        self.low = (self.low + 1) & 0xFFFF
        self.slot = (self.slot + 1) & (SLOTS - 1)
        self.at = 0
        self.copies = 0
        self.sum = 0xFFFF
        for i in range(SLOT_BYTES - 2):
            self.sum = crc16(self.sum, self.byte(i))
        self.state = BOOTS_WRITES

    def two(self, slot: u8, at: u8) -> u16:
        """Two bytes of a slot, the low one first."""
        return self.kept(slot, at) + (self.kept(slot, at + 1) << 8)

    def kept(self, slot: u8, at: u8) -> u8:
        """A byte of a slot."""
        return self.board.kept(FIRST_BYTE + SLOT_BYTES * slot + at)

    def is_sound(self, slot: u8) -> bool:
        """Whether a slot holds what was once written into it."""
        sum: u16 = 0xFFFF
        for i in range(SLOT_BYTES):
            sum = crc16(sum, self.kept(slot, i))
        return sum == 0

    def byte(self, at: u8) -> u8:
        """A byte of what is to be written: the key's id, the count, the check, high byte first."""
        if at < 2:
            return self.id & 0xFF if at == 0 else self.id >> 8
        if at < 4:
            return self.low & 0xFF if at == 2 else self.low >> 8
        if at < 6:
            return self.high & 0xFF if at == 4 else self.high >> 8
        return self.sum >> 8 if at == 6 else self.sum & 0xFF

    def turn(self) -> None:
        """Write a byte more, if the memory takes one."""
        if self.state != BOOTS_WRITES:
            return
        if not self.board.keep(FIRST_BYTE + SLOT_BYTES * self.slot + self.at, self.byte(self.at)):
            return
        self.at += 1
        if self.at < SLOT_BYTES:
            return
        self.at = 0
        self.copies += 1
        before: u8 = (self.slot + SLOTS - 1) & (SLOTS - 1)
        here: u8 = self.slot
        self.slot = (self.slot + 1) & (SLOTS - 1)
        if self.copies < COPIES:
            return
        if self.holds(before) and self.holds(here):
            self.state = BOOTS_READY
            return
        self.copies = 0
        self.rotten += 1
        if self.rotten == MOST_ROTTEN:
            self.state = BOOTS_NONE

    def holds(self, slot: u8) -> bool:
        """Whether a slot has kept what it was given."""
        for i in range(SLOT_BYTES):
            if self.kept(slot, i) != self.byte(i):
                return False
        return True

    def put(self, into: list[u8]) -> None:
        """The count, as the first four bytes of a nonce."""
        into[0] = self.low & 0xFF
        into[1] = self.low >> 8
        into[2] = self.high & 0xFF
        into[3] = self.high >> 8


class Nonces:
    """Where an end with a key takes numbers that were never there before: from the random numbers of its
    board; or, where that counts its starts, from the count and from jitter."""

    def __init__(self, board: Board) -> None:
        self.board: Board = board
        self.boots: Boots = Boots(board)
        self.jitter: list[u8] = [0] * JITTER

    def begin(self, tags: Tags, counts: bool) -> None:
        """At power-up: the key, and what a count begins with."""
        for i in range(BLOCK):
            tags.cmac.key[i] = self.board.key(i)
        tags.cmac.set_key()
        if counts:
            self.board.jitter(self.jitter)
            self.boots.begin(tags.key_id())

    def draw(self, into: list[u8], counts: bool) -> bool:
        """Put one into a list of eight. False: the start is still being counted, or cannot be."""
        if not counts:
            self.board.random(into)
            return True
        self.boots.turn()
        if self.boots.state != BOOTS_READY:
            return False
        self.boots.put(into)
        for i in range(JITTER):
            into[4 + i] = self.jitter[i]
        return True
