"""A rotary encoder: two contacts that open and close a quarter of a period apart.

Together they go through four states, always from one to a neighbour of it, and which neighbour says which way
the knob turns. A contact that bounces goes to and fro between two neighbours and comes out even, so nothing
has to settle. Two quarters at once came too quickly to be seen, and nobody knows which way: they do not
count."""

from nuvrik.core.widths import Table, reading, u8


class KnobTable(Table):
    """A knob: the place of its control, and the pins of its contacts. It counts quarters from low to high,
    and begins at start."""

    control: u8
    pin_a: u8
    pin_b: u8
    low: reading
    high: reading
    start: reading


class Knob:
    """One knob: at is what its control reads."""

    def __init__(self, table: KnobTable) -> None:
        self.table: KnobTable = table
        self.at: reading = 0
        self.seen: bool = False
        self.a: bool = False
        self.b: bool = False

    def look(self, a: bool, b: bool) -> None:
        """What its contacts are at now; often enough, and it misses nothing."""
        if not self.seen:
            self.at = self.table.start
        elif (a != self.a) != (b != self.b):
            ahead: bool = a != self.b
            if ahead and self.at < self.table.high:
                self.at += 1
            elif not ahead and self.at > self.table.low:
                self.at -= 1
        self.seen = True
        self.a = a
        self.b = b
