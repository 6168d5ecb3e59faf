"""One character or one number for each action, as a terminal or the plainest radio can send.

The machine's end keeps a value for each channel, all at rest and off at first; after a stop and after any
silence so again, but for places, which stay. Each key changes some of them and is a command with all of them,
so that the failsafe sees the whole and not a change. A key held down keeps the link alive, and a key let go
ends in silence.

A place (what a servo goes to) is only moved by a key that the machine follows. Whatever the failsafe swallows
changes none, and the first key that is followed moves on from the place commanded last.
"""

from nuvrik.core.levels import NOBODY, TIMER_MAX, clamp, later
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


class Keys:
    """The values at one end: what was commanded last, and of places what was followed last."""

    def __init__(self, table: KeysTable) -> None:
        self.table: KeysTable = table
        self.state: list[i32] = [0] * len(table.places)
        self.kept: list[i32] = [0] * len(table.places)

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
        for key in self.table.keys:
            if key.code == code:
                change_all(key, self.state)
        for i in range(len(self.table.places)):
            values[i] = self.state[i]

    def told(self, followed: bool) -> None:
        """Whether the machine follows what was commanded last."""
        for i in range(len(self.table.places)):
            if followed:
                self.kept[i] = self.state[i]
            elif self.table.places[i]:
                self.state[i] = self.kept[i]

    def forget(self) -> None:
        """Everything at rest and off again, but for places."""
        for i in range(len(self.table.places)):
            self.state[i] = self.kept[i] if self.table.places[i] else 0


class Chooser:
    """Chooses, for the values wanted, the key that brings the machine's nearest to them.

    A stick held still has one key, whatever was sent before. So a key that would change something is sent
    only where it leads nearer than staying does, over all channels together and by more than a hand trembles;
    else those that change nothing are sent in turn, so that a key lost on the way is made good. (Taking
    turns among all keys that lead equally near made a stick on a diagonal send two keys that undid each
    other, and a motor swing to and fro three times a second.)
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
            if key.stop:
                continue
            self.begin_trying()
            change_all(key, self.tried)
            far: amount = self.away(wanted, self.tried)
            if nearest == NOBODY or far < least:
                nearest = i
                least = far
            # Of those that change nothing, the one sent longest ago.
            if self.stays() and (same == NOBODY or self.ages[i] > self.ages[same]):
                same = i
        if nearest == NOBODY:
            return NOBODY
        here: amount = self.away(wanted, self.keys.state)
        trembles: level = self.table.trembles if same != NOBODY else 0
        # Where nothing leads nearer and nothing leaves it as it is, silence is better than a wrong key.
        if least + trembles >= here:
            nearest = same
        if nearest != NOBODY:
            self.send(nearest)
        return nearest

    def send(self, place: u8) -> None:
        """That key goes out now."""
        key: KeyTable = self.table.keys.keys[place]
        change_all(key, self.keys.state)
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

    def stays(self) -> bool:
        """Whether what was tried changes nothing."""
        for i in range(len(self.table.keys.places)):
            if self.tried[i] != self.keys.state[i]:
                return False
        return True

    def away(self, wanted: list[i32], state: list[i32]) -> amount:
        """How far the values are from those wanted."""
        sum: amount = 0
        for i in range(len(self.table.keys.places)):
            here: reading = state[i]
            there: reading = wanted[i]
            apart: u16 = abs(here - there)
            far: amount = apart * self.table.weights[i]
            sum += far
        return sum
