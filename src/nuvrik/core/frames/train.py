"""A train of pulses, a slot of time for each channel: from the start of one pulse to the start of the next. A
gap longer than any slot comes before the next train.

Nothing in it is protected: a train with a pulse lost or two run together has slots of impossible length or
the wrong number of them, and that is all by which it can be known."""

from nuvrik.core.frames.bits import IS_LEVEL, IS_SHARE, ChannelTable
from nuvrik.core.frames.medium import MediumTable
from nuvrik.core.frames.sealed import ACCEPTED, BAD_FIELD, NO_EVENT, TOO_LONG
from nuvrik.core.levels import FULL, clamp, div
from nuvrik.core.sizes import MOST_SLOTS
from nuvrik.core.widths import Table, i32, level, product, span, u8, u16

LONGEST_TRAIN = 100
"""A train of more slots is too long, whatever the link: a slot is two bytes, and a body has at most 200."""


class TrainTable(Table):
    """The slots of a link: from low_us to high_us, and out to shortest_us and longest_us. A gap is gap_us
    long or longer."""

    low_us: u16
    high_us: u16
    shortest_us: u16
    longest_us: u16
    gap_us: u16
    channels: list[ChannelTable]


def value_of_slot(table: TrainTable, channel: ChannelTable, slot_us: u16) -> i32:
    """The value of a slot, the nearest end's where it is a little beyond: a transmitter's trims reach there,
    and that is full, not more than full."""
    low: u16 = table.low_us if table.low_us < table.high_us else table.high_us
    high: u16 = table.high_us if table.low_us < table.high_us else table.low_us
    kept: u16 = clamp(slot_us, low, high)
    away: i32 = kept - table.low_us
    steps: i32 = table.high_us - table.low_us
    if channel.kind == IS_LEVEL:
        twice: product = away * (2 * FULL)
        along: span = div(twice, steps)
        return along - FULL
    most: u16 = FULL if channel.kind == IS_SHARE else channel.most
    once: product = away * most
    return div(once, steps)


def slot_of_value(table: TrainTable, channel: ChannelTable, value: i32) -> u16:
    """The length of the slot of a value."""
    steps: i32 = table.high_us - table.low_us
    if channel.kind == IS_LEVEL:
        at: level = value
        twice: product = (at + FULL) * steps
        far: span = div(twice, 2 * FULL)
        return table.low_us + far
    most: u16 = FULL if channel.kind == IS_SHARE else channel.most
    once: product = value * steps
    way: span = div(once, most)
    return table.low_us + way


class TrainReader:
    """Slots to commands. It starts with the first gap: what came before may be half a train."""

    def __init__(self, table: TrainTable) -> None:
        self.table: TrainTable = table
        self.begun: bool = False
        self.count: u8 = 0
        self.slots: list[u16] = [0] * MOST_SLOTS

    def take(self, slot_us: u16, values: list[i32]) -> u8:
        """The time from one pulse to the next. ACCEPTED: a train has ended, and values are a command."""
        if slot_us < self.table.gap_us:
            if self.count < MOST_SLOTS:
                self.slots[self.count] = slot_us
            if self.count < 255:
                self.count += 1
            return NO_EVENT
        event: u8 = NO_EVENT
        if self.begun and self.count > 0:
            event = self.end(values)
        self.begun = True
        self.count = 0
        return event

    def end(self, values: list[i32]) -> u8:
        """A gap has ended a train: as many slots as there are channels, none of them further out than they
        may be, or it is none."""
        if self.count > LONGEST_TRAIN:
            return TOO_LONG
        if self.count != len(self.table.channels):
            return BAD_FIELD
        for i in range(self.count):
            if self.slots[i] < self.table.shortest_us or self.slots[i] > self.table.longest_us:
                return BAD_FIELD
        for i in range(self.count):
            values[i] = value_of_slot(self.table, self.table.channels[i], self.slots[i])
        return ACCEPTED


class TrainMaker:
    """Slots to marks and spaces, one at a time: a pulse begins each slot, one more ends the last, and what is
    left of the train is the gap."""

    def __init__(self, table: MediumTable) -> None:
        self.table: MediumTable = table
        self.place: u8 = 0
        self.is_mark: bool = False
        self.spent_us: u16 = 0

    def begin(self) -> None:
        """A new train; call next until it gives 0."""
        self.place = 0
        self.spent_us = 0

    def next(self, slots: list[u16], count: u8) -> u16:
        """The length of the next mark or space of so many slots, in microseconds; is_mark says which. 0: all
        is sent. A slot is longer than its pulse, and a train than its slots."""
        at: u8 = self.place
        if at > 2 * count + 1:
            return 0
        self.place += 1
        self.is_mark = (at & 1) == 0
        if self.is_mark:
            return self.table.pulse_us
        length: u16 = self.table.frame_us - self.spent_us
        if at >> 1 < count:
            length = slots[at >> 1]
            self.spent_us += length
        return length - self.table.pulse_us
