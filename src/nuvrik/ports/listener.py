"""What a listener on a port hears: marks and spaces as text, as they come."""

import os
import re
import select
import signal
import struct
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType

from nuvrik.ports.port import Port, PortError
from nuvrik.pulses.timings import Piece

SILENCE_US = 30_000
"""A listener ends its line when a silence has lasted so long, and says how long it was when it is over.
``BOARD_SILENCE_US`` in its firmware."""

NUMBER = re.compile(r"[+-]\d{1,10}$")

MOST_TEXT = 1 << 14
"""Far more than any line of a listener: the longest code it keeps has some hundred durations."""


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
        """The durations of the lines that have ended. PortError for what is no listener's text."""
        *lines, self._text = (self._text + data.decode("ascii", "replace")).split("\n")
        for line in lines:
            numbers = [int(word) for word in line.split() if NUMBER.match(word)]
            # The first line may be the rest of one.
            if self._begun or (numbers and numbers[0] < 0):
                yield Piece([*self._rest(numbers), -SILENCE_US], None)
                self._counted_us = SILENCE_US
            self._begun = True
        if len(self._text) > MOST_TEXT:
            what = f"{MOST_TEXT:,} characters came without the end of a line"
            raise PortError(f"{what}: no listener is on this port, or its baud rate is another")

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


LOOKS_S = 0.05
"""How often it is looked whether Ctrl-C has come, while nothing comes."""


class LiveText:
    """Text from another program as it comes: each read gives what is there, "" at its end or once it has been
    interrupted."""

    def __init__(self, descriptor: int, ended: Callable[[], bool]) -> None:
        self._descriptor, self._ended = descriptor, ended

    def read(self, most: int, /) -> str:
        """What has come, waiting until something has."""
        while not self._ended():
            if select.select([self._descriptor], [], [], LOOKS_S)[0]:
                # The text is numbers: no character in it is longer than a byte.
                return os.read(self._descriptor, most).decode("ascii", "replace")
        return ""


SPACE, PULSE, FREQUENCY, TIMEOUT, OVERFLOW = range(5)
"""What the top byte of a word says; the other three are microseconds (as the Linux kernel hands them out)."""


class RawTimings:
    """The operating system's own infrared receiver: words of 32 bits, a mark or a space each."""

    def __init__(self, path: str) -> None:
        self._path = path
        try:
            self._descriptor = os.open(path, os.O_RDONLY)
        except OSError as error:
            raise PortError(
                f"raw:{path}: cannot be opened: {(error.strerror or str(error)).lower()}"
            ) from None
        self._rest = b""

    def pieces(self, ended: Callable[[], bool]) -> Iterator[Piece]:
        """Durations as they come, until it has ended."""
        while not ended():
            if not select.select([self._descriptor], [], [], LOOKS_S)[0]:
                continue
            try:
                data = os.read(self._descriptor, 4096)
            except OSError as error:
                raise PortError(f"raw:{self._path}: has gone away: {error.strerror or error}") from None
            if not data:
                return
            numbers = self._durations(data)
            if numbers:
                yield Piece(numbers, None)

    def _durations(self, data: bytes) -> list[int]:
        data = self._rest + data
        whole = len(data) // 4 * 4
        self._rest = data[whole:]
        numbers = []
        for (word,) in struct.iter_unpack("<I", data[:whole]):
            kind, us = word >> 24, word & 0xFFFFFF
            if kind == PULSE and us:
                numbers.append(us)
            elif kind in (SPACE, TIMEOUT) and us:
                numbers.append(-us)
            elif kind == OVERFLOW:
                numbers.append(-SILENCE_US)  # what was lost is not to be read as one with what comes
        return numbers

    def __enter__(self) -> "RawTimings":
        return self

    def __exit__(self, *_: object) -> None:
        os.close(self._descriptor)
