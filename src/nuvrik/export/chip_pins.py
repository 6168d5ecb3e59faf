"""What the pins of an AVR do, from its registers.

Addresses are of data memory, as the data sheets of both chips have them."""

from nuvrik.export.chips import Chip

PORTS = {
    **{letter: 0x22 + 3 * at for at, letter in enumerate("ABCDEFG")},
    **{letter: 0x102 + 3 * at for at, letter in enumerate("HJKL")},
}
CONTROLS = {0: 0x44, 1: 0x80, 2: 0xB0, 3: 0x90, 4: 0xA0, 5: 0x120}
CONNECTS = {"A": 0x80, "B": 0x20, "C": 0x08}
COMPARES = {0: (0x47, 1), 2: (0xB3, 1), 1: (0x88, 2), 3: (0x98, 2), 4: (0xA8, 2), 5: (0x128, 2)}
"""Where the compare register of channel A is, and how many bytes each has."""


class Pins:
    """Where it stands what the pins of a chip do."""

    def __init__(self, chip: Chip) -> None:
        self.places = {pin: (place[0], int(place[1])) for pin, place in enumerate(chip.places)}
        self.timers = {pin: (int(timed[0]), timed[1]) for pin, timed in chip.timed.items()}

    def port(self, pin: int) -> int:
        """Where its level is set; its direction is one address below."""
        return PORTS[self.places[pin][0]]

    def mask(self, pin: int) -> int:
        """Its bit there."""
        return 1 << self.places[pin][1]

    def control(self, pin: int) -> int:
        """Where it is put on its timer."""
        return CONTROLS[self.timers[pin][0]]

    def connects(self, pin: int) -> int:
        """Its bit there."""
        return CONNECTS[self.timers[pin][1]]

    def compare(self, pin: int) -> tuple[int, int]:
        """Where its duty is set, and how many bytes that has."""
        timer, channel = self.timers[pin]
        first, size = COMPARES[timer]
        return first + size * "ABC".index(channel), size

    def high(self, memory: memoryview, pin: int) -> bool:
        """Whether it is an output, and set high."""
        both = memory[self.port(pin) - 1] & memory[self.port(pin)]
        return bool(both & self.mask(pin))

    def duty(self, memory: memoryview, pin: int) -> int | None:
        """What its timer compares with, None where it is not on its timer."""
        if not memory[self.control(pin)] & self.connects(pin):
            return None
        at, size = self.compare(pin)
        return int.from_bytes(memory[at : at + size], "little")

    def powered(self, memory: memoryview, pin: int) -> bool:
        """Whether a pin with PWM lets anything turn: on its timer, or high without it."""
        is_output = memory[self.port(pin) - 1] & self.mask(pin)
        return bool(is_output) and (self.duty(memory, pin) is not None or self.high(memory, pin))
