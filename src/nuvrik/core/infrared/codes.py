"""Codes to marks and spaces: what a press is, from the published timing of each code."""

from nuvrik.core.infrared.families import LEARNED, NEC, NEC_EXTENDED, RC5, RC6
from nuvrik.core.infrared.shape import ShapeTable
from nuvrik.core.levels import div
from nuvrik.core.sizes import MOST_TAIL
from nuvrik.core.widths import Table, amount, u8, u16

SIRC_COMMAND_BITS = 7


class KeyCodeTable(Table):
    """A code, in words of 16 bits, the lowest first: a published one is its command."""

    words: list[u16]


class CodeTable(Table):
    """How codes are sent: a unit is unit_parts / unit_of microseconds, at the nominal clock; the protocol's
    own address has so many bits."""

    protocol: u8
    address: u16
    address_bits: u8
    unit_parts: u16
    unit_of: u8
    shape: ShapeTable


class CodeMaker:
    """Makes one frame at a time: count lengths, mark first, in times. units is where the last of them
    ends."""

    def __init__(self, table: CodeTable) -> None:
        self.table: CodeTable = table
        self.times: list[u16] = [0] * MOST_TAIL
        self.count: u8 = 0
        self.units: u16 = 0
        self.started_us: amount = 0

    def begin(self) -> None:
        """A new frame."""
        self.count = 0
        self.units = 0
        self.started_us = 0

    def add(self, mark: bool, units: u8) -> None:
        """So many units of mark or of space more; two of a kind in a row are one. Rounded from edge to edge,
        so that rounding does not add up."""
        if mark == ((self.count & 1) == 0):
            # Another kind than the last.
            self.started_us = self.edge_us()
            self.count += 1
        elif self.count == 0:
            # What comes before the first mark nobody sees.
            return
        self.units += units
        last: u8 = self.count - 1
        self.times[last] = self.edge_us() - self.started_us

    def edge_us(self) -> amount:
        """When the last length ends."""
        parts: amount = self.units * self.table.unit_parts
        return div(parts, self.table.unit_of)

    def end(self) -> None:
        """The frame is whole. A space behind the last mark is part of the silence."""
        if (self.count & 1) == 0 and self.count > 0:
            self.count -= 1

    def key(self, code: KeyCodeTable, toggle: u8) -> None:
        """The frame of a code."""
        self.begin()
        protocol: u8 = self.table.protocol
        command: u8 = code.words[0] & 0xFF
        if protocol == LEARNED:
            self.learned_frame(code)
        elif protocol <= NEC_EXTENDED:
            self.nec(command)
        elif protocol == RC5:
            self.rc5(command, toggle)
        elif protocol == RC6:
            self.rc6(command, toggle)
        else:
            self.sirc(command)
        self.end()

    def again(self) -> None:
        """What a nec remote sends while a key is held."""
        self.begin()
        self.add(True, 16)
        self.add(False, 4)
        self.add(True, 1)

    def nec(self, command: u8) -> None:
        """Leader, address, its complement (extended: its high byte), command, its complement."""
        self.add(True, 16)
        self.add(False, 8)
        low: u8 = self.table.address & 0xFF
        self.nec_byte_out(low)
        high: u8 = self.table.address >> 8
        self.nec_byte_out(255 - low if self.table.protocol == NEC else high)
        self.nec_byte_out(command)
        self.nec_byte_out(255 - command)
        self.add(True, 1)

    def nec_byte_out(self, value: u8) -> None:
        """A byte, lowest bit first; a longer space is a one."""
        for bit in range(8):
            self.add(True, 1)
            self.add(False, 3 if ((value >> bit) & 1) != 0 else 1)

    def rc5(self, command: u8, toggle: u8) -> None:
        """Start bit, the complement of the command's bit 6, toggle, 5 bits of address, 6 of command."""
        self.half_bits(1, 1)
        self.half_bits(0 if command >= 64 else 1, 1)
        self.half_bits(toggle & 1, 1)
        self.half_bits(self.table.address, 5)
        self.half_bits(command & 63, 6)

    def half_bits(self, value: u16, bits: u8) -> None:
        """Bits, highest first; a one is space then mark."""
        for i in range(bits):
            left: u8 = bits - 1 - i
            one: bool = ((value >> left) & 1) != 0
            self.add(not one, 1)
            self.add(one, 1)

    def rc6(self, command: u8, toggle: u8) -> None:
        """Leader, start bit, mode 0, a toggle of double width, 8 bits of address, 8 of command; a one is mark
        then space, the other way round than in rc5."""
        self.add(True, 6)
        self.add(False, 2)
        self.half_bits(7, 4)
        self.add(toggle != 0, 2)
        self.add(toggle == 0, 2)
        self.half_bits(0xFF - (self.table.address & 0xFF), 8)
        self.half_bits(0xFF - command, 8)

    def sirc(self, command: u8) -> None:
        """Leader, command, address; lowest bit first, a longer mark is a one."""
        self.add(True, 4)
        for i in range(SIRC_COMMAND_BITS):
            self.sirc_bit(((command >> i) & 1) != 0)
        for i in range(self.table.address_bits):
            self.sirc_bit(((self.table.address >> i) & 1) != 0)

    def sirc_bit(self, one: bool) -> None:
        """One bit."""
        self.add(False, 1)
        self.add(True, 2 if one else 1)

    def learned_frame(self, code: KeyCodeTable) -> None:
        """Header, bits highest first, a last mark where spaces tell bits apart."""
        shape: ShapeTable = self.table.shape
        if shape.header_mark > 0:
            self.put_pair(shape.header_mark, shape.header_space)
        for i in range(shape.bits):
            bit: u8 = shape.bits - 1 - i
            word: u16 = code.words[bit >> 4]
            one: bool = ((word >> (bit & 15)) & 1) != 0
            self.put_pair(
                shape.one_mark if one else shape.zero_mark, shape.one_space if one else shape.zero_space
            )
        if shape.zero_mark == shape.one_mark:
            self.put_pair(shape.zero_mark, 0)

    def put_pair(self, mark_us: u16, space_us: u16) -> None:
        """A mark and a space of a learned shape."""
        self.times[self.count] = mark_us
        self.times[self.count + 1] = space_us
        self.count += 2
