"""Demands to pin levels: direction before power, and nothing left half changed.

A write is one of an output's pins and what it is set to: 0 or 1 for a plain pin, a count for one with PWM,
microseconds for a pulse (0: none), steps a second for a step pin. They come in the order in which they must
be made: power off, then direction, then power on. A bridge whose sides change under power shorts itself for
as long as its transistors need to switch off."""

from nuvrik.core.levels import later
from nuvrik.core.widths import Table, sign, u8, u16

PULSED = 0
ONE_DIRECTION = 1
TWO_DIRECTIONS = 2
TWO_POWERED = 3
STEPPED = 4
COILS = 5
SWITCHED_HIGH = 6
SWITCHED_LOW = 7
"""How the pins of an output are used: one that takes the value; power and a direction pin; power and two of
them; two of power; steps, direction and current, and the same where a board makes them of the
four ends of its coils; and a switch that is on while its pin is high, or low."""

PINS_EACH = 3
"""An output has no more pins than this."""

MOST_WRITES = 9
"""Off, direction and on, of two pins each, and every level once more."""

AGAIN_MS = 50
"""Levels are written once more after so long: with a tick of 50 ms besides, ten times a second at least."""


class PinTable(Table):
    """The pins of one output. use: how they are used; most: the count of a PWM pin that is full on;
    enable_low: current flows while its pin is low; numbers: the board's, in order, NOBODY where the link file
    gives none."""

    use: u8
    most: u16
    enable_low: bool
    numbers: list[u8]


def level_of_pin(table: PinTable, pin: u8, value: u16, way: sign, braked: bool) -> u16:
    """What one pin of an output is at under a demand. Of two directions or two of power the first is
    forward."""
    if table.use >= SWITCHED_HIGH:
        return 1 if (value != 0) == (table.use == SWITCHED_HIGH) else 0
    if table.use == TWO_POWERED:
        if way == (1 if pin == 0 else -1):
            return value
        return table.most if braked else 0
    if pin == 0:
        return value
    if pin == 1:
        return 1 if way > 0 or (table.use == TWO_DIRECTIONS and braked) else 0
    if table.use == TWO_DIRECTIONS:
        return 1 if way < 0 or braked else 0
    return 1 if (value != 0 or braked) != table.enable_low else 0


def pins_of(use: u8) -> u8:
    """How many pins it has."""
    if use == ONE_DIRECTION or use == TWO_POWERED:
        return 2
    return 3 if use == TWO_DIRECTIONS or use == STEPPED or use == COILS else 1


class Writes:
    """What is to be written to the pins of one output: count writes, pin and level of each, in order. One
    serves all outputs of a machine, one after the other."""

    def __init__(self) -> None:
        self.wanted: list[u16] = [0] * PINS_EACH
        self.changed: list[bool] = [False] * PINS_EACH
        self.count: u8 = 0
        self.pin: list[u8] = [0] * MOST_WRITES
        self.level: list[u16] = [0] * MOST_WRITES

    def put(self, pin: u8, to: u16) -> None:
        """One more."""
        self.pin[self.count] = pin
        self.level[self.count] = to
        self.count += 1


class Pins:
    """The pins of one output, all low until something is written."""

    def __init__(self, table: PinTable) -> None:
        self.table: PinTable = table
        self.way: sign = 0
        self.braked: bool = False
        self.known: bool = False
        self.levels: list[u16] = [0] * PINS_EACH

    def follow(self, value: u16, way: sign, braked: bool, writes: Writes) -> None:
        """Say what a new demand asks to be written."""
        writes.count = 0
        same: bool = self.known and way == self.way and braked == self.braked
        self.way = way
        self.braked = braked
        if same and self.table.use < SWITCHED_HIGH and not braked:
            # Nearly always only the value changes, and with it one pin.
            at: u8 = 1 if self.table.use == TWO_POWERED and way < 0 else 0
            if way != 0 and self.levels[at] != value:
                self.put(at, value, writes)
            return
        self.known = True
        self.change(value, way, braked, writes)

    def repeat(self, writes: Writes) -> None:
        """Say every level once more, behind what has changed: whatever else has set a pin meanwhile has no
        say in it. Never pulses or steps, which would begin anew."""
        # By way of a local: a compiler for AVR (GCC 5.4) fails at the field itself.
        full: u16 = self.table.most
        counts: bool = full > 0
        pins: u8 = pins_of(self.table.use) if self.known and self.table.use != PULSED else 0
        for i in range(pins):
            if not self.powers(i) or (counts and self.levels[i] == 0):
                writes.put(i, self.levels[i])
        for i in range(pins):
            if self.powers(i) and counts and self.levels[i] != 0:
                writes.put(i, self.levels[i])

    def change(self, value: u16, way: sign, braked: bool, writes: Writes) -> None:
        """The same, where a direction or everything may change."""
        pins: u8 = pins_of(self.table.use)
        turned: bool = False
        for i in range(pins):
            writes.wanted[i] = level_of_pin(self.table, i, value, way, braked)
            writes.changed[i] = self.levels[i] != writes.wanted[i]
            if writes.changed[i] and not self.powers(i):
                turned = True
        if turned:
            for i in range(pins):
                if self.powers(i) and self.levels[i] != 0:
                    self.put(i, 0, writes)
                    writes.changed[i] = writes.wanted[i] != 0
        self.put_changed(pins, False, writes)
        self.put_changed(pins, True, writes)

    def powers(self, pin: u8) -> bool:
        """Whether a pin makes the output turn; the others only say which way."""
        return pin == 0 or self.table.use == TWO_POWERED

    def put_changed(self, pins: u8, power: bool, writes: Writes) -> None:
        """Write the pins of one sort that change. What goes down goes first, so that the two sides are never
        on together, except to brake."""
        for i in range(pins):
            if writes.changed[i] and self.powers(i) == power and writes.wanted[i] == 0:
                self.put(i, 0, writes)
        for i in range(pins):
            if writes.changed[i] and self.powers(i) == power and writes.wanted[i] != 0:
                self.put(i, writes.wanted[i], writes)

    def put(self, pin: u8, to: u16, writes: Writes) -> None:
        """One more write."""
        self.levels[pin] = to
        writes.put(pin, to)


class Again:
    """When the pins of a machine are written once more, although nothing has changed: at every stop, at
    leaving ARMED, and every so often, so that what the builder's own code has set by itself does not last.
    now: in this turn; done ends that."""

    def __init__(self) -> None:
        self.now: bool = False
        self.armed: bool = False
        self.since_ms: u16 = 0

    def stop(self) -> None:
        """A stop."""
        self.now = True

    def turn(self, dt_ms: u16, armed: bool) -> None:
        """One turn of the loop, dt_ms after the one before."""
        self.since_ms = later(self.since_ms, dt_ms)
        if (self.armed and not armed) or self.since_ms >= AGAIN_MS:
            self.now = True
        self.armed = armed

    def done(self) -> None:
        """They have been written."""
        if self.now:
            self.now = False
            self.since_ms = 0
