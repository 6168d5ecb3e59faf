"""Commands and stops on their way out, in every style.

A style that has no way of saying that a control has no reading says nothing then: the machine hears silence
instead of a guess. The number of the frame counts on all the same. Only a place without a reading, and a
choice that nobody has made, are sent as this handset sent them last, because what nobody touches stays where
it is; until each has been given once nothing is sent at all."""

from nuvrik.core.frames.bits import ChannelTable, code_of_value
from nuvrik.core.frames.keys import Chooser, ChooserTable
from nuvrik.core.frames.sealed import KIND_COMMAND, KIND_STOP
from nuvrik.core.frames.sender import Sender, SenderTable
from nuvrik.core.frames.text import (
    CHECK_MARK,
    NO_CHECK,
    FormTable,
    TextTable,
    check_begins,
    check_digits,
    check_over,
    number_of_value,
)
from nuvrik.core.frames.train import TrainTable, slot_of_value
from nuvrik.core.levels import NO_READING, NOBODY
from nuvrik.core.sizes import MOST_SLOTS
from nuvrik.core.widths import Table, amount, decimal, i32, u8, u16

OUT_SEALED = 0
OUT_TEXT = 1
OUT_KEYS = 2
OUT_SLOTS = 3
"""What a command is: a sealed body, text, a key, slots."""

MOST_FIGURES = 10
"""A number in text has no more digits."""


class WriterTable(Table):
    """A handset's commands. stays: which channels stay where they are without a reading; guarded: the first
    byte is a delay guard's."""

    sender: SenderTable
    channels: list[ChannelTable]
    text: TextTable
    keys: ChooserTable
    train: TrainTable
    stays: list[bool]
    way_out: u8
    guarded: bool


def upper(code: u8) -> u8:
    """A hex digit of a check as a character."""
    return code + 48 if code < 10 else code + 55


