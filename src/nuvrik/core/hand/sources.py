"""From controls to channels: where each channel's value comes from, and what is done to it on the way."""

from nuvrik.core.hand.hands import IS_SELECTOR, Hands
from nuvrik.core.levels import FULL, NO_READING, NOBODY, clamp, mul
from nuvrik.core.widths import Table, fine, i32, level, share, span, u8

FROM_NOTHING = 0
FROM_ONE = 1
FROM_FIRST_READY = 2
FROM_FIRST_MOVED = 3
FROM_ALL = 4
FROM_WEIGHTS = 5
FROM_FLAG = 6
FROM_CHOICE = 7
FROM_PRESSES = 8
FROM_TWO = 9
"""Where a channel's value comes from: nothing, one control; of several the first that is ready, the one that
left rest first, or all together; a weighted sum; a control as a flag; a selector's choice; the presses of a
button; a button that stands for one of two values."""


class Origin(Table):
    """A control that feeds a channel, and how much it counts in a weighted sum."""

    control: u8
    weight: level


class SourceTable(Table):
    """Where one channel's value comes from. first: the place of its first origin among the ready bits; place:
    it feeds nothing but places; band: how far from zero is at rest, rest: how far from it a control has not
    left rest yet. multiplied_by, slow_when and preset_when are controls, NOBODY for none. on_from, off_below:
    when a flag goes on and off. when_on, when_off: what a button stands for."""

    takes: u8
    origins: list[Origin]
    first: u8
    place: bool
    band: level
    rest: level
    multiplied_by: u8
    slow_when: u8
    slow_to: share
    preset_when: u8
    preset: level
    bare: bool
    low: level
    on_from: level
    off_below: span
    when_on: level
    when_off: level


class SourcesTable(Table):
    """Those of all channels, in their order. ready: one place for each origin of those that have several."""

    sources: list[SourceTable]
    ready: list[u8]


ANY_PLACE = 32767
"""In place of the value that a control has to leave before it may say where a place is to be: none."""


