"""One character or one number for each action, as a terminal or the plainest radio can send.

The machine's end keeps a value for each channel, all at rest and off at first; after a stop and after any
silence so again, but for places. Each key changes some of them and is a command with all of them, so that the
failsafe sees the whole and not a change. A key held down keeps the link alive, and a key let go ends in
silence.

A place (what a servo goes to) has no reading at power-up, and none again on leaving ARMED, until a key that
the machine follows sets it or adds to it. What is added is added to where it was commanded last, in the
centre at first. Whatever the failsafe swallows changes no place."""

from nuvrik.core.levels import NO_READING, NOBODY, TIMER_MAX, clamp, later
from nuvrik.core.widths import Table, amount, i32, level, reading, share, span, u8, u16


class ChangeTable(Table):
    """What a key does to one channel: it puts it at a value, or adds that, within low to high."""

    place: u8
    adds: bool
    value: span
    low: level
    high: i32


class KeyTable(Table):
    """One key: the byte that it is, and what it does."""

    code: u8
    stop: bool
    changes: list[ChangeTable]


class KeysTable(Table):
    """All keys of a link. places: for each channel, whether it is a place."""

    keys: list[KeyTable]
    places: list[bool]


class ChooserTable(Table):
    """How a handset chooses among keys. weights: what each channel weighs; arm: the one that arms, NOBODY for
    none; trembles: how far a hand that is still may be off."""

    keys: KeysTable
    weights: list[share]
    arm: u8
    trembles: level


def change_all(key: KeyTable, state: list[i32]) -> None:
    """What a key does to the values of the channels."""
    for change in key.changes:
        before: reading = state[change.place] if change.adds else 0
        state[change.place] = clamp(change.value + before, change.low, change.high)


def changes(key: KeyTable, place: u8) -> bool:
    """Whether a key changes the channel at a place."""
    for change in key.changes:
        if change.place == place:
            return True
    return False


def unwanted(key: KeyTable, wanted: list[i32]) -> bool:
    """Whether a key changes something that nobody wants anywhere, because it has no reading."""
    for change in key.changes:
        if wanted[change.place] == NO_READING:
            return True
    return False


class Keys:
    """The values at one end: what was commanded last, and of places what was followed last. given: which
    places have a reading; touched: which the key does that was commanded last."""

    def __init__(self, table: KeysTable) -> None:
        self.table: KeysTable = table
        self.state: list[i32] = [0] * len(table.places)
        self.kept: list[i32] = [0] * len(table.places)
        self.given: list[bool] = [False] * len(table.places)
        self.touched: list[bool] = [False] * len(table.places)

    def known(self, code: u8) -> bool:
        """Whether a byte is a key of this link."""
        for key in self.table.keys:
            if key.code == code:
                return True
        return False

    def stops(self, code: u8) -> bool:
        """Whether a key stops everything."""
        for key in self.table.keys:
            if key.code == code:
                return key.stop
        return False

    def press(self, code: u8, values: list[i32]) -> None:
        """A key that stops nothing: the values of the command that it is."""
        for i in range(len(self.table.keys)):
            if self.table.keys[i].code == code:
                self.take(i)
        for i in range(len(self.table.places)):
            unread: bool = self.table.places[i] and not self.given[i] and not self.touched[i]
            values[i] = NO_READING if unread else self.state[i]

    def take(self, at: u8) -> None:
        """The key at a place of the table is commanded."""
        key: KeyTable = self.table.keys[at]
        change_all(key, self.state)
        for i in range(len(self.table.places)):
            self.touched[i] = self.table.places[i] and changes(key, i)

    def told(self, followed: bool) -> None:
        """Whether the machine follows what was commanded last."""
        for i in range(len(self.table.places)):
            if followed:
                self.kept[i] = self.state[i]
                self.given[i] = self.given[i] or self.touched[i]
            elif self.table.places[i]:
                self.state[i] = self.kept[i]
                self.given[i] = False
            self.touched[i] = False

    def forget(self) -> None:
        """Everything at rest and off again; no place has a reading."""
        for i in range(len(self.table.places)):
            self.state[i] = self.kept[i] if self.table.places[i] else 0
            self.given[i] = False
            self.touched[i] = False


