"""A learned shape: a header, or none, bits that differ in the length of the space or of the mark, a last
mark, and a fixed number of bits."""

from nuvrik.core.levels import clamp
from nuvrik.core.widths import Table, amount, i32, u8, u16

SLACK_US = 150
"""What a receiver may make longer or shorter, besides a quarter of a length."""

WORDS = 4
"""A code has up to 64 bits, in words of 16, the lowest first."""


class ShapeTable(Table):
    """A learned shape in microseconds: header (0 and 0 for none), what a zero and a one are, how many bits
    (0: there is no shape). gap_us cannot be inside a frame, and repeat_us after a frame's start the next one
    of the same press has started. tail: a place for each length of a frame."""

    bits: u8
    header_mark: u16
    header_space: u16
    zero_mark: u16
    zero_space: u16
    one_mark: u16
    one_space: u16
    gap_us: amount
    repeat_us: amount
    tail: list[u8]


def near(length: u16, wanted: u16) -> bool:
    """Whether a length may have been meant to be another."""
    off: i32 = length - wanted
    return 4 * abs(off) <= wanted + 4 * SLACK_US


def push(words: list[u16], bit: bool) -> None:
    """One bit more at the low end of a code."""
    carry: u16 = 1 if bit else 0
    for i in range(WORDS):
        out: u16 = words[i] >> 15
        words[i] = ((words[i] & 0x7FFF) << 1) | carry
        carry = out


class Tail:
    """The last lengths before a silence, as many as a frame of a learned shape has; next is the oldest, once
    there are so many. words: the code that match has found."""

    def __init__(self, table: ShapeTable) -> None:
        self.table: ShapeTable = table
        self.lengths: list[u16] = [0] * len(table.tail)
        self.next: u8 = 0
        self.count: u8 = 0
        self.words: list[u16] = [0] * WORDS

    def clear(self) -> None:
        """Nothing has come yet."""
        self.next = 0
        self.count = 0

    def keep(self, us: amount) -> None:
        """One length more."""
        if len(self.table.tail) == 0:
            return
        self.lengths[self.next] = clamp(us, 0, 65535)
        self.next = self.next + 1 if self.next + 1 < len(self.table.tail) else 0
        if self.count < len(self.table.tail):
            self.count += 1

    def length(self, place: u8) -> u16:
        """The length at a place of the frame."""
        at: u16 = self.next + place
        if at >= len(self.table.tail):
            at -= len(self.table.tail)
        return self.lengths[at]

    def us(self) -> amount:
        """How long the frame is."""
        total: amount = 0
        for place in range(self.count):
            total += self.length(place)
        return total

    def match(self) -> bool:
        """Whether so many lengths are a frame of this shape; its code is in words then."""
        shape: ShapeTable = self.table
        if self.count == 0 or self.count < len(shape.tail):
            return False
        start: u8 = 0
        if shape.header_mark > 0:
            if not near(self.length(0), shape.header_mark) or not near(self.length(1), shape.header_space):
                return False
            start = 2
        for i in range(WORDS):
            self.words[i] = 0
        by_space: bool = shape.zero_mark == shape.one_mark
        for bit in range(shape.bits):
            place: u8 = start + 2 * bit
            if not self.match_bit(place, by_space):
                return False
        # A last mark ends the last space; where marks differ, the last bit's own mark is the end.
        return not by_space or near(self.length(len(shape.tail) - 1), shape.zero_mark)

    def match_bit(self, place: u8, by_space: bool) -> bool:
        """One bit, whose mark is at a place."""
        shape: ShapeTable = self.table
        mark: u16 = self.length(place)
        has_space: bool = place + 1 < len(shape.tail)
        space: u16 = self.length(place + 1) if has_space else 0
        told: u16 = space if by_space else mark
        zero: u16 = shape.zero_space if by_space else shape.zero_mark
        other: u16 = shape.one_space if by_space else shape.one_mark
        one: bool = (2 * told > zero + other) == (other > zero)
        push(self.words, one)
        if not near(mark, shape.one_mark if one else shape.zero_mark):
            return False
        return not has_space or near(space, shape.one_space if one else shape.zero_space)
