"""How fast what turns may follow what is asked of it, and when it may turn the other way."""

from nuvrik.levels import FRACTION_BITS, TIMER_MAX, Slew


class Ramp(Slew):
    """A slew that rests before it reverses: for what turns.

    ``pause_ms`` is the least time at rest between the two directions. A move across zero stops at
    zero, and the pause begins at that tick.
    """

    def __init__(self, ramp_ms: int, pause_ms: int) -> None:
        super().__init__(ramp_ms)
        self._pause_ms = pause_ms
        self._last_sign = 0
        # At power-up it has been at rest for longer than any pause.
        self._at_rest_ms = TIMER_MAX

    def pause_left(self, target: int) -> int:
        """Milliseconds still to rest before it may turn towards ``target``."""
        if self.fine or target * self._last_sign >= 0:
            return 0
        return max(0, self._pause_ms - self._at_rest_ms)

    def halt(self) -> None:
        """At once to zero, without a ramp."""
        if self.fine:
            self.fine = 0
            self._at_rest_ms = 0

    def towards(self, target: int, dt_ms: int) -> bool:
        """Move towards ``target`` (a level) for ``dt_ms``; whether it moved at all."""
        here = self.fine
        if here == 0:
            self._at_rest_ms += dt_ms
            if target == 0 or self.pause_left(target):
                return False
        elif target << FRACTION_BITS == here:
            return False
        goal = self.reached(target << FRACTION_BITS, dt_ms)
        # However long the tick, it never passes zero in one: the pause has to begin there.
        if (here > 0 > goal) or (here < 0 < goal):
            goal = 0
        self.fine = goal
        if goal:
            self._last_sign = 1 if goal > 0 else -1
        else:
            self._at_rest_ms = 0
        return True
