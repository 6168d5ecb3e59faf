"""What stands around core on a chip: its board, and the builder's own code.

A board is pins, timers, a line and a clock. Which motor may turn, how hard and for how long is decided in
core; these functions only carry it out. Each says below what it must guarantee. None of them may wait:
whatever takes longer than a moment goes on by itself, in an interrupt or in a timer.

Pins go by the numbers that the link file gives them. ``pin``, ``pwm``, ``pulse`` and ``steps`` are first
called before ``begin``, with everything off, so that nothing runs before the outputs are safe."""

from nuvrik.core.sizes import MOST_ARGUMENTS
from nuvrik.core.widths import Protocol, Table, i16, i32, u8, u16, u32

LINK = 0
HOST = 1
"""Lines, as take and give number them. A board with one line has only the first."""

ANALOG = 0
DIGITAL = 1
COUNTER = 2
LATCHED = 3
"""What input reads."""

NOT_READ = -100001
"""input has nothing to say yet, or never will."""

SILENCE_US = 30000
"""edge gives a level that lasts in pieces of so long."""

READ_MS = 5
"""How often controls are read: several times while a contact bounces, and before every frame."""

MOST_TAKEN = 64
"""A flood is read a bounded amount a turn, so that it cannot keep a tick or a frame from coming: so many
bytes, or edges."""


class ReadTable(Table):
    """A pin that the board reads: of which control or sensor, which pin, and what is read there."""

    of: u8
    pin: u8
    what: u8


class Board(Protocol):
    """What a board does for a link."""

    def begin(self) -> None:
        """Make clock, lines, inputs and watchdog ready. The outputs have been set to off already. The
        watchdog must reset the board if ``alive`` is not called for about a quarter of a second, or for three
        ticks where those are longer."""

    def start(self, boot: list[u32]) -> u8:
        """Why the board has started: 0 nobody knows, 1 power came, 2 reset by hand, 3 by the watchdog, 4
        because the supply fell too low. The first of boot becomes a number that was not there at any earlier
        start, or is not likely to have been."""

    def take(self, line: u8) -> i16:
        """The next byte that has arrived on a line, -1 for none. What arrives while nobody takes is kept, 64
        bytes of it or more."""

    def give(self, line: u8, bytes: list[u8], count: u16) -> bool:
        """Send bytes: all of them, or none and say so with false. Where the link goes in packets, they are
        one. They stay as they are until the line takes others, so that a board may send them from where they
        stand. count 0: send nothing, and say whether the line would take any."""

    def packet(self, into: list[u8]) -> u8:
        """A packet that has arrived whole: how many bytes of it have been put where there is room for the
        longest that the medium carries; 0 for none. Only where the link goes in packets."""

    def spi(self, box: list[u8], count: u8) -> None:
        """Exchange so many bytes on the SPI bus: mode 0, the highest bit first, up to 8 MHz. What comes back
        takes their place, before this returns: 33 bytes are the most, 54 us at 8 MHz. Which chip is meant is
        said with ``pin`` before and after. Only where a link's radio is a chip on that bus."""

    def key(self, at: u8) -> u8:
        """A byte of the link's key, which has 16. Only where frames are authenticated."""

    def random(self, into: list[u8]) -> None:
        """Eight bytes that were never there before, not even before the last start: from a source of random
        numbers, which nobody need be kept from reading. Only where frames are authenticated."""

    def kept(self, at: u16) -> u8:
        """A byte of memory that lasts without power. Only where a board has no random numbers."""

    def keep(self, at: u16, byte: u8) -> bool:
        """Begin to write a byte of it. False: the last one is still being written."""

    def jitter(self, into: list[u8]) -> None:
        """Four bytes by which two clocks of the board have run apart while power came up; zeros where it
        cannot tell. They need not be unpredictable."""

    def pin(self, pin: u8, high: bool) -> None:
        """Set a pin high or low, at once, and make it an output if it is none yet: its level first."""

    def pwm(self, pin: u8, on: u16, most: u16) -> None:
        """Let a pin be high for so many of each most counts. 0: low at once, whatever its timer is at; most:
        high."""

    def pulse(self, pin: u8, us: u16) -> None:
        """Give a pin a pulse of so many microseconds, about fifty times a second. 0: none any more, but never
        half of one. A new length counts from the next pulse on."""

    def steps(self, pins: list[u8], count: u8, rate: i32, left: i32) -> None:
        """Step so many times a second. pins: one that steps a driver with each pulse, or
        four, the ends of the coils (A plus, A minus, B plus, B minus), for one phase after the other,
        backward where rate is below 0. The first call makes them outputs that are low. rate 0: no step, at
        once, and coils keep what they have until ``pin`` takes it from each of them. left: no more than so
        many steps from now on; -1: for ever. The pins are read before it returns."""

    def input(self, pin: u8, what: u8) -> i32:
        """What a pin reads: counts of its converter, 0 or 1, or edges counted since the start; ``NOT_READ``
        where it has nothing to say yet. The first call for a pin makes it an input, one with a pull-up where
        it is digital. ``LATCHED`` is digital, and a level that came and went since the last call is given
        once, if it lasted for a fifth of a millisecond: an end switch that is run over counts, and a spark
        does not."""

    def edge(self, pin: u8, into: list[bool]) -> u16:
        """The microseconds from one edge to the next on a pin, the oldest first, and into the list the level
        in between; 0 for none. The first call makes it an input with a pull-up. The edges of 10 ms are kept
        for whoever does not ask. A level that lasts is given in pieces of ``SILENCE_US``, so that a silence
        is known before it ends."""

    def emit(self, pin: u8, high: bool, us: u16, carrier_hz: u16) -> bool:
        """Send one level more on a pin, so many microseconds of it, behind what is still to be sent; false
        where there is no room for it now. It keeps 16 of them at least. Behind the last the pin stays as it
        is. carrier_hz: a level that is high goes up and down so many times a second; 0: it is high."""

    def alive(self) -> None:
        """The loop has made a whole turn. Nothing else may keep the watchdog from biting."""


class Call:
    """One call of a request that the builder's own code carries out. request: which; first: it has just been
    asked for; over: it may not go on, because the machine is not armed any more or has been told otherwise:
    put away what needs putting away, and return. So ends whatever goes on, whether it moves anything or not.
    arguments: as they were given; value: what the reply says, to be set."""

    def __init__(self) -> None:
        self.request: u8 = 0
        self.first: bool = False
        self.over: bool = False
        self.arguments: list[i32] = [0] * MOST_ARGUMENTS
        self.value: i32 = 0


class Own(Protocol):
    """The builder's own code. It may lessen and stop, and starts nothing that no handset has asked for."""

    def before_outputs(self) -> None:
        """At every tick, when it is decided what every output does and before a pin is written."""

    def before_frame(self) -> None:
        """When controls have been read, and before anything is made of them."""

    def call(self, call: Call) -> u8:
        """Carry out a request, a little at each call, and never wait. RUNNING: to be called again at the next
        tick; or DONE, REFUSED, FAILED."""
