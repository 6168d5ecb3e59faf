"""A remote: keys to codes. One key at a time is sent: of several held, the one pressed last."""

from nuvrik.core.frames.medium import MediumTable
from nuvrik.core.infrared.codes import CodeMaker, CodeTable, KeyCodeTable
from nuvrik.core.infrared.families import NEC_EXTENDED
from nuvrik.core.levels import NOBODY, TIMER_MAX, later
from nuvrik.core.widths import Table, u8, u16

FINGER_MS = 150
"""A key whose reading has not changed for so long is not held any more."""


class RemoteTable(Table):
    """A remote's part of a link. frames: how many a press sends at least; period_ms: from the start of one
    to that of the next; carrier_hz: what a mark is."""

    code: CodeTable
    codes_sent: list[KeyCodeTable]
    frames: u8
    period_ms: u16
    carrier_hz: u16
    medium: MediumTable


class Remote:
    """One remote. pass_time comes first in every call of the loop. order: keys that are held, the one pressed
    last behind; what goes out is in maker."""

    def __init__(self, table: RemoteTable) -> None:
        self.table: RemoteTable = table
        self.maker: CodeMaker = CodeMaker(table.code)
        self.started: bool = False
        self.now_ms: u16 = 0
        self.counted: list[bool] = [False] * len(table.codes_sent)
        self.key_counts: list[u16] = [0] * len(table.codes_sent)
        self.quiet_ms: list[u16] = [TIMER_MAX] * len(table.codes_sent)
        self.order: list[u8] = [0] * len(table.codes_sent)
        self.held: u8 = 0
        self.key: u8 = NOBODY
        self.toggle: u8 = 0
        self.left: u8 = 0
        self.since_ms: u16 = TIMER_MAX

    def pass_time(self, now_ms: u16) -> None:
        """Let it be now_ms. A key that has not come for a while is let go."""
        dt_ms: u16 = (now_ms - self.now_ms) & 0xFFFF if self.started else 0
        self.started = True
        self.now_ms = now_ms
        self.since_ms = later(self.since_ms, dt_ms)
        kept: u8 = 0
        for i in range(self.held):
            key: u8 = self.order[i]
            self.quiet_ms[key] = later(self.quiet_ms[key], dt_ms)
            if self.quiet_ms[key] < FINGER_MS:
                self.order[kept] = key
                kept += 1
        self.held = kept

    def read(self, key: u8, count: u16) -> None:
        """How often a key has arrived so far, modulo 65536."""
        arrives: bool = self.counted[key] and count != self.key_counts[key]
        self.counted[key] = True
        self.key_counts[key] = count
        if arrives:
            self.hold(key)

    def hold(self, key: u8) -> None:
        """A key is down, or arrives again. It is let go once that has not been said for a while, so that a
        contact may bounce."""
        if not self.is_held(key):
            self.order[self.held] = key
            self.held += 1
        self.quiet_ms[key] = 0

    def is_held(self, key: u8) -> bool:
        """Whether a key is held."""
        for i in range(self.held):
            if self.order[i] == key:
                return True
        return False

    def send(self) -> bool:
        """Make the frame that begins now, if one does: into maker."""
        if self.left == 0 and (self.key == NOBODY or not self.is_held(self.key)):
            self.key = NOBODY
        next: u8 = self.key
        if self.left == 0:
            # A press is sent whole; then it is the turn of the key pressed last.
            last: u8 = self.held - 1 if self.held > 0 else 0
            next = self.order[last] if self.held > 0 else NOBODY
        if next == NOBODY or self.since_ms < self.table.period_ms:
            return False
        # Let go and pressed again is a fresh press only if the frames of the one before are out.
        fresh: bool = next != self.key
        if fresh:
            self.key = next
            self.toggle ^= 1
            self.left = self.table.frames
        if self.left > 0:
            self.left -= 1
        self.since_ms = 0
        if not fresh and self.table.code.protocol <= NEC_EXTENDED:
            self.maker.again()
        else:
            self.maker.key(self.table.codes_sent[next], self.toggle)
        return True
