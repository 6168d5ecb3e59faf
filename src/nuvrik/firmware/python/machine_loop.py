"""The machine's end of a link, turn by turn: it hands what arrives to core, and what core decides to the
board. Nothing is decided here, and in a turn nothing is allocated."""

from nuvrik import wiring
from nuvrik.core.loop import Loop
from nuvrik.core.machine_end import MachineEnd
from nuvrik.moving import Moving
from nuvrik.tables import link
from nuvrik.wiring import board

LISTENS = 0
"""As in core/loop.py."""


class MachineLoop(Moving):
    """One machine. ``before_outputs``: the builder's own function, called at every tick when it is decided
    what every output does and before a pin is written; ``calls``: what carries out requests, None where
    there are none."""

    def __init__(self):
        super().__init__()
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
        if self.pass_time() == LISTENS:
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
