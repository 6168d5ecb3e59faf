"""One character or one number for each action, as a terminal or the plainest radio can send.

The machine's end keeps a value for each channel, all at rest and off at first; after a stop and after any
silence so again, but for places, which stay. Each key changes some of them and is a command with all of them,
so that the failsafe sees the whole and not a change. A key held down keeps the link alive, and a key let go
ends in silence.

A place (what a servo goes to) is only moved by a key that the machine follows. Whatever the failsafe swallows
changes none, and the first key that is followed moves on from the place commanded last.
"""

from nuvrik.core.levels import clamp
from nuvrik.core.widths import Table, i32, level, reading, span, u8


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
    """All keys of a link. channels: for each, whether it is a place."""

    keys: list[KeyTable]
    channels: list[bool]


class Keys:
    """The values at one end: what was commanded last, and of places what was followed last."""

    def __init__(self, table: KeysTable) -> None:
        self.table: KeysTable = table
        self.state: list[i32] = [0] * len(table.channels)
        self.kept: list[i32] = [0] * len(table.channels)

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
                for change in key.changes:
                    before: reading = self.state[change.place] if change.adds else 0
                    self.state[change.place] = clamp(change.value + before, change.low, change.high)
        for i in range(len(self.table.channels)):
            values[i] = self.state[i]

    def told(self, followed: bool) -> None:
        """Whether the machine follows what was commanded last."""
        for i in range(len(self.table.channels)):
            if followed:
                self.kept[i] = self.state[i]
            elif self.table.channels[i]:
                self.state[i] = self.kept[i]

    def forget(self) -> None:
        """Everything at rest and off again, but for places."""
        for i in range(len(self.table.channels)):
            self.state[i] = self.kept[i] if self.table.channels[i] else 0
