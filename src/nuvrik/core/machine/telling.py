"""What the machine says unasked: its state and its sensors' readings, each at its interval; and how long ago
it said what, for a delay guard.

A table of all 256 sequence numbers would do for that, but no small chip has the room, and most of it would be
too old to matter. So the time that the guard allows is cut into pieces, and only the first telemetry of each
is noted. A number between two notes counts as old as the earlier one: at most a piece older than it is, which
is the safe side."""

from nuvrik.core.frames.bits import level_code, share_code, share_from_code
from nuvrik.core.frames.sealed import KIND_TELEMETRY
from nuvrik.core.frames.sender import Sender
from nuvrik.core.levels import FULL, NO_READING, TIMER_MAX, clamp, div, later
from nuvrik.core.machine.machine import Machine
from nuvrik.core.machine.outputs import Outputs, steps_of
from nuvrik.core.sizes import MOST_NOTES
from nuvrik.core.widths import (
    Table,
    amount,
    few,
    i16,
    i32,
    product,
    reading,
    share,
    span,
    u8,
    u16,
)

TELLS_SHARE = 0
TELLS_AXES = 1
TELLS_DIGITAL = 2
TELLS_COUNT = 3
TELLS_STEPS = 4
TELLS_DEMAND = 5
"""What an item is made of: a reading within a range, three of them, one that is off or on, a count that goes
round, the steps of a stepper, the level of an output."""

NOTHING_THERE = -100000
"""In place of a reading: there is nothing. No reading is as far down."""

AXES = 3

STATE_BITS = 7
FOLLOWS = 8
HOLD_ENDS = 16
NOTED = 32
MEANS_NOTHING = 64
"""The first byte of telemetry: the state, that the number of the last command follows, that a load is about
to be let go of, that a byte more has been noted. What is above has to be zero, so that it can mean something
later."""

NOTES_OWN = 15
NOTES_LATE = 16
NOTES_RADIO = 32
"""What a machine notes of itself, in one byte: the number that the builder's own code gave for a stop of its
own, that its clock has lost time, and how many times this what was wrong with its radio chip."""

RADIO_TROUBLES = 6
RADIO_SAID_MS = 5000
"""What can be wrong with a radio chip, nothing included; and how long telemetry says it. A machine whose chip
is gone says nothing, so it has to be said afterwards, for long enough that a person reads it."""


class ItemTable(Table):
    """One item of telemetry. low and high: the readings at the two ends of its range; high_on: whether it is
    on while its reading is not 0; of: the output that it is of, among those of its kind where it counts
    steps; pin: the board's, NOBODY where the link file gives none; first: the place of its codes."""

    tells: u8
    bits: few
    low: reading
    high: reading
    high_on: bool
    of: u8
    pin: u8
    every_ms: u16
    stale_ms: u16
    first: u8


class TellingTable(Table):
    """The telemetry of a link. room: how many bits of it a frame holds; tell_ms: the state is said at least
    so often; guard_ms: what a delay guard allows, piece_ms: a piece of that; notes: telemetry
    is noted as it is sent. With a key every frame is, by whoever gives it its counter."""

    items: list[ItemTable]
    codes: list[u8]
    room: u16
    tell_ms: u16
    guard_ms: u16
    piece_ms: u16
    notes: bool


def scaled(item: ItemTable, raw: i32) -> i32:
    """A reading as a share of its range, -FULL for what is below: clipped, 0 to FULL."""
    low: reading = item.low if item.low < item.high else item.high
    high: reading = item.high if item.low < item.high else item.low
    kept: reading = clamp(raw, low, high)
    away: product = (kept - item.low) * FULL
    return div(away, item.high - item.low)


