"""What keeps the builder's own code from doing harm, and lets an end run for ever."""

import gc

from nuvrik import wiring
from nuvrik.wiring import board

MOST_GAP_MS = 65535
"""More than a timer of core counts."""

TIDY_MS = 1000
"""How often what the builder's own code has left is collected. Core leaves nothing."""


class Own:
    """The builder's own code, as core calls it: through what keeps it from doing harm."""

    def __init__(self, link):
        self.link = link

    def before_outputs(self):
        """At every tick."""
        if self.link.before_outputs is not None:
            self.link.guarded(self.link.before_outputs)

    def before_frame(self):
        """When controls have been read."""
        if self.link.before_frame is not None:
            self.link.read_own()

    def call(self, call):
        """Carry out a request."""
        return self.link.calls.call(call)


class Guard:
    """What all ends have in common. ``run`` turns for ever. ``made``: makes the loop of core, given what it
    calls of the builder's own code; ``around``: the board. ``before_outputs`` and ``before_frame``: the
    builder's own functions; ``calls``: what carries out requests."""

    before_outputs = before_frame = calls = None

    def __init__(self, made, around):
        self.failing = []
        self.tidying_ms = 0
        self.around = around
        self.loop = made(Own(self))
        self.end = getattr(self.loop, "end", None)
        self.loop.begin()
        self.before_ms = board.now_ms()
        self.tidied_ms = self.before_ms

    def turn(self):
        """One turn."""
        now_ms = board.now_ms()
        self.loop.turn(now_ms & 0xFFFF, self.gap_to(now_ms))

    def watched(self, watchdog):
        """From now on a loop that hangs is noticed. Until it turns for the first time the watchdog is fed for
        as long as every output is off: whatever is set up before that may take its time."""
        if watchdog:
            board.guard(wiring.WATCHDOG_MS)
            board.feed_while(self.looks_off)
        return self

    def gap_to(self, now_ms):
        """How long it is since the last turn."""
        gap_ms = board.since(now_ms, self.before_ms)
        self.before_ms = now_ms
        return gap_ms if gap_ms < MOST_GAP_MS else MOST_GAP_MS

    # ---- the builder's own code ----

    def read_own(self):
        """What it reads."""
        self.guarded(self.before_frame)

    def stop(self):
        """What does not move has nothing to stop: a remote that sends nothing is silence."""

    def guarded(self, function, given=None):
        """Call a function of the builder's own, and give what it gives. What it raises stops whatever moves,
        and then is told, once until it does better; None then."""
        error = back = None
        board.watch(True)
        try:
            back = function() if given is None else function(given)
        except KeyboardInterrupt:
            # Somebody wants this end to stop turning, and not the function to do better.
            board.watch(False)
            raise
        except BaseException as raised:
            error = raised
        finally:
            board.watch(False)
        if error is None:
            if function in self.failing:
                self.failing.remove(function)
            return back
        self.stop()
        if function not in self.failing:
            self.failing.append(function)
            board.tell(error)
        return None

    # ---- for ever ----

    def tidy(self):
        """Collect garbage, but only while there is more time for it than it took the last time; where a
        collection takes longer than a tick, only while nothing moves."""
        now_ms = board.now_ms()
        if board.since(now_ms, self.tidied_ms) < TIDY_MS:
            return
        if self.at_rest() or self.spare_ms() > self.tidying_ms + 1:
            gc.collect()
            self.tidied_ms = board.now_ms()
            self.tidying_ms = board.since(self.tidied_ms, now_ms)

    def at_rest(self):
        """Whether nothing is driven. Where nothing moves, nothing ever is."""
        return True

    def leave(self):
        """One turn on the way out. True once everything is put away."""
        return True

    def looks_off(self):
        """Whether every pin of an output is at the level at which nothing is on. Where there are none,
        always."""
        return True

    def put_off(self):
        """Every pin of an output off, whatever it was told."""

    def run(self):
        """Turn for ever. However that ends, everything comes to rest, and then every pin is switched off. A
        second Ctrl-C cuts the way to rest short, and nothing cuts short what comes after it. From then on the
        watchdog is fed for as long as every pin stays off, so that files can be copied."""
        gc.collect()
        try:
            while not board.leaves():
                self.turn()
                self.tidy()
                board.idle()
        finally:
            try:
                while not self.leave():
                    board.idle()
            finally:
                self.switch_off()

    def switch_off(self):
        """The last thing that happens, however often it is interrupted."""
        while True:
            try:
                self.put_off()
                board.feed_while(self.looks_off)
                return
            except KeyboardInterrupt:
                pass
