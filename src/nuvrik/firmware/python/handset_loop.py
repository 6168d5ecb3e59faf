"""The handset's end of a link, turn by turn: it hands readings to core, and what core makes of them to the
board. Nothing is decided here, and in a turn nothing is allocated."""

from nuvrik import wiring
from nuvrik.core.handset_end import HandsetEnd
from nuvrik.core.loop import after_gap
from nuvrik.guard import Guard
from nuvrik.tables import link
from nuvrik.wiring import board

LISTENS = 0
EXPIRES = 2
"""As in core/loop.py."""

READ_MS = 5
"""How often controls are read: several times while a contact bounces, and before every frame."""


class HandsetLoop(Guard):
    """One handset. ``before_frame``: the builder's own function, called when controls have been read and
    before anything is made of them."""

    def __init__(self):
        super().__init__()
        self.end = HandsetEnd(link)
        self.sender = self.end.writer.sender
        self.before_frame = None
        self.inputs = wiring.inputs()
        self.knobs = wiring.knobs()
        self.line = wiring.line(self)
        self.end.begin(board.start()[1])
        self.begin()
        self.read_ms = self.before_ms
        self.leaving = False
        self.left_ms = 0

    def turn(self):
        """One turn: what has come back, controls, and the frame that is due."""
        end = self.end
        now_ms = board.now_ms()
        first = after_gap(self.gap_to(now_ms), wiring.TIMEOUT_MS)
        if first == EXPIRES:
            end.expire(now_ms & 0xFFFF)
        else:
            end.pass_time(now_ms & 0xFFFF)
        self.line.listen(first == LISTENS)
        for at, a, b in self.knobs:
            end.turn(at, a() != 0, b() != 0)
        if board.since(now_ms, self.read_ms) >= READ_MS:
            self.read_ms = now_ms
            for control, read in self.inputs:
                raw = read()
                if raw is not None:
                    end.read(control, raw)
            if self.before_frame is not None:
                self.guarded(self.before_frame)
                if not self.failing:
                    end.press_stop(False)
            end.have_read()
        self.line.send()
        board.alive()

    def obey(self):
        """What comes back moves nothing here."""

    def stop(self):
        """What the builder's own code reads cannot be relied on: while it fails, a stop is pressed."""
        self.end.press_stop(True)

    def leave(self):
        """One turn on the way out: everything at rest and arm off. True once that has been sent for as long
        as a machine needs to believe it, and two frames more."""
        if not self.leaving:
            self.leaving = True
            self.left_ms = board.now_ms()
            self.end.leave()
        self.turn()
        return board.since(board.now_ms(), self.left_ms) > wiring.TIMEOUT_MS + 2 * wiring.PERIOD_MS
