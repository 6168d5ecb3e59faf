"""Simulated motors: what a duty does to a shaft."""

import math


class SimMotor:
    """A motor with stiction, of the first order.

    ``breakaway`` is the duty (fraction of full) that gets it going, ``kinetic`` what is lost to
    friction while it turns, ``bend`` how speed follows the duty beyond that (1: in proportion),
    ``top`` its speed at full duty in turns a second, ``lag_ms`` its time constant.
    """

    def __init__(
        self,
        *,
        breakaway: float = 0.16,
        kinetic: float = 0.1,
        bend: float = 1.0,
        top: float = 20.0,
        lag_ms: float = 120.0,
    ) -> None:
        self._breakaway, self._kinetic, self._bend = breakaway, kinetic, bend
        self._top, self._lag_ms = top, lag_ms
        self.speed = 0.0
        self.turns = 0.0
        self._dt_ms, self._nearer = 0.0, 0.0
        """How much nearer it comes to the speed it is led to, in the time it was last driven for."""

    def settled(self, duty: float, *, turning: bool) -> float:
        """The speed that a duty (-1 to 1) leads to, from rest or while already turning."""
        size = abs(duty)
        if size <= (self._kinetic if turning else self._breakaway):
            return 0.0
        share = ((size - self._kinetic) / (1 - self._kinetic)) ** self._bend
        return math.copysign(self._top * share, duty)

    def run(self, duty: float, dt_ms: float) -> float:
        """Drive it for ``dt_ms``; gives its speed in turns a second."""
        if duty == 0 and self.speed == 0:
            return 0.0
        if dt_ms != self._dt_ms:
            self._dt_ms, self._nearer = dt_ms, 1 - math.exp(-dt_ms / self._lag_ms)
        goal = self.settled(duty, turning=abs(self.speed) > 0.02 * self._top)
        self.speed += (goal - self.speed) * self._nearer
        if goal == 0 and abs(self.speed) < 0.02 * self._top:
            self.speed = 0.0
        self.turns += self.speed * dt_ms / 1000
        return self.speed
