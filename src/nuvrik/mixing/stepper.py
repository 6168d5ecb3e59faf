"""A stepper: its rate, its count of steps, and a move that comes out right to the step.

How a move by steps lands exactly. A rate and a ramp alone cannot do it: rates are whole numbers and the loop
looks only once a tick, so a move that only watches how far it still is overshoots and creeps back. Two things
together can. At each tick the stepper takes the greatest level from which it can still come to rest before
the goal, worked out with every rounding counted against it (:meth:`Stepper.reach`); and the demand carries
how many steps there are left, beyond which the pulse generator gives no pulse, so that a late tick cannot
turn the shaft too far. What was tried and given up: braking by the square root of the way left, which is
right in continuous time, overshot by up to 644 steps at 65,535 steps a second.
"""

from nuvrik.core.ramp import Ramp, change
from nuvrik.levels import FULL, div
from nuvrik.mixing.demand import FOLLOW, Demand, Mode
from nuvrik.plan.form.outputs import StepperOutput
from nuvrik.plan.tables import ramp_table

WHOLE = 1000
"""The count is kept in thousandths of a step, because a tick is seldom a whole number of steps."""

LONGEST_TICK_MS = 1000
"""A longer time since the last tick is not planned for: the move slows down from there, and lands all the
same, because no pulse is given beyond its goal."""


class Stepper:
    """Turns in steps at a rate either way about zero. It counts the steps it has been told to turn.

    Call :meth:`count_on` with the time gone by before :meth:`tick`: what was turned in that time was turned
    at the rate told before.
    """

    def __init__(self, name: str, model: StepperOutput) -> None:
        self.name = name
        self.ramp = Ramp(ramp_table(model.ramp_ms, model.reverse_pause_ms))
        self._rate_max, self._ramp_ms = model.rate_max, model.ramp_ms
        self.travelled = 0
        """Thousandths of a step turned since power-up, in the positive direction positive."""
        self._goal: int | None = None
        self._sign = -1 if model.reverse else 1
        self._off = self.demand = Demand(name, 0, 0, 0, False)

    def count_on(self, dt_ms: int) -> None:
        """Count the steps of the time gone by; in a move, none beyond its goal."""
        if not self.demand.value:
            return
        gone = self.demand.signed * self._sign * dt_ms
        if self._goal is not None:
            left = self._goal - self.travelled
            if left * gone >= 0:
                gone = min(gone, left) if gone > 0 else max(gone, left)
        self.travelled += gone

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """Follow ``target`` if the mode lets it, else come to rest."""
        # In a move the demand is made anew even at one rate, because what is left to turn has changed.
        turned = self.ramp.towards((target or 0) if mode is FOLLOW else 0, dt_ms)
        if turned or self._goal is not None:
            level = self.ramp.at()
            rate = self._rate_of(abs(level))
            direction = self._sign if level > 0 else -self._sign
            self.demand = (
                Demand(self.name, level, rate, direction, True, steps_left=self._steps_left(level))
                if rate
                else self._off
            )
        return self.demand

    @property
    def steps(self) -> int:
        """Whole steps turned since power-up."""
        return div(self.travelled, WHOLE)

    # ---- a move by steps ----

    def go_to(self, goal: int) -> None:
        """From now on, turn no further than a place in thousandths of a step. Begin from rest."""
        self._goal = goal

    def let_go(self) -> None:
        """The move is over, or must not go on."""
        self._goal = None

    @property
    def arrived(self) -> bool:
        """Whether it stands at the goal."""
        return self.travelled == self._goal and self.ramp.fine == 0

    def wanted(self, dt_ms: int) -> int:
        """The level towards the goal for the next ``dt_ms``: the greatest, of those that the ramp can reach
        in that time, from which it can still stop there; at least that of one step a second."""
        left = (self.travelled if self._goal is None else self._goal) - self.travelled
        now = self.ramp.at()
        if left == 0 or now * left < 0:
            return 0
        dt_ms = min(max(dt_ms, 1), LONGEST_TICK_MS)
        size, here, most = abs(left), abs(now), change(self.ramp.table, dt_ms)
        low, top = max(0, here - most), min(FULL, here + most)
        if self.reach(top, dt_ms) > size:
            # By halving: the way to rest only grows with the level.
            while low < top:
                middle = (low + top + 1) // 2
                if self.reach(middle, dt_ms) <= size:
                    low = middle
                else:
                    top = middle - 1
        least = (FULL // 2 - 1 + self._rate_max) // self._rate_max
        top = max(top, least)
        return top if left > 0 else -top

    def reach(self, level: int, dt_ms: int) -> int:
        """At most how many thousandths of a step pass at a level (0 to FULL) for ``dt_ms`` and then down the
        ramp to rest. One step a second more than the rate pays for the rounding of every rate on the way."""
        down_ms = -(-level * self._ramp_ms // FULL)
        # A triangle of down_ms and a block of dt_ms; the block counts in full.
        return -(-(self._rate_of(level) + 1) * (down_ms + 2 * dt_ms) // 2)

    def halt(self) -> None:
        """To rest at once, without a ramp."""
        self.ramp.halt()
        self.demand = self._off

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        pause_ms = self.ramp.pause_left(target or 0)
        if mode is FOLLOW and pause_ms:
            return f"reversing: {pause_ms} ms of pause left"
        if self.demand.value:
            return f"turning at {self.demand.signed} steps/s"
        return "asked to rest" if mode is FOLLOW else "at rest"

    def _rate_of(self, level: int) -> int:
        return div(level * self._rate_max, FULL)

    def _steps_left(self, level: int) -> int | None:
        """The whole steps up to the goal, in the direction of a level; None where there is no goal."""
        if self._goal is None:
            return None
        if level > 0:
            return max(0, self._goal // WHOLE - self.travelled // WHOLE)
        return max(0, -(-self.travelled // WHOLE) + (-self._goal) // WHOLE)
