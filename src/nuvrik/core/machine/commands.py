"""What an accepted command is for the failsafe: a drive frame or not, at rest or not.

A channel is required if it feeds something that turns and is not optional. A command without a reading of a
required channel is no drive frame: it is no sign of life, and keeps nothing moving. An optional channel that
turns something enters as zero while it has no reading, and has a say again only once it has been read at
rest: a stick that comes back hard over must start nothing. What feeds only places is nobody's business here:
a place without a reading stays (``outputs``)."""

from nuvrik.core.levels import NO_READING, NOBODY
from nuvrik.core.widths import Table, i32, level, u8


class CommandTable(Table):
    """What the channels of a link are to the failsafe. arm: the place of the one that arms, NOBODY for none;
    required: the places of those without whose reading nothing turns; optional: those of the others that turn
    something; band: how far from zero still is at rest."""

    arm: u8
    band: level
    required: list[u8]
    optional: list[u8]


class Commands:
    """Sorts the commands of one link. arm: whether it is on; missing: the place of the first required channel
    that has no reading; moved: of the first that turns something and is not at rest. NOBODY: there is
    none."""

    def __init__(self, table: CommandTable) -> None:
        self.table: CommandTable = table
        self.arm: bool = False
        self.missing: u8 = NOBODY
        self.moved: u8 = NOBODY
        self.unready: u8 = len(table.optional)
        self.ready: list[bool] = [False] * len(table.optional)

    def sort(self, values: list[i32]) -> None:
        """Say what a command is."""
        table: CommandTable = self.table
        band: level = table.band
        self.arm = table.arm != NOBODY and values[table.arm] != 0
        self.missing = NOBODY
        self.moved = NOBODY
        # Optional channels first: their readiness has to be followed in every command, drive frame or not.
        if len(table.optional) != 0:
            self.look_at_optional(values)
        for i in range(len(table.required)):
            place: u8 = table.required[i]
            value: i32 = values[place]
            if value == NO_READING:
                self.missing = place
                self.moved = NOBODY
                return
            # Of several that are not at rest the first is named: one is enough to act on.
            if self.moved == NOBODY and (value > band or value < -band):
                self.moved = place

    def look_at_optional(self, values: list[i32]) -> None:
        """Follow which of the optional channels have a say."""
        band: level = self.table.band
        self.unready = 0
        for i in range(len(self.table.optional)):
            place: u8 = self.table.optional[i]
            value: i32 = values[place]
            if value == NO_READING:
                self.ready[i] = False
            elif value <= band and value >= -band:
                self.ready[i] = True
            elif self.moved == NOBODY:
                self.moved = place
            if not self.ready[i]:
                self.unready += 1

    def enter(self, values: list[i32]) -> None:
        """Let what has no say enter the mix as zero."""
        if self.unready == 0:
            return
        for i in range(len(self.table.optional)):
            if not self.ready[i]:
                values[self.table.optional[i]] = 0
