"""A stepper: its rate, its count of steps, and a move that comes out right to the step.

How a move by steps lands exactly. A rate and a ramp alone cannot do it: rates are whole numbers and the loop
looks only once a tick, so a move that only watches how far it still is overshoots and creeps back. Two things
together can. At each tick the stepper takes the greatest level from which it can still come to rest before
the goal, worked out with every rounding counted against it (reach); and it says how many steps there are
left, beyond which the pulse generator gives no pulse, so that a late tick cannot turn the shaft too far. What
was tried and given up: braking by the square root of the way left, which is right in continuous time,
overshot by up to 644 steps at 65,535 steps a second."""

from nuvrik.core.levels import FULL, FULL_BITS
from nuvrik.core.machine.demand import FOLLOW, Demand
from nuvrik.core.ramp import Ramp, RampTable, change
from nuvrik.core.widths import Table, amount, i32, level, share, sign, u8, u16, u32, whole

WHOLE = 1000
"""The count is kept in thousandths of a step, because a tick is seldom a whole number of steps."""

TURNS = 0x3FFFFFFF
"""The count of whole steps goes round here, so that it fits into the small integers of MicroPython."""

HALF_TURNS = 0x20000000

LONGEST_TICK_MS = 1000
"""A longer time since the last tick is not planned for: the move slows down from there, and lands all the
same, because no pulse is given beyond its goal."""

FAR = 1073000
"""Steps. From further away than this no stepper has to slow down yet: the longest run-down, of half a minute
at 65,535 steps a second, is shorter."""

NO_LIMIT = -1
"""In place of the steps that are left: there is no move by steps."""


class StepperTable(Table):
    """One stepper. facing: 1, or -1 where it is mounted the other way round. rate_max: steps a second at
    full. ramp_ms: from rest to full. holds: at rest its coils keep their current, once it has turned. least:
    the level of one step a second, from which a move never falls."""

    ramp: RampTable
    facing: sign
    rate_max: u16
    ramp_ms: u16
    holds: bool
    least: level


