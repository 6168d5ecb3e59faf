"""A train of pulses on a pin."""

ACCEPTED = 1
"""As in core/sealed.py."""

MOST_EDGES = 64
"""Noise is read a bounded amount a turn, so that it cannot keep a tick from coming."""


class Slots:
    """The slots of a train: from the start of each pulse to that of the next."""

    def __init__(self, loop, edges, active_high):
        self.loop, self.edges, self.active_high = loop, edges, active_high
        self.slot_us = 0

    def listen(self, hears):
        """Take what has come."""
        edges, loop = self.edges, self.loop
        end = loop.end
        for _ in range(MOST_EDGES):
            us = edges.next()
            if us == 0:
                return
            self.slot_us = us + self.slot_us if us + self.slot_us < 65535 else 65535
            if edges.high != self.active_high:
                slot_us = self.slot_us
                self.slot_us = 0
                if end.slot(slot_us) == ACCEPTED:
                    loop.obey()

    def send(self):
        """A train goes one way."""