class Writer:
    """One handset's commands. What travels is in sender.wire, or in slots; echo is the number of the
    telemetry heard last. last: what was sent last of what stays; said: what is written now; unsaid: the place
    of the channel for whose sake nothing can be, NOBODY for none."""

    def __init__(self, table: WriterTable) -> None:
        self.table: WriterTable = table
        self.sender: Sender = Sender(table.sender)
        self.chooser: Chooser = Chooser(table.keys)
        self.slots: list[u16] = [0] * MOST_SLOTS
        self.echo: u8 = 0
        self.last: list[i32] = [NO_READING] * len(table.stays)
        self.said: list[i32] = [0] * len(table.channels)
        self.unsaid: u8 = NOBODY
        self.figures: list[u8] = [0] * MOST_FIGURES

    def command(self, values: list[i32]) -> bool:
        """Write a command. False: the style has no way of saying this."""
        if self.table.way_out == OUT_SEALED:
            self.pack(values)
            return True
        self.begin_plain()
        for i in range(len(self.table.channels)):
            self.said[i] = values[i]
        return self.plain()

    def stop(self) -> bool:
        """Write a stop; in a style that knows none, everything at rest, arm off, and places as they are."""
        if self.table.way_out == OUT_SEALED:
            self.sender.begin(KIND_STOP)
            self.sender.seal()
            return True
        self.begin_plain()
        if self.table.way_out == OUT_KEYS:
            return self.press(self.chooser.stop())
        if self.table.way_out == OUT_SLOTS or len(self.table.text.stop) == 0:
            for i in range(len(self.table.channels)):
                self.said[i] = NO_READING if self.table.stays[i] else 0
            return self.plain()
        self.put_lead()
        for character in self.table.text.stop:
            self.sender.put(character)
        self.put_check()
        return True

    def plain(self) -> bool:
        """A command that is no sealed body, of what is said."""
        self.unsaid = self.not_to_be_said()
        if self.unsaid != NOBODY:
            return False
        if self.table.way_out == OUT_TEXT:
            self.write_command(self.said)
        elif self.table.way_out == OUT_KEYS:
            return self.press(self.chooser.choose(self.said))
        elif self.table.way_out == OUT_SLOTS:
            for i in range(len(self.table.channels)):
                self.slots[i] = slot_of_value(self.table.train, self.table.channels[i], self.said[i])
        return True

    def begin_plain(self) -> None:
        """A frame that is no sealed body, and counts all the same."""
        self.sender.seq = (self.sender.seq + 1) & 0xFF
        self.sender.count = 0

    def not_to_be_said(self) -> u8:
        """The first channel that has no reading, where nothing can be written for that; NOBODY if there is
        none. What stays is what was sent last; a key leaves it alone by itself."""
        found: u8 = NOBODY
        for i in range(len(self.table.channels)):
            if self.said[i] != NO_READING:
                if self.table.stays[i]:
                    self.last[i] = self.said[i]
            elif not self.has_a_way(i):
                if self.table.stays[i]:
                    self.said[i] = self.last[i]
                if self.said[i] == NO_READING and found == NOBODY:
                    found = i
        return found

    def has_a_way(self, channel: u8) -> bool:
        """Whether the style has a way of saying that a channel has no reading."""
        if self.table.way_out == OUT_KEYS:
            return self.table.stays[channel]
        return (
            self.table.way_out == OUT_TEXT and self.table.text.blanks and self.table.text.forms[channel].empty
        )

    def pack(self, values: list[i32]) -> None:
        """Values to a sealed body."""
        self.sender.begin(KIND_COMMAND)
        if self.table.guarded:
            self.sender.byte(self.echo)
        for i in range(len(self.table.channels)):
            one: ChannelTable = self.table.channels[i]
            self.sender.bits(code_of_value(one, values[i]), one.bits)
        self.sender.seal()

    def press(self, key: u8) -> bool:
        """One key, if there is one."""
        if key == NOBODY:
            return False
        self.sender.put(self.table.keys.keys.keys[key].code)
        return True

    # ---- text ----

    def write_command(self, values: list[i32]) -> None:
        """Values to text."""
        text: TextTable = self.table.text
        self.put_lead()
        for character in text.tag:
            self.sender.put(character)
        for i in range(len(text.forms)):
            form: FormTable = text.forms[i]
            if i > 0:
                for character in text.separator:
                    self.sender.put(character)
            if values[i] != NO_READING:
                value: i32 = values[i]
                if form.counts:
                    value = code_of_value(self.table.channels[i], value)
                self.write_number(form, number_of_value(form, value))
        self.put_check()

    def write_number(self, form: FormTable, number: decimal) -> None:
        """A sign, zeros up to the width, digits, and a point before the decimals."""
        left: amount = abs(number)
        count: u8 = 0
        while left != 0 or count <= form.decimals:
            tenth: amount = left // 10
            self.figures[count] = left - tenth * 10
            left = tenth
            count += 1
        length: u8 = count
        if form.decimals > 0:
            length += 1
        if number < 0 or (form.signs and form.width > 0):
            self.sender.put(45 if number < 0 else 43)
            length += 1
        while length < form.width:
            self.sender.put(48)
            length += 1
        while count > 0:
            if count == form.decimals:
                self.sender.put(46)
            count -= 1
            self.sender.put(self.figures[count] + 48)

    def put_lead(self) -> None:
        """The end of a line before it too, where it leads."""
        if self.table.sender.leads:
            self.sender.put_ending()

    def put_check(self) -> None:
        """The check over all that is written, and the end of the line."""
        check: u8 = self.table.text.check
        if check != NO_CHECK:
            begins: u16 = len(self.table.sender.ending) if self.table.sender.leads else 0
            sum: u16 = check_begins(check)
            for i in range(self.sender.count - begins):
                sum = check_over(check, sum, self.sender.wire[begins + i])
            self.sender.put(CHECK_MARK)
            if check_digits(check) == 4:
                self.sender.put(upper(sum >> 12))
                self.sender.put(upper((sum >> 8) & 15))
            self.sender.put(upper((sum >> 4) & 15))
            self.sender.put(upper(sum & 15))
        self.sender.put_ending()
