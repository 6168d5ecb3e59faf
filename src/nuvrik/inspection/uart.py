"""What a wrong speed or a wrong polarity does to bytes: a serial line, bit by bit, without one.

A byte is a start bit (low), eight data bits, lowest first, and a stop bit (high); an idle line is high. The
receiver takes each bit from its middle, counted from the falling edge of the start bit.
"""

import math
from collections.abc import Iterator

IDLE_BITS = 12
"""How long the line rests before and after."""


def waveform(data: bytes) -> list[int]:
    """The line's level for each bit time of the sender."""
    line = [1] * IDLE_BITS
    for byte in data:
        line += [0, *(byte >> bit & 1 for bit in range(8)), 1]
    return line + [1] * IDLE_BITS


def received(line: list[int], speed: float = 1.0, *, inverted: bool = False) -> bytes:
    """The bytes that a receiver makes of it that runs at ``speed`` times the sender's rate. A byte whose stop
    bit is low is kept, as most receivers do."""
    levels = [1 - level for level in line] if inverted else line
    return bytes(_bytes(levels, 1 / speed))


def _bytes(levels: list[int], bit: float) -> Iterator[int]:
    """``bit`` is the receiver's bit time in the sender's."""
    end, start = len(levels), 0
    while True:
        # A start bit begins where the line falls: it must have been high just before.
        while start < end and not (levels[start] == 0 and (start == 0 or levels[start - 1] == 1)):
            start += 1
        if start + 9.5 * bit >= end:
            return
        byte = 0
        for number in range(8):
            byte |= levels[int(start + (1.5 + number) * bit)] << number
        yield byte
        start = max(start + 1, math.ceil(start + 9.5 * bit))
