"""What a listener on a port hears: marks and spaces as text, as they come."""

import re
import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType

from nuvrik.ports.port import Port
from nuvrik.pulses.timings import Piece

SILENCE_US = 30_000
"""A listener ends its line when a silence has lasted so long, and says how long it was when it is over.
``BOARD_SILENCE_US`` in its firmware."""

NUMBER = re.compile(r"[+-]\d{1,10}$")


@contextmanager
def until_interrupted() -> Iterator[Callable[[], bool]]:
    """Within it, Ctrl-C does not interrupt anything: what is given says whether it has come."""
    came = False

    def come(_number: int, _frame: FrameType | None) -> None:
        nonlocal came
        came = True

    before = signal.signal(signal.SIGINT, come)
    try:
        yield lambda: came
    finally:
        signal.signal(signal.SIGINT, before)


class Lines:
    """A listener's text to durations. A silence that goes on counts as far as is known, so that what came
    before it is complete; the rest of it comes with the next line."""

    def __init__(self) -> None:
        self._text = ""
        self._begun = False
        self._counted_us = 0

    def feed(self, data: bytes) -> Iterator[Piece]:
        """The durations of the lines that have ended."""
        *lines, self._text = (self._text + data.decode("ascii", "replace")).split("\n")
        for line in lines:
            numbers = [int(word) for word in line.split() if NUMBER.match(word)]
            # The first line may be the rest of one.
            if self._begun or (numbers and numbers[0] < 0):
                yield Piece([*self._rest(numbers), -SILENCE_US], None)
                self._counted_us = SILENCE_US
            self._begun = True

    def _rest(self, numbers: list[int]) -> Iterator[int]:
        for place, number in enumerate(numbers):
            if place == 0 and number < 0:
                number = min(0, number + self._counted_us)
            if number:
                yield number


def listen(port: Port, ended: Callable[[], bool]) -> Iterator[Piece]:
    """What comes in on a port, until it has ended. PortError if the port goes away."""
    lines = Lines()
    while not ended():
        yield from lines.feed(port.read())
