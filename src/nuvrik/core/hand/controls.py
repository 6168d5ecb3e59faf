"""What a hand moves: raw readings to levels, one object for each control that has readings of its own."""

from nuvrik.core.curve import CurveTable, along
from nuvrik.core.levels import FULL, NO_READING, clamp, div, later, mul
from nuvrik.core.ramp import RampTable, Slew
from nuvrik.core.widths import Table, fine, i32, level, product, reading, share, span, u8, u16

SMOOTH = 16
"""A smoothed level is kept this much finer, so that it arrives; the product still fits in 31 bits."""


class MovedTable(Table):
    """An axis or a slider: the readings low, at rest and high (a slider's low is its rest; low may be the
    larger number), and how it is bent. ignore: readings that are none. plain: nothing of it depends on
    time; turns: it feeds something that turns."""

    low: reading
    rest: reading
    high: reading
    one_sided: bool
    dead_zone: share
    expo: share
    curve: CurveTable
    reverse: bool
    trim: level
    ignore: list[reading]
    smooth_ms: u16
    slows: bool
    ramp: RampTable
    holds: bool
    plain: bool
    turns: bool


def straight(table: MovedTable, raw: reading) -> level:
    """The level before any curve: 0 at rest, each half scaled to its own end."""
    away: i32 = raw - table.rest
    if away == 0:
        return 0
    upper: i32 = table.high - table.rest
    scaled: product = away * FULL
    if upper != 0 and (away > 0) == (table.high > table.low):
        return div(scaled, upper)
    down: level = div(scaled, table.low - table.rest)
    return -down


def without_dead_zone(at: level, zone: share) -> level:
    """0 within zone of rest; beyond it what is left of the travel, stretched, so that nothing jumps."""
    size: share = abs(at)
    if size <= zone:
        return 0
    left: product = (size - zone) * FULL
    stretched: level = div(left, FULL - zone)
    return stretched if at > 0 else -stretched


def with_expo(at: level, expo: share) -> level:
    """(1 - expo) * x + expo * x**3."""
    square: level = mul(at, at)
    cube: level = mul(square, at)
    line: level = mul(FULL - expo, at)
    bend: level = mul(expo, cube)
    return line + bend


def bent_level(table: MovedTable, raw: reading) -> level:
    """The level of a reading; readings beyond the range count as its ends."""
    bottom: reading = table.low if table.low < table.high else table.high
    top: reading = table.high if table.low < table.high else table.low
    at: level = without_dead_zone(straight(table, clamp(raw, bottom, top)), table.dead_zone)
    bent: span = along(table.curve, at) if len(table.curve.points) != 0 else with_expo(at, table.expo)
    if table.reverse:
        # A curve may lead a slider below nothing.
        bent = FULL - bent if table.one_sided else -bent
    return clamp(bent + table.trim, 0 if table.one_sided else -FULL, FULL)


class Moved:
    """An axis or a slider: bent, and if need be smoothed, slowed or held. value: its level, NO_READING for
    none; latched: it is held although no hand holds it."""

    def __init__(self, table: MovedTable) -> None:
        self.table: MovedTable = table
        self.value: span = NO_READING
        self.latched: bool = False
        self.begun: bool = False
        self.fine: fine = 0
        self.slew: Slew = Slew(table.ramp)
        self.pushed: level = 0
        self.held: level = 0

    def read(self, raw: reading, dt_ms: u16) -> None:
        """A reading, dt_ms after the one before."""
        for none in self.table.ignore:
            if raw == none:
                self.value = NO_READING
                return
        at: level = bent_level(self.table, raw)
        if not self.table.plain:
            at = self.follow(at, dt_ms)
        self.value = at

    def follow(self, at: level, dt_ms: u16) -> level:
        """Where the value is on its way to a level."""
        goal: level = self.keep(at) if self.table.holds else at
        # Behind a gap a place goes on from the value sent last, and what turns begins from rest: what passed
        # in the gap is no time of moving. Only the first reading of all is taken as it is.
        passed_ms: u16 = 0 if self.value == NO_READING else dt_ms
        first: bool = not self.begun
        if self.value == NO_READING and self.table.turns and not first:
            self.fine = 0
            self.slew.put(0)
        self.begun = True
        if self.table.smooth_ms != 0:
            goal = self.smooth(goal, passed_ms, first)
        if self.table.slows:
            if first:
                self.slew.put(goal)
            self.slew.towards(goal, passed_ms)
            goal = self.slew.at()
        return goal

    def smooth(self, goal: level, passed_ms: u16, first: bool) -> level:
        """A noisy level, ironed out."""
        if first:
            self.fine = goal * SMOOTH
        here_ms: u16 = passed_ms if passed_ms < self.table.smooth_ms else self.table.smooth_ms
        way: product = (goal * SMOOTH - self.fine) * here_ms
        nearer: fine = div(way, self.table.smooth_ms + here_ms)
        self.fine += nearer
        return div(self.fine, SMOOTH)

    def keep(self, at: level) -> level:
        """Where the furthest point of the last push was."""
        if at == 0:
            self.pushed = 0
        elif abs(at) > abs(self.pushed) or (at < 0) != (self.pushed < 0):
            self.pushed = at
            self.held = at
        self.latched = at == 0 and self.held != 0
        return self.held

    def withdraw(self) -> None:
        """There is no reading, until the next one."""
        self.value = NO_READING
        # What was held is not known to be wanted any more.
        self.held = 0
        self.pushed = 0
        self.latched = False


