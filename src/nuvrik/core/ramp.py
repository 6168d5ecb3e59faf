"""How fast what moves may follow what is asked of it, and when what turns may turn the other way."""

from nuvrik.core.levels import FULL, TIMER_MAX, later
from nuvrik.core.widths import Table, amount, fine, level, product, sign, u16, u32

FINE = 1024
"""A moving level is kept this much finer, so that slow moves do not stand still."""

FINE_BITS = 10


class RampTable(Table):
    """rate: how much finer level a millisecond moves by, 0: at once. dt_most: a gap longer than this is as
    good as this. pause_ms: the least time at rest between two directions."""

    rate: u32
    dt_most: u16
    pause_ms: u16


def toward(table: RampTable, here: fine, goal: fine, dt_ms: u16) -> fine:
    """How far from here towards a goal dt_ms reaches."""
    if table.rate == 0 or goal == here:
        return goal
    # A gap in the loop longer than the whole way must not overflow the product.
    capped: u16 = dt_ms if dt_ms < table.dt_most else table.dt_most
    reach: product = table.rate * capped
    if goal > here:
        return goal if goal - here <= reach else here + reach
    return goal if here - goal <= reach else here - reach


def coarse(here: fine) -> level:
    """A finer level as a level, rounded towards zero."""
    if here >= 0:
        return here >> FINE_BITS
    return -((-here) >> FINE_BITS)


def change(table: RampTable, dt_ms: u16) -> level:
    """By how many levels it can move in dt_ms at most."""
    if table.rate == 0:
        return FULL
    capped: u16 = dt_ms if dt_ms < table.dt_most else table.dt_most
    way: amount = table.rate * capped
    reach: u32 = (way + FINE - 1) >> FINE_BITS
    return reach if reach < FULL else FULL


class Slew:
    """A level that moves at a limited rate."""

    def __init__(self, table: RampTable) -> None:
        self.table: RampTable = table
        self.fine: fine = 0

    def at(self) -> level:
        """Where it is."""
        return coarse(self.fine)

    def put(self, place: level) -> None:
        """Be at a level at once."""
        self.fine = place * FINE

    def towards(self, target: level, dt_ms: u16) -> bool:
        """Move towards a level; whether it moved at all."""
        before: fine = self.fine
        self.fine = toward(self.table, before, target * FINE, dt_ms)
        return self.fine != before


class Ramp:
    """A slew that rests before it reverses: for what turns. A move across zero stops at zero, and the pause
    begins at that tick. cut: it was cut off since the last tick."""

    def __init__(self, table: RampTable) -> None:
        self.table: RampTable = table
        self.fine: fine = 0
        self.last_sign: sign = 0
        # At power-up it has been at rest for longer than any pause.
        self.at_rest_ms: u16 = TIMER_MAX
        self.cut: bool = False

    def at(self) -> level:
        """Where it is."""
        return coarse(self.fine)

    def pause_left(self, target: level) -> u16:
        """Milliseconds still to rest before it may turn towards a level."""
        if self.fine != 0 or target * self.last_sign >= 0 or self.at_rest_ms >= self.table.pause_ms:
            return 0
        return self.table.pause_ms - self.at_rest_ms

    def halt(self) -> None:
        """At once to zero, without a ramp. Its time at rest counts from the tick that comes next: what has
        gone by before that may have passed while it still turned."""
        if self.fine != 0:
            self.fine = 0
            self.at_rest_ms = 0
            self.cut = True

    def towards(self, target: level, dt_ms: u16) -> bool:
        """Move towards a level; whether it moved at all."""
        here: fine = self.fine
        goal: fine = target * FINE
        if here == 0:
            if not self.cut:
                self.at_rest_ms = later(self.at_rest_ms, dt_ms)
            self.cut = False
            if target == 0 or self.pause_left(target) != 0:
                return False
        elif goal == here:
            return False
        goal = toward(self.table, here, goal, dt_ms)
        # However long the tick, it never passes zero in one: the pause has to begin there.
        if (here > 0 and goal < 0) or (here < 0 and goal > 0):
            goal = 0
        self.fine = goal
        if goal == 0:
            self.at_rest_ms = 0
        elif goal > 0:
            self.last_sign = 1
        else:
            self.last_sign = -1
        return True