class Sources:
    """The channels of one handset. A control that is one of several has a say only while it is ready. For
    what turns that is once it has been read at rest since its readings began, and since another that had the
    say has ended: so that one that lies half over starts nothing when another falls silent or lets go. For a
    place it is with any reading at power-up, and later once it has moved from where it was (marks). owner: of
    several, the one that has the say: under the rule first the one that left rest first; before: what each of
    them said last; on: whether a flag is on."""

    def __init__(self, table: SourcesTable) -> None:
        self.table: SourcesTable = table
        self.ready: list[bool] = [False] * len(table.ready)
        self.marks: list[span] = [ANY_PLACE] * len(table.ready)
        self.before: list[span] = [NO_READING] * len(table.ready)
        self.owner: list[u8] = [NOBODY] * len(table.sources)
        self.on: list[bool] = [False] * len(table.sources)

    def refresh(self, hands: Hands) -> None:
        """Controls have been read, or have lost their readings."""
        for i in range(len(self.table.sources)):
            source: SourceTable = self.table.sources[i]
            if source.takes >= FROM_FIRST_READY and source.takes <= FROM_ALL:
                keeps: u8 = self.ended(i, source, hands)
                for k in range(len(source.origins)):
                    at: u8 = source.first + k
                    value: span = hands.value(source.origins[k].control)
                    if value == NO_READING:
                        self.ready[at] = False
                        if keeps != NOBODY or self.before[at] != NO_READING:
                            self.marks[at] = NO_READING
                    elif keeps != NOBODY and k != keeps:
                        self.ready[at] = False
                        self.marks[at] = value
                    self.ready[at] = self.ready[at] or self.becomes_ready(source, at, value)
                    self.before[at] = value
                self.owner[i] = self.who(source, i, hands)

    def ended(self, channel: u8, source: SourceTable, hands: Hands) -> u8:
        """The origin that had the say and has just ended, NOBODY for none: under the rule first also one that
        is at rest again, under sum any that ended away from rest. The say of all others is over with it."""
        for k in range(len(source.origins)):
            at: u8 = source.first + k
            value: span = hands.value(source.origins[k].control)
            if source.takes == FROM_ALL:
                said: span = self.before[at]
                if self.ready[at] and value == NO_READING and (said > source.rest or said < -source.rest):
                    return k
            elif self.owner[channel] == k and self.ready[at]:
                if value == NO_READING:
                    return k
                if source.takes == FROM_FIRST_MOVED and value <= source.rest and value >= -source.rest:
                    return k
        return NOBODY

    def becomes_ready(self, source: SourceTable, at: u8, value: span) -> bool:
        """Whether a control that is not ready becomes so with what it says now."""
        if value == NO_READING:
            return False
        if not source.place:
            return value >= -source.band and value <= source.band
        mark: span = self.marks[at]
        if mark == ANY_PLACE:
            return True
        if mark == NO_READING:
            # Its readings have begun again: from here it has to move.
            self.marks[at] = value
            return False
        return value > mark + source.band or value < mark - source.band

    def who(self, source: SourceTable, channel: u8, hands: Hands) -> u8:
        """The origin that has the say, NOBODY for none; where all have, it is nobody's."""
        owner: u8 = self.owner[channel]
        if source.takes == FROM_FIRST_MOVED and owner != NOBODY and self.moved(source, owner, hands):
            return owner
        for k in range(len(source.origins)):
            if source.takes == FROM_FIRST_MOVED and self.moved(source, k, hands):
                return k
            if source.takes == FROM_FIRST_READY and self.ready[source.first + k]:
                return k
        return NOBODY

    def unready(self, source: u8, hands: Hands) -> u8:
        """A control that must be read at rest before a channel has a reading, NOBODY for none."""
        one: SourceTable = self.table.sources[source]
        if one.takes < FROM_FIRST_READY or one.takes > FROM_ALL:
            return NOBODY
        found: u8 = NOBODY
        for i in range(len(one.origins)):
            if self.ready[one.first + i]:
                return NOBODY
            if found == NOBODY and hands.value(one.origins[i].control) != NO_READING:
                found = one.origins[i].control
        return found

    def value(self, source: u8, hands: Hands) -> i32:
        """A channel's value now, NO_READING for none."""
        one: SourceTable = self.table.sources[source]
        if one.takes == FROM_FLAG:
            return self.flag(source, one, hands)
        if one.takes == FROM_CHOICE:
            return chosen(one, hands)
        if one.takes == FROM_PRESSES:
            return hands.presses(one.origins[0].control) if len(one.origins) != 0 else 0
        value: span = self.origin(source, one, hands)
        if one.bare or value == NO_READING:
            return value
        return shaped(one, value, hands)

    def origin(self, source: u8, one: SourceTable, hands: Hands) -> span:
        """What the controls of a level or a share say, before anything is done to it."""
        if one.takes == FROM_NOTHING:
            return NO_READING
        if one.takes == FROM_ONE:
            return hands.value(one.origins[0].control)
        if one.takes == FROM_TWO:
            pressed: span = hands.value(one.origins[0].control)
            if pressed == NO_READING:
                return NO_READING
            return one.when_on if pressed != 0 else one.when_off
        if one.takes == FROM_WEIGHTS:
            return weighed(one, hands)
        if self.owner[source] != NOBODY:
            return hands.value(one.origins[self.owner[source]].control)
        sum: fine = 0
        any: bool = False
        for i in range(len(one.origins)):
            if self.ready[one.first + i]:
                any = True
                # Under the rule first nobody has left rest.
                if one.takes == FROM_ALL:
                    sum += hands.value(one.origins[i].control)
        return clamp(sum, -FULL, FULL) if any else NO_READING

    def moved(self, one: SourceTable, origin: u8, hands: Hands) -> bool:
        """Whether a control that is ready has left rest."""
        value: span = hands.value(one.origins[origin].control)
        return self.ready[one.first + origin] and (value > one.rest or value < -one.rest)

    def flag(self, source: u8, one: SourceTable, hands: Hands) -> u8:
        """Off or on; off without a reading. An axis or a slider switches it with hysteresis."""
        value: span = hands.value(one.origins[0].control) if len(one.origins) != 0 else NO_READING
        edge: span = one.off_below if self.on[source] else one.on_from
        self.on[source] = value != NO_READING and value >= edge
        return 1 if self.on[source] else 0


def chosen(one: SourceTable, hands: Hands) -> u8:
    """The option that a selector has chosen."""
    if len(one.origins) == 0:
        return 0
    control: u8 = one.origins[0].control
    if hands.table.controls[control].kind != IS_SELECTOR:
        return 0
    return hands.chosen[hands.table.controls[control].at]


def weighed(one: SourceTable, hands: Hands) -> span:
    """A weighted sum, which needs every reading."""
    sum: fine = 0
    for part in one.origins:
        value: span = hands.value(part.control)
        if value == NO_READING:
            return NO_READING
        weighed_part: span = mul(part.weight, value)
        sum += weighed_part
    return clamp(sum, -FULL, FULL)


def shaped(one: SourceTable, given: span, hands: Hands) -> span:
    """A level or a share with all that is done to it; NO_READING where what it needs has none."""
    value: span = given
    if one.multiplied_by != NOBODY:
        factor: span = hands.value(one.multiplied_by)
        if factor == NO_READING:
            return NO_READING
        value = mul(value, factor)
    if one.slow_when != NOBODY and hands.value(one.slow_when) != 0:
        # A switch that has no reading may be on: slow is the safe side for what turns, and a place stays.
        if one.place and hands.value(one.slow_when) == NO_READING:
            return NO_READING
        value = mul(value, one.slow_to)
    if one.preset_when != NOBODY:
        set: span = hands.value(one.preset_when)
        if set == NO_READING:
            return NO_READING
        if set != 0:
            value = one.preset
    return clamp(value, one.low, FULL)
