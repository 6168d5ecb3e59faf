"""Motions that a request begins and that end by themselves: so many steps, back home, a routine."""

from collections.abc import Callable, Generator, Mapping
from math import isqrt
from typing import Protocol

from nuvrik.levels import FULL, clamp, div, level_of
from nuvrik.mixing.others import Stepper

Hook = Callable[..., int | Generator[Mapping[str, float], None, int | None] | None]
"""The user's own code at the machine: called with the request's arguments by name. It returns a whole
number or nothing; or it is a generator that yields, tick by tick, the outputs it moves and how far (-1 to
1), and returns in the end. A generator is closed when the machine leaves ARMED."""


class Refused(Exception):
    """Raised by a hook that does not want to do what it was asked."""


NEAR = 250
"""A move is over once less than a quarter of a step is missing."""


class Motion(Protocol):
    """What a motion must be able to do."""

    value: int
    """What it came to so far."""

    def levels(self, dt_ms: int) -> dict[int, int] | None:
        """The levels of the outputs it moves, by place, for the next tick; None once it is over."""

    def end(self) -> None:
        """It must not go on."""


class StepsMove:
    """A stepper turned to a place: up the ramp, on, and down so that it comes out right. ``goal`` is in
    thousandths of a step since power-up."""

    def __init__(self, place: int, stepper: Stepper, goal: int) -> None:
        self._place, self._stepper, self._goal = place, stepper, goal
        self._start = stepper.travelled
        self.value = 0

    def levels(self, dt_ms: int) -> dict[int, int] | None:
        """Towards the goal, no faster than it can still stop from."""
        stepper, dt_ms = self._stepper, max(dt_ms, 1)
        left = abs(self._goal - stepper.travelled)
        going = abs(stepper.demand.value)
        self.value = div(stepper.travelled - self._start, 1000)
        if left < NEAR and going <= 2 * stepper.rate_least:
            return None
        # v * v = 2 * a * left, with a = rate_max / ramp_ms in steps/s per ms, and left in thousandths.
        ahead = max(0, left - going * dt_ms)
        allowed = isqrt(2 * stepper.rate_max * ahead // max(1, stepper.ramp_ms))
        last = left // dt_ms  # the rate that gets there in one tick
        rate = clamp(min(max(allowed, stepper.rate_least), last), 1, stepper.rate_max)
        level = min(-(-rate * FULL // stepper.rate_max), FULL)
        return {self._place: level if self._goal > stepper.travelled else -level}

    def end(self) -> None:
        """Nothing to put away: the stepper runs down by itself."""


class Routine:
    """The user's generator, a step each tick."""

    def __init__(
        self, generator: Generator[Mapping[str, float], None, int | None], places: Mapping[str, int]
    ) -> None:
        self._generator, self._places = generator, places
        self.value = 0

    def levels(self, dt_ms: int) -> dict[int, int] | None:
        """What it yields. Whatever it raises, and KeyError for an output that there is not."""
        try:
            asked = next(self._generator)
        except StopIteration as over:
            self.value = whole(over.value)
            return None
        return {self._places[name]: clamp(level_of(value), -FULL, FULL) for name, value in asked.items()}

    def end(self) -> None:
        """Close it, so that its ``finally`` runs."""
        self._generator.close()


def whole(value: object) -> int:
    """What a hook returned as the number that a reply carries: 0 for nothing, within 32 bits."""
    return clamp(int(value), -(2**31), 2**31 - 1) if isinstance(value, int) else 0
