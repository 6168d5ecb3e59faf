"""Commands as text: a line, or columns of fixed width, with a check in hex digits if it has one. Frames of
other kinds travel beside them as a line of # and the sealed body in hex digits."""

from nuvrik.core.frames.bits import crc8, crc16
from nuvrik.core.frames.sealed import (
    ACCEPTED,
    BAD_FIELD,
    CHECK,
    LONGEST,
    NO_EVENT,
    STUFFING,
    TOO_LONG,
    WRONG_KIND,
    Sealed,
)
from nuvrik.core.frames.sender import HEX_MARK
from nuvrik.core.levels import FULL, FULL_BITS, NO_READING, div
from nuvrik.core.sizes import MOST_PIECE
from nuvrik.core.widths import Table, amount, decimal, i32, level, share, span, u8, u16

NO_CHECK = 0
CHECK_XOR8 = 1
CHECK_SUM8 = 2
CHECK_CRC8 = 3
CHECK_CRC16 = 4
"""The checks that a line may carry: the exclusive or of all bytes; their sum modulo 256; CRC-8 with
polynomial 0x07, initial value 0, as in the SMBus specification 3.0 (over 123456789 it is F4); CRC-16 with
polynomial 0x1021, initial value 0xFFFF (29B1). None is reflected, none has a final XOR."""

CHECK_MARK = 42
"""The character * stands before the check."""

LONGEST_LINE = 420
"""A line of hex digits around the longest body fits."""

MOST_END = 4
"""What ends a line is no longer."""

BEYOND = 1000000000
"""No range of a field reaches so far."""

MOST_DIGITS = 7
"""A number has no more digits than this, besides zeros in front and decimals."""


class FormTable(Table):
    """How one channel is written: from low to high, in steps of the last of so many decimals. scaled: those
    are the two ends of a level, or of a share if one_sided. empty: an empty field may stand for no reading.
    width: of its column, or what it is padded to; counts: it goes round; signs: a sign stands in front of
    every number that is not padded to nothing."""

    scaled: bool
    empty: bool
    one_sided: bool
    low: decimal
    high: decimal
    decimals: u8
    width: u8
    counts: bool
    signs: bool


class TextTable(Table):
    """What text there is around the fields. spaces: those around a field do not count; blanks: an empty field
    stands for no reading."""

    ending: list[u8]
    tag: list[u8]
    stop: list[u8]
    separator: list[u8]
    columns: bool
    check: u8
    spaces: bool
    blanks: bool
    leads: bool
    forms: list[FormTable]


def check_digits(check: u8) -> u8:
    """How many hex digits a check is."""
    if check == NO_CHECK:
        return 0
    return 4 if check == CHECK_CRC16 else 2


def check_over(check: u8, so_far: u16, byte: u8) -> u16:
    """A check over one byte more."""
    if check == CHECK_XOR8:
        return so_far ^ byte
    if check == CHECK_SUM8:
        return (so_far + byte) & 0xFF
    if check == CHECK_CRC8:
        return crc8(so_far & 0xFF, byte)
    return crc16(so_far, byte)


def check_begins(check: u8) -> u16:
    """What a check begins with."""
    return 0xFFFF if check == CHECK_CRC16 else 0


def hex_value(character: u8) -> u8:
    """What a hex digit stands for, 16 for what is none."""
    if character >= 48 and character <= 57:
        return character - 48
    if character >= 65 and character <= 70:
        return character - 55
    if character >= 97 and character <= 102:
        return character - 87
    return 16


