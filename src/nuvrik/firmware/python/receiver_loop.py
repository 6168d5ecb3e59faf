"""The machine's end of a remote control's link, turn by turn: marks and spaces in, pins out. Nothing is
decided here, and in a turn nothing is allocated."""

from nuvrik import wiring
from nuvrik.core.loop import Loop
from nuvrik.core.receiver import Receiver
from nuvrik.guard import Guard
from nuvrik.tables import link
from nuvrik.wiring import board

EXPIRES = 2
ARMED = 2
"""As in core/loop.py and core/watch.py."""

MOST_EDGES = 64
"""Noise, such as a lamp makes, is read a bounded amount a turn, so that it cannot keep a tick from coming."""


class ReceiverLoop(Guard):
    """One receiver. ``before_outputs``: the builder's own function, called at every tick when it is decided
    what every output does and before a pin is written."""

    def __init__(self):
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
        now_ms = board.now_ms()
        if self.loop.turn(self.gap_to(now_ms)) == EXPIRES:
            end.expire(now_ms & 0xFFFF)
        else:
            end.pass_time(now_ms & 0xFFFF)
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

    def stop(self):
        """Stop whatever moves."""
        self.end.machine.stop()
        self.outputs.write_all()

    def leave(self):
        """One turn on the way out, in which everything comes to rest as after a loss. True once it has."""
        end = self.end
        now_ms = board.now_ms()
        self.loop.turn(self.gap_to(now_ms))
        end.pass_time(now_ms & 0xFFFF)
        if end.machine.watch.state == ARMED:
            end.expire(now_ms & 0xFFFF)
        if self.loop.ticks():
            end.turn()
            self.outputs.write_all()
            board.alive()
        return self.at_rest()

    def at_rest(self):
        """Whether nothing is driven."""
        return self.outputs.at_rest()

    def spare_ms(self):
        """How long it is until something is due."""
        return self.loop.due_ms


def made(watchdog):
    """The loop, ready to be turned."""
    loop = ReceiverLoop()
    if watchdog:
        board.guard(wiring.WATCHDOG_MS)
    return loop
