"""What a machine and a remote control's receiver do besides turning: they stop, and they come to rest."""

from nuvrik.guard import Guard
from nuvrik.wiring import board


class Moving(Guard):
    """An end with outputs. ``functions``: what tells each of the builder's own, where no pin is the
    board's."""

    functions = None

    def turn(self):
        """One turn, and what outputs are told."""
        Guard.turn(self)
        self.tell()

    def tell(self):
        """Tell the builder's own outputs what is new."""
        if self.functions is not None:
            self.functions.write()

    def stop(self):
        """Stop whatever moves."""
        self.loop.stop()
        self.tell()

    def own_stop(self, why):
        """The builder's own code stops it, with a number."""
        self.loop.own_stop(why)
        self.tell()

    def looks_off(self):
        """Whether every pin of an output is off."""
        return self.around.looks_off()

    def put_off(self):
        """Every output off, at once and without a ramp."""
        self.loop.halt()
        self.tell()
        self.around.put_off()

    def leave(self):
        """One turn on the way out: nobody is listened to, and everything comes to rest as after a loss. True
        once it has."""
        now_ms = board.now_ms()
        left = self.loop.leave(now_ms & 0xFFFF, self.gap_to(now_ms))
        self.tell()
        return left

    def at_rest(self):
        """Whether nothing is driven."""
        return not self.end.machine.outputs.any_driven()

    def spare_ms(self):
        """How long it is until the next tick."""
        return self.loop.loop.due_ms