class Telling:
    """What one machine says. since_ms: how long ago its timers were brought up to now."""

    def __init__(self, table: TellingTable) -> None:
        self.table: TellingTable = table
        self.codes: list[u16] = [0] * len(table.codes)
        self.known: list[bool] = [False] * len(table.items)
        self.read_ms: list[u16] = [TIMER_MAX] * len(table.items)
        self.due_ms: list[i16] = [0] * len(table.items)
        self.chosen: list[bool] = [False] * len(table.items)
        self.since_ms: u16 = 0
        self.told_ms: u16 = TIMER_MAX
        self.said: u8 = 0
        self.said_noted: u8 = 0
        self.sent: u16 = 0
        self.last_seq: u8 = 0
        self.first: u8 = 0
        self.noted: u8 = 0
        self.counts: list[u16] = [0] * MOST_NOTES
        self.ages_ms: list[u16] = [0] * MOST_NOTES

    def pass_time(self, dt_ms: u16) -> None:
        """Let dt_ms go by."""
        self.since_ms = later(self.since_ms, dt_ms)

    def catch_up(self) -> None:
        """Bring every timer up to now."""
        dt_ms: u16 = self.since_ms
        if dt_ms == 0:
            return
        self.since_ms = 0
        self.told_ms = later(self.told_ms, dt_ms)
        for i in range(len(self.table.items)):
            self.read_ms[i] = later(self.read_ms[i], dt_ms)
            # Long overdue is as good as overdue.
            left: i32 = self.due_ms[i] - dt_ms
            self.due_ms[i] = clamp(left, -32768, 32767)
        for i in range(self.noted):
            at: u8 = self.place(i)
            self.ages_ms[at] = later(self.ages_ms[at], dt_ms)

    def is_fresh(self, item: u8) -> bool:
        """Whether its reading is not too old; after catch_up."""
        return self.known[item] and self.read_ms[item] < self.table.items[item].stale_ms

    def share_of(self, item: u8) -> span:
        """Where a reading within a range stands, 0 to FULL, NO_READING for none that is fresh; after
        catch_up."""
        about: ItemTable = self.table.items[item]
        if not self.is_fresh(item):
            return NO_READING
        return share_from_code(self.codes[about.first], about.bits)

    def take(self, item: u8, raw: i32) -> None:
        """A reading, NOTHING_THERE for none. What is commanded has none."""
        about: ItemTable = self.table.items[item]
        if about.tells >= TELLS_STEPS:
            return
        self.catch_up()
        self.known[item] = True
        self.read_ms[item] = 0
        if raw == NOTHING_THERE:
            self.codes[about.first] = 0xFFFF
        elif about.tells == TELLS_COUNT:
            self.codes[about.first] = raw & 0xFFFF
        elif about.tells == TELLS_DIGITAL:
            self.codes[about.first] = 1 if (raw != 0) == about.high_on else 0
        else:
            self.codes[about.first] = share_code(scaled(about, raw), about.bits)

    def take_axis(self, item: u8, axis: u8, raw: i32) -> None:
        """One of the three readings of a vector."""
        self.catch_up()
        about: ItemTable = self.table.items[item]
        self.known[item] = True
        self.read_ms[item] = 0
        low: reading = about.low if about.low < about.high else about.high
        high: reading = about.high if about.low < about.high else about.low
        kept: reading = clamp(raw, low, high)
        away: u16 = abs(kept - about.low)
        whole_way: u16 = high - low
        # Sensors of 16 bits read over all of them, and twice that product would not fit in 31 bits. So the
        # half is divided, and then what was left over.
        area: amount = away * FULL
        once: share = area // whole_way
        done: amount = once * whole_way
        rest: u16 = area - done
        more: u8 = div(2 * rest, whole_way)
        along: span = 2 * once + more
        self.codes[about.first + axis] = level_code(along - FULL, about.bits)

    def choose(self, room: u16) -> bool:
        """Choose the items that are due and known, as many as fit. False: there are none."""
        any: bool = False
        for i in range(len(self.table.items)):
            item: ItemTable = self.table.items[i]
            size: u16 = AXES * item.bits if item.tells == TELLS_AXES else item.bits
            fresh: bool = item.tells >= TELLS_STEPS or self.is_fresh(i)
            self.chosen[i] = self.due_ms[i] <= 0 and fresh and size <= room
            if self.chosen[i]:
                any = True
                room -= size
                # Aim at whole intervals, but after a gap do not send everything at once.
                half: i32 = item.every_ms // 2
                next: i32 = self.due_ms[i] + item.every_ms
                self.due_ms[i] = half if next < half else next
        return any

    def due(self, machine: Machine, noted: u8, sender: Sender) -> bool:
        """The telemetry that is due now goes into the sender. noted: the number that the builder's own code
        gave for the stop that holds the machine, and the radio's late trouble; 0 for neither. False: none
        is due. Only where there are items."""
        self.catch_up()
        more: u8 = 0 if noted == 0 else 8
        some: bool = self.choose(self.table.room - more if self.table.room > more else 0)
        state: u8 = machine.watch.state
        followed: bool = machine.followed
        said: u8 = state + HOLD_ENDS if machine.outputs.hold_ends() else state
        said += NOTED if noted != 0 else 0
        # A change of state, a hold about to end, or something else that was noted, is news by itself.
        news: bool = said != self.said or noted != self.said_noted
        if not some and not news and self.told_ms < self.table.tell_ms:
            return False
        self.said = said
        self.said_noted = noted
        self.told_ms = 0
        if self.table.notes:
            self.note(sender.seq)
        sender.begin(KIND_TELEMETRY)
        sender.byte(said + FOLLOWS if followed else said)
        sender.byte(machine.last_command if followed else 0)
        if noted != 0:
            sender.byte(noted)
        for i in range(len(self.table.items)):
            sender.bits(1 if self.chosen[i] else 0, 1)
        sender.at = ((sender.at + 7) >> 3) << 3
        for i in range(len(self.table.items)):
            if self.chosen[i]:
                self.say(i, machine.outputs, sender)
        sender.seal()
        return True

    def say(self, item: u8, outputs: Outputs, sender: Sender) -> None:
        """The codes of one item."""
        about: ItemTable = self.table.items[item]
        if about.tells == TELLS_DEMAND:
            sender.bits(level_code(outputs.told(about.of).at, about.bits), about.bits)
        elif about.tells == TELLS_STEPS:
            sender.bits(steps_of(outputs, about.of) & 0xFFFF, about.bits)
        elif about.tells == TELLS_AXES:
            for i in range(AXES):
                sender.bits(self.codes[about.first + i], about.bits)
        else:
            sender.bits(self.codes[about.first], about.bits)

    def place(self, note: u8) -> u8:
        """Where a note stands, the oldest first."""
        at: u8 = self.first + note
        return at - MOST_NOTES if at >= MOST_NOTES else at

    def note(self, seq: u8) -> None:
        """Telemetry with that number goes out now."""
        steps: u8 = (seq - self.last_seq) & 0xFF
        if self.sent == 0:
            steps = 1
        self.sent = later(self.sent, steps)
        self.last_seq = seq
        newest: u8 = self.place(self.noted - 1) if self.noted > 0 else 0
        for i in range(self.noted):
            at: u8 = self.place(i)
            self.counts[at] = later(self.counts[at], steps)
        if self.noted == 0 or self.ages_ms[newest] >= self.table.piece_ms:
            if self.noted == MOST_NOTES:
                self.first = self.place(1)
                self.noted -= 1
            self.noted += 1
            newest = self.place(self.noted - 1)
            self.counts[newest] = 0
            self.ages_ms[newest] = 0

    def recent(self, seq: u8) -> bool:
        """Whether telemetry of that number was sent no longer ago than the guard allows."""
        self.catch_up()
        back: u8 = (self.last_seq - seq) & 0xFF
        for i in range(self.noted):
            at: u8 = self.place(self.noted - 1 - i)
            if self.counts[at] >= back:
                return self.sent > back and self.ages_ms[at] <= self.table.guard_ms
        return False
