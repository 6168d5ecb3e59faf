"""The turns of an end's loop: what a gap in it means, and when the machine ticks.

A loop looks at its clock, at what has arrived and, once a tick, at everything. Nothing tells it for how long
it has not been running: a debugger, a full disk or another program may have held it up, and meanwhile the
line went on filling. What has queued up by then was sent to somebody who was not listening. So after a gap of
a timeout only stops in it count; and a gap that the ends' 16-bit clock could take for a short one is made a
timeout outright."""

from nuvrik.core.levels import clamp
from nuvrik.core.widths import Table, i16, i32, u8, u16

LISTENS = 0
SKIPS = 1
EXPIRES = 2
"""What a turn has to do first: nothing; look through what has queued up for stops, and throw the rest away;
that too, and count the link as silent."""

LONGEST_GAP_MS = 30000
"""The longest time that a link file may have, and less than half of what a 16-bit clock can tell."""


class LoopTable(Table):
    """How often a machine's loop ticks, and how long a silence is a timeout."""

    tick_ms: u16
    timeout_ms: u16


def after_gap(gap_ms: u16, timeout_ms: u16) -> u8:
    """What a turn of either end has to do first, so long after the one before; TIMER_MAX for longer."""
    if gap_ms > LONGEST_GAP_MS:
        return EXPIRES
    return SKIPS if gap_ms >= timeout_ms else LISTENS


def next_due(due_ms: i16, every_ms: u16) -> u16:
    """When something is due again that is overdue: aim at whole intervals, but do not make up for missed
    ones."""
    next: i32 = due_ms + every_ms
    return every_ms if next <= 0 else next


class Loop:
    """One loop. due_ms: how long it is until the next tick."""

    def __init__(self, table: LoopTable) -> None:
        self.table: LoopTable = table
        self.due_ms: i16 = 0

    def turn(self, gap_ms: u16) -> u8:
        """A turn begins, so long after the one before: what after_gap says of that."""
        left: i32 = self.due_ms - gap_ms
        self.due_ms = clamp(left, -32768, 32767)
        return after_gap(gap_ms, self.table.timeout_ms)

    def ticks(self) -> bool:
        """Whether the machine ticks in this turn."""
        if self.due_ms > 0:
            return False
        self.due_ms = next_due(self.due_ms, self.table.tick_ms)
        return True