class Chooser:
    """Chooses, for the values wanted, the key that brings the machine's nearest to them.

    A stick held still has one key, whatever was sent before. So a key that would change something is sent
    only where it leads nearer than staying does, over all channels together and by more than a hand trembles;
    else those that change nothing are sent in turn, so that a key lost on the way is made good. (Taking
    turns among all keys that lead equally near made a stick on a diagonal send two keys that undid each
    other, and a motor swing to and fro three times a second.)

    What has no reading is nobody's wish: no key is taken that would change such a place. A place that the
    machine has no reading of counts as a little further away than it is, so that a key that sets it is sent
    even where it stands there already.
    """

    def __init__(self, table: ChooserTable) -> None:
        self.table: ChooserTable = table
        self.keys: Keys = Keys(table.keys)
        self.tried: list[i32] = [0] * len(table.keys.places)
        self.ages: list[u16] = [TIMER_MAX] * len(table.keys.keys)

    def choose(self, wanted: list[i32]) -> u8:
        """The place of the key to send, NOBODY if every key there is would lead further away."""
        nearest: u8 = NOBODY
        same: u8 = NOBODY
        least: amount = 0
        for i in range(len(self.table.keys.keys)):
            key: KeyTable = self.table.keys.keys[i]
            if key.stop or unwanted(key, wanted):
                continue
            self.begin_trying()
            change_all(key, self.tried)
            far: amount = self.away(wanted, self.tried) + self.unsaid(wanted, i)
            if nearest == NOBODY or far < least:
                nearest = i
                least = far
            # Of those that change nothing, the one sent longest ago.
            if self.stays(key) and (same == NOBODY or self.ages[i] > self.ages[same]):
                same = i
        if nearest == NOBODY:
            return NOBODY
        here: amount = self.away(wanted, self.keys.state) + self.unsaid(wanted, NOBODY)
        trembles: level = self.table.trembles if same != NOBODY else 0
        # Where nothing leads nearer and nothing leaves it as it is, silence is better than a wrong key.
        if least + trembles >= here:
            nearest = same
        if nearest != NOBODY:
            self.send(nearest)
        return nearest

    def send(self, place: u8) -> None:
        """That key goes out now."""
        self.keys.take(place)
        # A machine that is not armed moves no place.
        self.keys.told(self.table.arm == NOBODY or self.keys.state[self.table.arm] != 0)
        for i in range(len(self.table.keys.keys)):
            self.ages[i] = later(self.ages[i], 1)
        self.ages[place] = 0

    def stop(self) -> u8:
        """The place of the key that stops."""
        self.keys.forget()
        for i in range(len(self.table.keys.keys)):
            if self.table.keys.keys[i].stop:
                return i
        return NOBODY

    def begin_trying(self) -> None:
        """Try from where the values are."""
        for i in range(len(self.table.keys.places)):
            self.tried[i] = self.keys.state[i]

    def stays(self, key: KeyTable) -> bool:
        """Whether what was tried, with a key, changes nothing."""
        for i in range(len(self.table.keys.places)):
            if self.tried[i] != self.keys.state[i]:
                return False
            if self.table.keys.places[i] and not self.keys.given[i] and changes(key, i):
                return False
        return True

    def unsaid(self, wanted: list[i32], place: u8) -> amount:
        """How far the values are from being said at all, if a key is sent, NOBODY for none: more than a hand
        trembles for each place that is wanted somewhere and still has no reading then."""
        sum: amount = 0
        for i in range(len(self.table.keys.places)):
            unread: bool = self.table.keys.places[i] and not self.keys.given[i] and wanted[i] != NO_READING
            if unread and (place == NOBODY or not changes(self.table.keys.keys[place], i)):
                sum += self.table.trembles + 1
        return sum

    def away(self, wanted: list[i32], state: list[i32]) -> amount:
        """How far the values are from those wanted."""
        sum: amount = 0
        for i in range(len(self.table.keys.places)):
            if wanted[i] == NO_READING:
                continue
            here: reading = state[i]
            there: reading = wanted[i]
            apart: u16 = abs(here - there)
            far: amount = apart * self.table.weights[i]
            sum += far
        return sum
