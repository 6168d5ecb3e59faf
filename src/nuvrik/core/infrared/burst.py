"""One burst of marks and spaces, first mark to last, and how well lengths fit units.

How this works. A remote's clock may run a fifth fast or slow, a receiver makes marks longer and spaces
shorter by as much (the stretch), and every length strays by itself. So nothing is held against nominal
lengths. Each family of codes that can have so many lengths says how many units each of them is; from these
the clock and the stretch follow together, in closed form; and then every length is held against them.

A length of k units is k * u + s for a mark and k * u - s for a space. The mean of length / k over all marks
is u + s * mean(1 / k), over all spaces u - s * mean(1 / k): two equations for u and s. The score is the mean
error, each in thousandths of its own unit, and half the stretch in microseconds.

What was tried before and given up: judging edges against a running grid with gains for phase, pace and lean.
It read rc6 as sirc15 with a clock 20 % slow, and 101 of 1,200 codes falsely with lengths off by 15 % each."""

from nuvrik.core.levels import clamp, div
from nuvrik.core.sizes import MOST_LENGTHS
from nuvrik.core.widths import amount, few, fine, i32, product, u8, u16

LONGEST_US = 65535
"""A length is kept as this at most; none that is part of a code is nearly as long."""

MOST_SCORE = 200
"""A worse fit is unread. Lengths off by up to 15 %, each for itself, score 75 on average, edges that stray by
as much about 100, and a stretch of 150 us adds 75."""

RIVAL_EACH = 500
RIVAL_SCORE = 280
"""A family that fits only so loosely is not read, but keeps another from being read."""

SLOWEST = 75
FASTEST = 126
"""A unit is within these hundredths of its nominal length: 20 % of clock, and what rounding adds."""

MOST_STRETCH_US = 200
"""Receivers stretch by up to 150 us; the rest is what scatter adds to the estimate."""

QUARTERS = 4
"""Lengths are compared in quarters of a microsecond."""

PARTS = 48
"""1 / k in whole numbers, for every k up to 4 and for 6, 8 and 16."""

NO_FIT = 9999
"""Worse than any score."""


class Burst:
    """The lengths of a burst, mark first; those from first on are looked at. units: how many of a family's
    units each of these is, as the family has it that is just being tried."""

    def __init__(self) -> None:
        self.times: list[u16] = [0] * MOST_LENGTHS
        self.units: list[few] = [1] * MOST_LENGTHS
        self.kept: u8 = 0
        self.first: u8 = 0

    def empty(self) -> None:
        """Nothing has come yet."""
        self.kept = 0
        self.first = 0

    def keep(self, us: i32) -> None:
        """One length more. Of a burst that is too long only that is kept."""
        if self.kept < MOST_LENGTHS:
            self.times[self.kept] = clamp(us, 0, LONGEST_US)
            self.kept += 1
        else:
            self.kept = MOST_LENGTHS + 1

    def count(self) -> u8:
        """How many lengths there are from the first on."""
        return self.kept - self.first if self.kept > self.first else 0

    def time(self, place: u8) -> u16:
        """The length at a place."""
        return self.times[self.first + place]

    def middle(self, start: u8) -> u16:
        """Half way between the shortest and the longest of every other length from a place on; 0 where they
        are of one kind (1.4 is nearer to 1 than to the 2 or 3 that would be the other kind)."""
        least: u16 = LONGEST_US
        most: u16 = 0
        place: u8 = start
        while place < self.count():
            length: u16 = self.time(place)
            if length < least:
                least = length
            if length > most:
                most = length
            place += 2
        return 0 if 5 * most < 7 * least else (least + most) // 2

    def longest_mark(self) -> u16:
        """The longest mark behind the leader."""
        most: u16 = 0
        place: u8 = 2
        while place < self.count():
            if self.time(place) > most:
                most = self.time(place)
            place += 2
        return most

    def balance(self, start: u8, marks: u8, spaces: u8) -> bool:
        """Units of a bi-phase code: from a place on there are so many of mark and so many of space, and from
        that alone unit and stretch follow. False if a length is not 1 to 3 units, or the sum differs."""
        mark_us: fine = 0
        space_us: fine = 0
        mark_count: u8 = 0
        space_count: u8 = 0
        place: u8 = start
        while place < self.count():
            if (place & 1) == 0:
                mark_us += self.time(place)
                mark_count += 1
            else:
                space_us += self.time(place)
                space_count += 1
            place += 1
        more: amount = mark_us * spaces
        less: amount = space_us * marks
        stretch: fine = div(more - less, mark_count * spaces + space_count * marks)
        if abs(stretch) > 2 * MOST_STRETCH_US:
            return False
        given: product = stretch * mark_count
        unit: fine = div(mark_us - given, marks)
        if unit < 200 or unit > 2000:
            return False
        total: u16 = 0
        place = start
        while place < self.count():
            length: fine = self.time(place) + unit // 2
            length = length - stretch if (place & 1) == 0 else length + stretch
            if length < unit or length >= 4 * unit:
                return False
            units: u8 = length // unit
            self.units[place] = units
            total += units
            place += 1
        return total == marks + spaces

    def for_one(self, place: u8) -> fine:
        """A length for one unit of it, in quarters of a microsecond."""
        return QUARTERS * self.time(place) // self.units[place]

    def lean(self, place: u8, stretch: fine) -> fine:
        """What of the stretch falls on one unit of a length."""
        return div(stretch if (place & 1) == 0 else -stretch, self.units[place])

    def score(self, nominal: u16, each: u16) -> u16:
        """How well the lengths are so many units each; NO_FIT if they are not. nominal: a unit in quarters of
        a microsecond; each: how far off one length may be, in thousandths of its unit."""
        mark_sum: fine = 0
        space_sum: fine = 0
        mark_parts: u16 = 0
        space_parts: u16 = 0
        for place in range(self.count()):
            part: u8 = PARTS // self.units[place]
            if (place & 1) == 0:
                mark_sum += self.for_one(place)
                mark_parts += part
            else:
                space_sum += self.for_one(place)
                space_parts += part
        space_count: u8 = self.count() // 2
        mark_count: u8 = self.count() - space_count
        mark: fine = div(mark_sum, mark_count)
        mark_part: u8 = div(mark_parts, mark_count)
        space: fine = div(space_sum, space_count)
        apart: product = (mark - space) * PARTS
        space_part: u8 = div(space_parts, space_count)
        stretch: fine = div(apart, mark_part + space_part)
        if abs(stretch) > QUARTERS * MOST_STRETCH_US:
            return NO_FIT
        lent: product = stretch * mark_part
        given: fine = div(lent, PARTS)
        unit: fine = mark - given
        if unit < 1 or unit > 8000 or 100 * unit < SLOWEST * nominal or 100 * unit > FASTEST * nominal:
            return NO_FIT
        return self.scored(unit, stretch, each)

    def scored(self, unit: u16, stretch: fine, each: u16) -> u16:
        """The same, where the unit and the stretch are known."""
        worst: amount = 0
        errors: amount = 0
        for place in range(self.count()):
            error: amount = abs(self.for_one(place) - unit - self.lean(place, stretch))
            errors += error
            if error > worst:
                worst = error
        off: amount = 1000 * worst
        if off > RIVAL_EACH * unit:
            return NO_FIT
        total: amount = 1000 * errors
        score: i32 = total // self.count() // unit + abs(stretch) // (2 * QUARTERS)
        if score > RIVAL_SCORE:
            return NO_FIT
        # One length too far off: it fits only as a rival does.
        return MOST_SCORE + 1 if off > each * unit and score <= MOST_SCORE else score
