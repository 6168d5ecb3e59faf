"""The machine's end of a remote control's link, turn by turn: marks and spaces in, pins out. Nothing is
decided here, and in a turn nothing is allocated."""

from nuvrik import wiring
from nuvrik.core.loop import Loop
from nuvrik.core.receiver import Receiver
from nuvrik.moving import Moving
from nuvrik.tables import link
from nuvrik.wiring import board

MOST_EDGES = 64
"""Noise, such as a lamp makes, is read a bounded amount a turn, so that it cannot keep a tick from coming."""


class ReceiverLoop(Moving):
    """One receiver. ``before_outputs``: the builder's own function, called at every tick when it is decided
    what every output does and before a pin is written."""

    def __init__(self):
        super().__init__()
        self.end = Receiver(link)
        self.loop = Loop(link.loop)
        self.before_outputs = None
        self.outputs = wiring.outputs(self)
        self.edges, self.marks_high = wiring.edges()
        board.start()
        self.end.begin()
        self.begin()

    def turn(self):
        """One turn."""
        end, edges = self.end, self.edges
        self.pass_time()
        for _ in range(MOST_EDGES):
            us = edges.next()
            if us == 0:
                break
            end.take(edges.high == self.marks_high, us)
        if self.loop.ticks():
            end.turn()
            if self.before_outputs is not None:
                self.guarded(self.before_outputs)
            self.outputs.write_all()
            board.alive()
