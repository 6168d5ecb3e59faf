"""The builder's own code at the machine: what a request of kind "call" runs."""

from collections.abc import Callable, Generator, Mapping

from nuvrik.levels import FULL, clamp, level_of

Hook = Callable[..., int | Generator[Mapping[str, float], None, int | None] | None]
"""The user's own code at the machine: called with the request's arguments by name. It returns a whole
number or nothing; or it is a generator that yields, tick by tick, the outputs it moves and how far (-1 to
1), and returns in the end. A generator is closed when the machine leaves ARMED."""


class RequestRefused(Exception):
    """Raised by a hook that does not want to do what it was asked."""


class Routine:
    """The user's generator, a step each tick. ``name`` is the request that it was begun for."""

    def __init__(
        self,
        name: str,
        generator: Generator[Mapping[str, float], None, int | None],
        places: Mapping[str, int],
    ) -> None:
        self.name = name
        self._generator, self._places = generator, places

    def levels(self) -> dict[int, int]:
        """What it yields: the level of each output that it moves, by place. StopIteration in the end,
        whatever it raises, and KeyError for an output that there is not."""
        asked = next(self._generator)
        return {self._places[name]: clamp(level_of(value), -FULL, FULL) for name, value in asked.items()}

    def end(self) -> None:
        """Close it, so that its ``finally`` runs."""
        self._generator.close()


def whole(value: object) -> int:
    """What a hook returned as the number that a reply carries: 0 for nothing, within 32 bits."""
    return clamp(int(value), -(2**31), 2**31 - 1) if isinstance(value, int) else 0
