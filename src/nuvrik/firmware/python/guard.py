"""What keeps the builder's own code from doing harm, and lets an end run for ever."""

import gc

from nuvrik.wiring import board

MOST_GAP_MS = 65535
"""More than a timer of core counts."""

TIDY_MS = 1000
"""How often what the builder's own code has left is collected. Core leaves nothing."""


class Guard:
    """What both ends have in common. ``run`` turns for ever."""

    def begin(self):
        """Everything else is ready."""
        self.before_ms = board.now_ms()
        self.tidied_ms = self.before_ms
        self.tidying_ms = 0
        self.failing = None

    def gap_to(self, now_ms):
        """How long it is since the last turn."""
        gap_ms = board.since(now_ms, self.before_ms)
        self.before_ms = now_ms
        return gap_ms if gap_ms < MOST_GAP_MS else MOST_GAP_MS

    def guarded(self, function, given=None):
        """Call a function of the builder's own. What it raises is told, once until it does better, and stops
        whatever moves; None then."""
        board.watch(True)
        try:
            back = function() if given is None else function(given)
            if self.failing is function:
                self.failing = None
                self.better()
            return back
        except Exception as error:
            board.watch(False)
            self.stop()
            if self.failing is not function:
                self.failing = function
                board.tell(error)
            return None
        finally:
            board.watch(False)

    def better(self):
        """A function that failed does so no more."""

    def tidy(self):
        """Collect garbage, but only while there is more time for it than it took the last time; where a
        collection takes longer than a tick, only while nothing moves."""
        now_ms = board.now_ms()
        if board.since(now_ms, self.tidied_ms) < TIDY_MS:
            return
        if self.spare_ms() > self.tidying_ms + 1 or self.at_rest():
            gc.collect()
            self.tidied_ms = board.now_ms()
            self.tidying_ms = board.since(self.tidied_ms, now_ms)

    def run(self):
        """Turn for ever. However that ends, everything comes to rest."""
        gc.collect()
        try:
            while not board.leaves():
                self.turn()
                self.tidy()
                board.idle()
        finally:
            while not self.leave():
                board.idle()
