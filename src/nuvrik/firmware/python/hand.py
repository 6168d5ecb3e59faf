"""What a handset does besides turning: it stops while the builder's own code fails, and takes leave."""

from nuvrik.guard import Guard
from nuvrik.wiring import board


class Hand(Guard):
    """A handset."""

    def read_own(self):
        """What the builder's own code reads."""
        self.guarded(self.before_frame)
        if not self.failing:
            self.end.press_stop(False)

    def stop(self):
        """What the builder's own code reads cannot be relied on: while it fails, a stop is pressed."""
        self.end.press_stop(True)

    def leave(self):
        """One turn on the way out: everything at rest and arm off. True once that has been sent for as long
        as a machine needs to believe it."""
        now_ms = board.now_ms()
        return self.loop.leave(now_ms & 0xFFFF, self.gap_to(now_ms))
