"""How fast an output may follow what is asked of it, and when it may turn the other way."""

from nuvrik.levels import FULL, TIMER_MAX

FRACTION_BITS = 10
"""The position is kept this much finer than a level, so that slow ramps do not stand still."""

_FULL_FINE = FULL << FRACTION_BITS


class Ramp:
    """A level that moves towards its target at a limited rate and rests before it reverses.

    ``ramp_ms`` is the time from 0 to FULL (0: at once), ``pause_ms`` the least time at rest between
    the two directions. A move across zero stops at zero, and the pause begins at that tick.
    """

    def __init__(self, ramp_ms: int, pause_ms: int) -> None:
        self._rate = -(-_FULL_FINE // ramp_ms) if ramp_ms else 0
        self._dt_most = 2 * ramp_ms
        self._pause_ms = pause_ms
        self._fine = 0
        self._last_sign = 0
        self._at_rest_ms = TIMER_MAX

    @property
    def level(self) -> int:
        """Where it is now, towards zero from the finer position."""
        return self._fine >> FRACTION_BITS if self._fine >= 0 else -(-self._fine >> FRACTION_BITS)

    @property
    def moving(self) -> bool:
        """Whether it is away from zero."""
        return self._fine != 0

    def pause_left(self, target: int) -> int:
        """Milliseconds still to rest before it may turn towards ``target``."""
        if self._fine or target * self._last_sign >= 0:
            return 0
        return max(0, self._pause_ms - self._at_rest_ms)

    def halt(self) -> None:
        """At once to zero, without a ramp."""
        if self._fine:
            self._fine = 0
            self._at_rest_ms = 0

    def towards(self, target: int, dt_ms: int) -> bool:
        """Move towards ``target`` (a level) for ``dt_ms``; whether it moved at all."""
        here = self._fine
        goal = target << FRACTION_BITS
        if here == 0:
            self._at_rest_ms += dt_ms
            if goal == 0 or self.pause_left(target):
                return False
        elif goal == here:
            return False
        if self._rate:
            # A gap in the loop longer than the whole ramp must not overflow the product.
            reach = self._rate * min(dt_ms, self._dt_most)
            goal = min(goal, here + reach) if goal > here else max(goal, here - reach)
        if (here > 0 > goal) or (here < 0 < goal):
            goal = 0
        self._fine = goal
        if goal:
            self._last_sign = 1 if goal > 0 else -1
        else:
            self._at_rest_ms = 0
        return True