def value_of_number(form: FormTable, given: decimal) -> i32:
    """The value that a number within its form's range stands for."""
    if not form.scaled:
        return given
    steps: u16 = abs(form.high - form.low)
    away: u16 = abs(given - form.low)
    part: amount = away * FULL
    if form.one_sided:
        return div(part, steps)
    # Twice as much fits no 31 bits, so the whole steps and the rest are doubled apart.
    whole_steps: share = part // steps
    rest: u16 = part - whole_steps * steps
    doubled: span = 2 * whole_steps + (2 * rest + steps // 2) // steps
    return doubled - FULL


def number_of_value(form: FormTable, value: i32) -> decimal:
    """The number that stands for a value."""
    if not form.scaled:
        return value
    steps: u16 = abs(form.high - form.low)
    here: level = value
    along: u16 = here if form.one_sided else here + FULL
    up: amount = along * (steps >> 1)
    if form.one_sided:
        exact: amount = along * steps
        up = (exact + FULL // 2) >> FULL_BITS
    else:
        # along * steps / (2 * FULL), rounded: half of steps first, so that it fits 31 bits.
        odd: u16 = along if (steps & 1) != 0 else 0
        up = (up + ((odd + FULL) >> 1)) >> FULL_BITS
    return form.low + up if form.high > form.low else form.low - up


def ten_times(size: amount) -> amount:
    """Ten times as much, or what is beyond every range."""
    if size >= BEYOND // 10:
        return BEYOND - 10
    grown: amount = size * 10
    return grown


class TextReader:
    """Takes lines out of a stream, and values out of lines. piece holds length characters; stop: the line was
    a stop. at and until: the field that is read."""

    def __init__(self, table: TextTable) -> None:
        self.table: TextTable = table
        self.piece: list[u8] = [0] * MOST_PIECE
        self.length: u16 = 0
        self.ended: bool = False
        self.skipping: bool = False
        self.tail: list[u8] = [0] * MOST_END
        self.stop: bool = False
        self.value: i32 = 0

    def begin(self) -> None:
        """A new line, or a packet."""
        self.length = 0
        self.ended = False

    def keep(self, byte: u8) -> None:
        """One character more."""
        if self.length < MOST_PIECE:
            self.piece[self.length] = byte
        if self.length < 0xFFFF:
            self.length += 1

    def take(self, byte: u8) -> u8:
        """One character of a stream. ACCEPTED: a line has ended, and may be read."""
        ends: u8 = len(self.table.ending)
        if self.ended:
            self.begin()
        for i in range(MOST_END - 1):
            self.tail[i] = self.tail[i + 1]
        self.tail[MOST_END - 1] = byte
        self.keep(byte)
        if self.length >= ends and self.ends_here(ends):
            skipped: bool = self.skipping
            self.skipping = False
            self.ended = True
            self.length -= ends
            if skipped or self.length == 0:
                return NO_EVENT
            return TOO_LONG if self.length > LONGEST_LINE else ACCEPTED
        if not self.skipping and self.length >= LONGEST_LINE + ends:
            # Said once, at the character that overflows; the rest is skipped up to the next end.
            self.skipping = True
            return TOO_LONG
        return NO_EVENT

    def ends_here(self, ends: u8) -> bool:
        """Whether the last characters are what ends a line."""
        first: u8 = MOST_END - ends
        for i in range(ends):
            if self.tail[first + i] != self.table.ending[i]:
                return False
        return True

    def without_ending(self) -> None:
        """In a packet the end of the line may be there or not."""
        ends: u8 = len(self.table.ending)
        if self.length < ends:
            return
        from_here: u16 = self.length - ends
        for i in range(ends):
            if self.piece[from_here + i] != self.table.ending[i]:
                return
        self.length = from_here

    def is_hex(self) -> bool:
        """Whether it is a line of hex digits."""
        return self.length > 0 and self.piece[0] == HEX_MARK

    def unhex(self, sealed: Sealed) -> u8:
        """A line of hex digits to a body. ACCEPTED: it may be looked at."""
        if self.length - 1 > 2 * LONGEST:
            return TOO_LONG
        if (self.length & 1) == 0:
            return STUFFING
        for i in range(self.length - 1):
            if hex_value(self.piece[i + 1]) > 15:
                return STUFFING
        sealed.begin()
        for i in range(self.length >> 1):
            high: u8 = hex_value(self.piece[2 * i + 1])
            sealed.put((high << 4) + hex_value(self.piece[2 * i + 2]))
        return ACCEPTED

    def read(self, values: list[i32]) -> u8:
        """A line that is no hex digits to values. ACCEPTED: it is a command, or a stop."""
        self.stop = False
        length: u16 = self.length
        digits: u8 = check_digits(self.table.check)
        if digits > 0:
            # The check first: what is damaged may look like a stop, or like another kind.
            if not self.sound(digits):
                return CHECK
            length = length - digits - 1
        if length > 0 and length == len(self.table.stop) and self.begins_with_stop():
            self.stop = True
            return ACCEPTED
        if length < len(self.table.tag) or not self.begins_with_tag():
            return WRONG_KIND
        if self.table.columns:
            return self.read_columns(len(self.table.tag), length, values)
        return self.read_line(len(self.table.tag), length, values)

    def sound(self, digits: u8) -> bool:
        """Whether the line has a check, and it is that of the rest."""
        return self.length > digits and self.checked(digits)

    def checked(self, digits: u8) -> bool:
        """Whether the check at the end of the line is that of all before it."""
        mark: u16 = self.length - digits - 1
        if self.piece[mark] != CHECK_MARK:
            return False
        over: u16 = check_begins(self.table.check)
        for i in range(mark):
            over = check_over(self.table.check, over, self.piece[i])
        said: u16 = 0
        for i in range(digits):
            digit: u8 = hex_value(self.piece[mark + 1 + i])
            if digit > 15:
                return False
            said = ((said << 4) & 0xFFFF) + digit
        return said == over

    def begins_with_stop(self) -> bool:
        """Whether the line is the text of a stop, of whose length it is."""
        for i in range(len(self.table.stop)):
            if self.piece[i] != self.table.stop[i]:
                return False
        return True

    def begins_with_tag(self) -> bool:
        """Whether it begins as every command does."""
        for i in range(len(self.table.tag)):
            if self.piece[i] != self.table.tag[i]:
                return False
        return True

    def read_columns(self, begins: u8, length: u16, values: list[i32]) -> u8:
        """Fields by their places."""
        at: u16 = begins
        for column in self.table.forms:
            at += column.width
        if at != length:
            return BAD_FIELD
        at = begins
        for i in range(len(self.table.forms)):
            form: FormTable = self.table.forms[i]
            if not self.read_field(form, at, at + form.width):
                return BAD_FIELD
            values[i] = self.value
            at += form.width
        return ACCEPTED

    def read_line(self, begins: u8, length: u16, values: list[i32]) -> u8:
        """Fields between separators."""
        fields: u8 = 0
        from_here: u16 = begins
        at: u16 = begins
        sound: bool = True
        while True:
            ends: bool = at == length
            if ends or self.separates(at, length):
                if fields == len(self.table.forms):
                    return BAD_FIELD
                # A wrong number of fields and a field that is wrong are the same to whoever sent them.
                if sound and self.read_field(self.table.forms[fields], from_here, at):
                    values[fields] = self.value
                else:
                    sound = False
                fields += 1
                if ends:
                    break
                at += len(self.table.separator)
                from_here = at
            else:
                at += 1
        return ACCEPTED if sound and fields == len(self.table.forms) else BAD_FIELD

    def separates(self, at: u16, length: u16) -> bool:
        """Whether a separator stands here."""
        if at + len(self.table.separator) > length:
            return False
        for i in range(len(self.table.separator)):
            if self.piece[at + i] != self.table.separator[i]:
                return False
        return True

    def read_field(self, form: FormTable, begins: u16, ends: u16) -> bool:
        """One field: a sign, digits, decimals. False where it means nothing."""
        at: u16 = begins
        until: u16 = ends
        if self.table.spaces:
            while at < until and self.piece[at] == 32:
                at += 1
            while until > at and self.piece[until - 1] == 32:
                until -= 1
        if at == until and self.table.blanks:
            self.value = NO_READING if form.empty else 0
            return True
        negative: bool = at < until and self.piece[at] == 45
        if negative or (at < until and self.piece[at] == 43):
            at += 1
        return self.read_digits(form, at, until, negative)

    def read_digits(self, form: FormTable, begins: u16, ends: u16, negative: bool) -> bool:
        """The digits of a field, with a point among them or not."""
        at: u16 = begins
        size: amount = 0
        digits: u8 = 0
        any: bool = False
        while at < ends and self.is_digit(at):
            any = True
            if digits > 0 or self.piece[at] != 48:
                digits += 1
            if digits > MOST_DIGITS:
                return False
            digit: u8 = self.piece[at] - 48
            size = ten_times(size) + digit
            at += 1
        if not any:
            return False
        decimals: u8 = 0
        if at < ends:
            # A point, and at least one digit behind it.
            if self.piece[at] != 46 or at + 1 == ends:
                return False
            at += 1
        while at < ends:
            if not self.is_digit(at) or decimals == form.decimals:
                return False
            size = ten_times(size) + (self.piece[at] - 48)
            decimals += 1
            at += 1
        while decimals < form.decimals:
            size = ten_times(size)
            decimals += 1
        return self.within(form, -size if negative else size)

    def is_digit(self, at: u16) -> bool:
        """Whether a digit stands here."""
        return self.piece[at] >= 48 and self.piece[at] <= 57

    def within(self, form: FormTable, given: decimal) -> bool:
        """Whether a number is within the range of a field; its value, if it is."""
        if form.low < form.high:
            if given < form.low or given > form.high:
                return False
        elif given < form.high or given > form.low:
            return False
        self.value = value_of_number(form, given)
        return True