def rate_of(table: StepperTable, size: share) -> u16:
    """Steps a second at a level of that size."""
    exact: amount = size * table.rate_max
    return (exact + FULL // 2) >> FULL_BITS


def reach(table: StepperTable, size: share, dt_ms: u16) -> u32:
    """At most how many thousandths of a step pass at a level (0 to FULL) for dt_ms and then down the ramp to
    rest. One step a second more than the rate pays for the rounding of every rate on the way."""
    slowing: amount = size * table.ramp_ms
    down_ms: u16 = (slowing + FULL - 1) >> FULL_BITS
    # A triangle of down_ms and a block of dt_ms, which counts in full; each half by itself, to stay small.
    both: u16 = down_ms + 2 * dt_ms
    rate: u32 = rate_of(table, size) + 1
    halves: amount = rate * (both >> 1)
    if (both & 1) != 0:
        return halves + ((rate + 1) >> 1)
    return halves


class Stepper:
    """Turns in steps at a rate either way about zero, and counts the steps it has been told to turn: whole
    ones, going round, and part, 0 to 999 thousandths, always upwards from the whole ones.

    Call count_on with the time gone by before tick: what was turned in that time was turned at the rate told
    before.
    """

    def __init__(self, table: StepperTable) -> None:
        self.table: StepperTable = table
        self.ramp: Ramp = Ramp(table.ramp)
        self.demand: Demand = Demand()
        self.whole: whole = 0
        self.part: u16 = 0
        self.moving: bool = False
        self.most: share = FULL
        self.goal_whole: whole = 0
        self.goal_part: u16 = 0
        self.steps_left: i32 = NO_LIMIT
        self.turned: bool = False

    def begin(self) -> None:
        """At power-up: at rest, and without current, because that would pull the rotor into place."""
        self.turned = False
        self.rest()

    def rest(self) -> None:
        """Give no steps."""
        self.steps_left = NO_LIMIT
        self.demand.put(0, 0, 0, False, self.table.holds and self.turned)

    def count_on(self, dt_ms: u16) -> None:
        """Count the steps of the time gone by; in a move, none beyond its goal."""
        if self.demand.value == 0:
            return
        seconds: u16 = dt_ms // 1000
        rest_ms: u16 = dt_ms - seconds * 1000
        parts: amount = self.demand.value * rest_ms
        more: u32 = parts // WHOLE
        steps: whole = self.demand.value * seconds + more
        part: u16 = parts - more * WHOLE
        ahead: bool = (self.demand.way > 0) == (self.table.facing > 0)
        if self.moving and (self.there() or ahead != self.behind()) and self.beyond(steps, part):
            self.whole = self.goal_whole
            self.part = self.goal_part
        elif ahead:
            self.part += part
            if self.part >= WHOLE:
                self.part -= WHOLE
                steps += 1
            self.whole = (self.whole + steps) & TURNS
        else:
            if self.part < part:
                self.part += WHOLE
                steps += 1
            self.part -= part
            self.whole = (self.whole - steps) & TURNS

    def behind(self) -> bool:
        """Whether the goal lies behind, in the negative direction."""
        away: whole = (self.goal_whole - self.whole) & TURNS
        return away >= HALF_TURNS or (away == 0 and self.goal_part < self.part)

    def steps_away(self) -> whole:
        """The whole steps to the goal, either way."""
        if self.behind():
            back: whole = (self.whole - self.goal_whole) & TURNS
            return back - 1 if self.part < self.goal_part else back
        ahead: whole = (self.goal_whole - self.whole) & TURNS
        return ahead - 1 if self.goal_part < self.part else ahead

    def part_away(self) -> u16:
        """What is left beside the whole steps to the goal, either way, in thousandths."""
        if self.behind():
            return (
                self.part - self.goal_part
                if self.part >= self.goal_part
                else self.part + WHOLE - self.goal_part
            )
        return (
            self.goal_part - self.part if self.goal_part >= self.part else self.goal_part + WHOLE - self.part
        )

    def beyond(self, steps: whole, part: u16) -> bool:
        """Whether so many steps lead to the goal or past it."""
        away: whole = self.steps_away()
        return steps > away or (steps == away and part >= self.part_away())

    def tick(self, target: level, asked: bool, dt_ms: u16, mode: u8) -> None:
        """One turn of the loop: follow target, if it is asked for and the mode lets it; else come to rest."""
        wanted: level = target if asked and mode == FOLLOW else 0
        turned: bool = self.ramp.towards(wanted, dt_ms)
        # In a move it is told anew even at one rate, because what is left to turn has changed.
        if not (turned or self.moving):
            return
        at: level = self.ramp.at()
        rate: u16 = rate_of(self.table, abs(at))
        if rate == 0:
            self.rest()
        else:
            self.turned = True
            self.steps_left = self.limit(at > 0) if self.moving else NO_LIMIT
            self.demand.put(at, rate, self.table.facing if at > 0 else -self.table.facing, True, False)

    def limit(self, ahead: bool) -> i32:
        """The whole steps up to the goal in a direction, 0 where it lies in the other."""
        if ahead:
            away: whole = (self.goal_whole - self.whole) & TURNS
            return away if away < HALF_TURNS else 0
        # Counted down from the next whole step above, on both sides.
        from_whole: whole = (self.whole + 1) & TURNS if self.part != 0 else self.whole
        to_whole: whole = (self.goal_whole + 1) & TURNS if self.goal_part != 0 else self.goal_whole
        back: whole = (from_whole - to_whole) & TURNS
        return back if back < HALF_TURNS else 0

    def rounded(self) -> whole:
        """The count as whole steps, rounded half away from zero; it goes round."""
        negative: bool = self.whole >= HALF_TURNS
        up: bool = self.part > WHOLE // 2 if negative else self.part >= WHOLE // 2
        return (self.whole + 1) & TURNS if up else self.whole

    def go_to(self, place: whole, part: u16) -> None:
        """From now on, turn no further than a place. Begin from rest."""
        self.moving = True
        self.goal_whole = place
        self.goal_part = part

    def count_from_here(self) -> None:
        """This is where the count begins."""
        self.whole = 0
        self.part = 0

    def let_go(self) -> None:
        """The move is over, or must not go on."""
        self.moving = False
        self.most = FULL

    def there(self) -> bool:
        """Whether it is at the goal, or passing it."""
        return self.whole == self.goal_whole and self.part == self.goal_part

    def arrived(self) -> bool:
        """Whether it stands at the goal."""
        return self.there() and self.ramp.fine == 0

    def wanted(self, dt_ms: u16) -> level:
        """The level towards the goal for the next dt_ms: the greatest, of those that the ramp can reach in
        that time, from which it can still stop there; at least that of one step a second."""
        away: whole = self.steps_away()
        behind: bool = self.behind()
        now: level = self.ramp.at()
        if self.there() or (now != 0 and (now < 0) != behind):
            return 0
        left: amount = FAR * WHOLE
        if away < FAR:
            left = away * WHOLE + self.part_away()
        time_ms: u16 = dt_ms
        if time_ms < 1:
            time_ms = 1
        if time_ms > LONGEST_TICK_MS:
            time_ms = LONGEST_TICK_MS
        size: share = self.fastest(abs(now), left, time_ms)
        if size < self.table.least:
            size = self.table.least
        return -size if behind else size

    def fastest(self, now: share, left: amount, time_ms: u16) -> share:
        """The greatest size of a level, of those that the ramp can reach, from which left is enough to
        stop."""
        most: share = change(self.table.ramp, time_ms)
        low: share = now - most if now > most else 0
        top: share = now + most if most < FULL - now else FULL
        if top > self.most:
            top = self.most if self.most > low else low
        if reach(self.table, top, time_ms) <= left:
            return top
        # By halving: the way to rest only grows with the level.
        while low < top:
            middle: share = (low + top + 1) >> 1
            if reach(self.table, middle, time_ms) <= left:
                low = middle
            else:
                top = middle - 1
        return top

    def halt(self) -> None:
        """To rest at once, without a ramp."""
        self.ramp.halt()
        self.rest()
