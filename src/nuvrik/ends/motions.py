"""Motions that a request begins and that end by themselves: so many steps, back home, a routine."""

from collections.abc import Callable, Generator, Mapping
from typing import Protocol

from nuvrik.levels import FULL, clamp, div, level_of
from nuvrik.mixing.stepper import WHOLE, Stepper

Hook = Callable[..., int | Generator[Mapping[str, float], None, int | None] | None]
"""The user's own code at the machine: called with the request's arguments by name. It returns a whole
number or nothing; or it is a generator that yields, tick by tick, the outputs it moves and how far (-1 to
1), and returns in the end. A generator is closed when the machine leaves ARMED."""


class RequestRefused(Exception):
    """Raised by a hook that does not want to do what it was asked."""


class Motion(Protocol):
    """What a motion must be able to do."""

    name: str
    """The request whose own code it runs; "" where it runs none."""

    @property
    def value(self) -> int:
        """What it came to so far."""

    def levels(self, dt_ms: int) -> dict[int, int] | None:
        """The levels of the outputs it moves, by place, for the next tick; None once it is over."""

    def let_go(self) -> None:
        """It must not go on: give back what it moves, at once and without running anybody else's code."""

    def end(self) -> None:
        """Clean up behind it, once the outputs have been told. May run the user's own code."""


class StepsMove:
    """A stepper turned by so many steps, or back to where it was at power-up (``steps`` None). It begins once
    the stepper is at rest, and counts from there."""

    name = ""

    def __init__(self, place: int, stepper: Stepper, steps: int | None) -> None:
        self._place, self._stepper, self._steps = place, stepper, steps
        self._start: int | None = None

    def levels(self, dt_ms: int) -> dict[int, int] | None:
        """Towards the goal, no faster than it can still stop from."""
        stepper = self._stepper
        if self._start is None:
            # A move counts from rest: what a hand still turns is not part of it.
            if stepper.ramp.fine != 0:
                return {self._place: 0}
            self._start = stepper.travelled
            stepper.go_to(0 if self._steps is None else self._start + WHOLE * self._steps)
        if stepper.arrived:
            return None
        return {self._place: stepper.wanted(dt_ms)}

    @property
    def value(self) -> int:
        """The whole steps turned so far."""
        return 0 if self._start is None else div(self._stepper.travelled - self._start, WHOLE)

    def let_go(self) -> None:
        """The stepper runs down by itself."""
        self._stepper.let_go()

    def end(self) -> None:
        """Nothing to put away."""


class Routine:
    """The user's generator, a step each tick."""

    def __init__(
        self,
        name: str,
        generator: Generator[Mapping[str, float], None, int | None],
        places: Mapping[str, int],
    ) -> None:
        self.name = name
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

    def let_go(self) -> None:
        """Nothing to give back: the outputs follow the mix again."""

    def end(self) -> None:
        """Close it, so that its ``finally`` runs."""
        self._generator.close()


def whole(value: object) -> int:
    """What a hook returned as the number that a reply carries: 0 for nothing, within 32 bits."""
    return clamp(int(value), -(2**31), 2**31 - 1) if isinstance(value, int) else 0