class ButtonTable(Table):
    """A button. pressed: the reading that is so, 0 or 1; waits: it toggles, and feeds nothing but places."""

    pressed: u8
    debounce_ms: u16
    toggles: bool
    waits: bool


class Button:
    """Something pressed or not, debounced; where it toggles, each press toggles it. presses counts them.

    What it reads first is where it starts, so a button held down at power-up is no press. One that waits has
    no reading until it is pressed while that may move something (live); other presses toggle nothing."""

    def __init__(self, table: ButtonTable) -> None:
        self.table: ButtonTable = table
        self.value: span = NO_READING
        self.latched: bool = False
        self.presses: u16 = 0
        self.live: bool = False
        self.given: bool = False
        self.known: bool = False
        self.down: bool = False
        self.changing: bool = False
        self.changed_ms: u16 = 0

    def read(self, raw: reading, dt_ms: u16) -> None:
        """A reading, dt_ms after the one before."""
        pressed: bool = (raw != 0) == (self.table.pressed != 0)
        if self.known and pressed == self.down:
            self.changing = False
        elif not self.known:
            self.known = True
            self.down = pressed
        else:
            self.changed_ms = later(self.changed_ms, dt_ms) if self.changing else 0
            self.changing = True
            if self.changed_ms >= self.table.debounce_ms:
                self.down = pressed
                self.changing = False
                if pressed:
                    self.press()
        self.say()

    def press(self) -> None:
        """It has been pressed."""
        self.presses = (self.presses + 1) & 0xFFFF
        if self.table.toggles and (self.live or not self.table.waits):
            self.latched = not self.latched
            self.given = True

    def say(self) -> None:
        """Its value, from what it is."""
        on: bool = self.latched if self.table.toggles else self.down
        self.value = FULL if on else 0
        if self.table.waits and not self.given:
            self.value = NO_READING

    def may_move(self, live: bool) -> None:
        """Whether a press may move something now. Once it may not, what was pressed before is over."""
        self.live = live
        if not live:
            self.given = False
            if self.known:
                self.say()

    def switch_off(self) -> None:
        """A toggle that is on goes off; nothing else changes."""
        if self.latched:
            self.latched = False
            if self.value != NO_READING:
                self.value = 0

    def withdraw(self) -> None:
        """There is no reading, until the next one."""
        self.value = NO_READING
        # A press that began before the gap is not known to have lasted through it; and what the button reads
        # after the gap is, again, where it starts.
        self.known = False
        self.changing = False


class KeyControlTable(Table):
    """A key. every: each repeat counts as a press, not only a fresh one; waits: it toggles, and feeds nothing
    but places."""

    every: bool
    toggles: bool
    waits: bool


class Key:
    """A code that arrives again and again while it is held. Its reading counts the arrivals.

    No arrival is no press: a key goes to released, never to no reading, when nothing comes. Only a toggle
    that feeds nothing but places has none, until it is pressed while that may move something (live)."""

    def __init__(self, table: KeyControlTable) -> None:
        self.table: KeyControlTable = table
        self.value: span = NO_READING if table.waits else 0
        self.latched: bool = False
        self.presses: u16 = 0
        self.live: bool = False
        self.given: bool = False
        self.counted: bool = False
        self.count: u16 = 0
        self.down: bool = False

    def read(self, count: u16) -> bool:
        """How often it has arrived so far. True: it has arrived."""
        arrives: bool = self.counted and count != self.count
        self.counted = True
        self.count = count
        if arrives:
            self.arrive(not self.down)
        return arrives

    def arrive(self, fresh: bool) -> None:
        """Its code has arrived: for a press, or because it is held. One that is known to be held keeps it
        down, or brings it down again after a gap, and never counts as another press of a toggle."""
        if fresh or self.table.every:
            self.presses = (self.presses + 1) & 0xFFFF
        if self.table.toggles and fresh and (self.live or not self.table.waits):
            self.latched = not self.latched
            self.given = True
        self.down = True
        self.say()

    def say(self) -> None:
        """Its value, from what it is."""
        on: bool = self.latched if self.table.toggles else self.down
        self.value = FULL if on else 0
        if self.table.waits and not self.given:
            self.value = NO_READING

    def may_move(self, live: bool) -> None:
        """Whether a press may move something now. Once it may not, what was pressed before is over."""
        self.live = live
        if not live:
            self.given = False
            self.say()

    def switch_off(self) -> None:
        """A toggle that is on goes off; nothing else changes."""
        if self.latched:
            self.latched = False
            if self.value != NO_READING:
                self.value = 0

    def withdraw(self) -> None:
        """Nothing has come for so long that it is released."""
        self.down = False
        self.say()
