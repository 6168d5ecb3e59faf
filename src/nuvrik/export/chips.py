"""The chips that firmware in C is written for: their pins, timers and memory, by the numbers that their usual
boards print. Whether a link fits on one, the C of its board and what is read off its emulated pins are all
made of this."""

from typing import NamedTuple

NARROW = (0, 2)
"""Timers of 8 bits; the others have 16."""


class Chip(NamedTuple):
    """One chip as its usual board brings it out. ``places``: the port and bit of each pin, in their order;
    ``timed``: pin -> timer and channel; ``wide``: its timers of 16 bits, those for servos first; ``analog``:
    its pins that read volts; ``counts``: those that can count edges; ``interrupts``: those that have one of
    their own; ``carrier``: the one that can make a carrier; ``taken``: what the board needs for itself;
    ``first_ram``: where its RAM begins; ``spi``: the pins of its SPI bus, clock, data out and data in, and
    ``spi_select`` one more that must be an output while that works; ``second``: the pins of a second line,
    which a handset's host has; ``line``: what its first line is called; ``loader``: who writes its flash."""

    name: str
    clock_hz: int
    flash: int
    ram: int
    first_ram: int
    places: tuple[str, ...]
    timed: dict[int, str]
    wide: tuple[int, ...]
    analog: range
    counts: tuple[int, ...]
    interrupts: tuple[int, ...]
    carrier: int
    second: dict[int, str]
    taken: dict[int, str]
    spi: tuple[int, int, int]
    spi_select: int
    line: str
    loader: str

    @property
    def pins(self) -> int:
        """How many pins it has."""
        return len(self.places)

    @property
    def pwm(self) -> dict[int, int]:
        """The pins with PWM, and the timer of each."""
        return {pin: int(timed[0]) for pin, timed in sorted(self.timed.items())}

    def pin_name(self, pin: int) -> str:
        """A pin as it is printed on the board."""
        return f"A{pin - self.analog.start}" if pin in self.analog else str(pin)

    def timed_by(self, *, narrow: bool) -> dict[int, str]:
        """The pins of timers of 8 bits, or of those of 16."""
        return {pin: timed for pin, timed in self.timed.items() if (int(timed[0]) in NARROW) == narrow}


def _places(ports: str) -> tuple[str, ...]:
    """Pins from words such as ``D0-7``, bits of a port one after the other, up or down."""
    found: list[str] = []
    for word in ports.split():
        first, _, last = word[1:].partition("-")
        low, high = int(first), int(last or first)
        bits = range(low, high + 1) if low <= high else range(low, high - 1, -1)
        found += [f"{word[0]}{bit}" for bit in bits]
    return tuple(found)


HOSTS = "the host's line"


LINE = {0: "the serial line", 1: "the serial line"}

ATMEGA328P = Chip(
    name="atmega328p",
    clock_hz=16_000_000,
    flash=32_256,
    ram=2048,
    first_ram=0x100,
    places=_places("D0-7 B0-5 C0-5"),
    timed={5: "0B", 6: "0A", 3: "2B", 11: "2A", 9: "1A", 10: "1B"},
    wide=(1,),
    analog=range(14, 20),
    counts=tuple(range(2, 20)),
    interrupts=(2, 3),
    carrier=3,
    second={},
    taken=LINE,
    spi=(13, 11, 12),
    spi_select=10,
    line="USART",
    loader="arduino",
)
"""32 KiB, of which the usual loader keeps half a kilobyte for itself."""

ATMEGA2560 = Chip(
    name="atmega2560",
    clock_hz=16_000_000,
    flash=253_952,
    ram=8192,
    first_ram=0x200,
    places=_places(
        "E0-1 E4-5 G5 E3 H3-6 B4-7 J1-0 H1-0 D3-0 A0-7 C7-0 D7 G2-0 L7-0 B3-0 F0-7 K0-7",
    ),
    timed={
        **{4: "0B", 13: "0A", 9: "2B", 10: "2A", 11: "1A", 12: "1B", 5: "3A", 2: "3B", 3: "3C"},
        **{6: "4A", 7: "4B", 8: "4C", 46: "5A", 45: "5B", 44: "5C"},
    },
    wide=(5, 4, 3, 1),
    analog=range(54, 70),
    counts=(2, 3, 10, 11, 12, 13, 14, 15, 18, 19, 20, 21, 50, 51, 52, 53, *range(62, 70)),
    interrupts=(2, 3, 18, 19, 20, 21),
    carrier=9,
    second={18: HOSTS, 19: HOSTS},
    taken=LINE,
    spi=(52, 51, 50),
    spi_select=53,
    line="USART0",
    loader="wiring",
)

CHIPS = {chip.name: chip for chip in (ATMEGA328P, ATMEGA2560)}
