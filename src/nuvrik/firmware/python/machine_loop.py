"""The machine's end of a link, turn by turn: it hands what arrives to core, and what core decides to the
board. Nothing is decided here, and in a turn nothing is allocated."""

from nuvrik import wiring
from nuvrik.core.loop import Loop
from nuvrik.core.machine_end import MachineEnd
from nuvrik.guard import Guard
from nuvrik.tables import link
from nuvrik.wiring import board

LISTENS = 0
EXPIRES = 2
ARMED = 2
"""As in core/loop.py and core/watch.py."""


class MachineLoop(Guard):
    """One machine. ``before_outputs``: the builder's own function, called at every tick when it is decided
    what every output does and before a pin is written; ``calls``: what carries out requests, None where
    there are none."""

    def __init__(self):
        self.end = MachineEnd(link)
        self.sender = self.end.sender
        self.loop = Loop(link.loop)
        self.before_outputs = None
        self.calls = wiring.calls(self)
        self.outputs = wiring.outputs(self)
        self.inputs = wiring.inputs()
        self.line = wiring.line(self)
        why, low, high = board.start()
        self.end.begin(low, high, why)
        self.begin()

    def turn(self):
        """One turn: what has arrived, and once a tick inputs, the builder's own code and outputs."""
        end = self.end
        now_ms = board.now_ms()
        first = self.loop.turn(self.gap_to(now_ms))
        if first == EXPIRES:
            end.expire(now_ms & 0xFFFF)
        else:
            end.pass_time(now_ms & 0xFFFF)
        if first == LISTENS:
            self.line.listen(True)
        else:
            end.skip(True)
            self.line.listen(True)
            end.skip(False)
        if self.loop.ticks():
            self.tick(end)
        self.line.send()

    def tick(self, end):
        """Everything that is done once a tick. The watchdog is fed here, after all of it, and nowhere
        else."""
        for item, read in self.inputs:
            raw = read()
            if raw is not None:
                end.telling.take(item, raw)
        if self.calls is not None:
            self.calls.go_on()
        end.turn()
        if self.before_outputs is not None:
            self.guarded(self.before_outputs)
        self.outputs.write()
        self.outputs.go_on()
        board.alive()

    def obey(self):
        """Something has been accepted: outputs first, then the builder's own code."""
        self.outputs.write()
        if self.calls is not None and self.end.calls:
            self.calls.begin()

    def stop(self):
        """Stop whatever moves: outputs first."""
        self.end.machine.stop()
        self.end.told = True
        self.outputs.write()

    def leave(self):
        """One turn on the way out: nobody is listened to, and everything comes to rest as after a loss. True
        once it has."""
        end = self.end
        now_ms = board.now_ms()
        self.loop.turn(self.gap_to(now_ms))
        end.pass_time(now_ms & 0xFFFF)
        if end.machine.watch.state == ARMED:
            end.expire(now_ms & 0xFFFF)
        if self.loop.ticks():
            end.turn()
            self.outputs.write()
            self.outputs.go_on()
            board.alive()
        return self.outputs.at_rest()

    def at_rest(self):
        """Whether nothing is driven."""
        return self.outputs.at_rest()

    def spare_ms(self):
        """How long it is until something is due."""
        return self.loop.due_ms


def made(watchdog):
    """The loop, ready to be turned."""
    loop = MachineLoop()
    if watchdog:
        board.guard(wiring.WATCHDOG_MS)
    return loop
