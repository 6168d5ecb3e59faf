"""What a machine and a remote control's receiver have in common: they tick, and they come to rest."""

from nuvrik.guard import Guard
from nuvrik.wiring import board

EXPIRES = 2
ARMED = 2
"""As in core/loop.py and core/watch.py."""


class Moving(Guard):
    """An end with outputs: ``end``, its ``loop`` and its ``outputs``."""

    def pass_time(self):
        """Let it be now, as a turn begins: what core/loop.py says of the gap before it."""
        now_ms = board.now_ms()
        first = self.loop.turn(self.gap_to(now_ms))
        if first == EXPIRES:
            self.end.expire(now_ms & 0xFFFF)
        else:
            self.end.pass_time(now_ms & 0xFFFF)
        return first

    def stop(self):
        """Stop whatever moves."""
        self.end.stop()
        self.outputs.write_all()

    def own_stop(self, why):
        """The builder's own code stops it, with a number."""
        self.end.own_stop(why)
        self.outputs.write_all()

    def looks_off(self):
        """Whether every pin of an output is off."""
        return self.outputs.looks_off()

    def put_off(self):
        """Every output off, at once and without a ramp."""
        self.end.machine.outputs.halt()
        self.outputs.write_all()
        self.outputs.put_off()

    def leave(self):
        """One turn on the way out: nobody is listened to, and everything comes to rest as after a loss. True
        once it has."""
        self.pass_time()
        if self.end.machine.watch.state == ARMED:
            self.end.expire(self.before_ms & 0xFFFF)
        if self.loop.ticks():
            self.end.turn()
            self.outputs.write_all()
            board.alive()
        return self.at_rest()

    def at_rest(self):
        """Whether nothing is driven."""
        return self.outputs.at_rest()

    def spare_ms(self):
        """How long it is until the next tick."""
        return self.loop.due_ms
