"""One burst of marks and spaces, first mark to last: which code is it, if it is one and only one?

How this works. A remote's clock may run a fifth fast or slow, a receiver makes marks longer and spaces
shorter by as much (the stretch), and every length strays by itself. So nothing is held against nominal
lengths. Each family of codes that can have so many lengths says how many units each of them is; from these
the clock and the stretch follow together, in closed form; and then every length is held against them. A
family must fit well, and no other family nearly as well: what could be two codes is read as none.

* Which units a length has is found without a clock. Bi-phase codes (rc5, rc6) have as much mark as space, so
  their unit and stretch follow from the two sums alone. A nec frame has ones and zeros in each byte and its
  complement, so half way between its shortest and its longest space divides them. Of sirc's marks, all may be
  alike, so that is tried as well.
* Clock and stretch: a length of k units is k * u + s for a mark and k * u - s for a space. The mean of length
  / k over all marks is u + s * mean(1 / k), over all spaces u - s * mean(1 / k): two equations for u and s.
* The score is the mean error, each in thousandths of its own unit, and half the stretch in microseconds.

What was tried before and given up: judging edges against a running grid with gains for phase, pace and lean.
It read rc6 as sirc15 with a clock 20 % slow, and 101 of 1,200 codes falsely with lengths off by 15 % each.

Rules for whoever edits this. Everything is integers, because a chip reads the same bursts. A family yields a
reading even where it fits badly, so that it can keep another from being read. After any change run the sweeps
of ``tests/test_infrared.py`` whole (NUVRIK_THOROUGH=1): no false code in any of them comes before every code
read in all of them.

Where no reader can tell: rc5 0/64 and sirc12 31/127 are one shape once the stretch is free. Those stay
unread. All is integers, in quarters of a microsecond where it is finer than one."""

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

from nuvrik.levels import div

MOST_LENGTHS = 80
"""Lengths in the longest burst looked at: nec has 67; the rest is room for what lies before a frame."""

LATER_LEADER_US = 1500
TRIES = 3
"""A frame behind a stray pulse is looked for at later marks as long as that, so often in a burst."""

MOST_SCORE = 200
"""A worse fit is unread. Lengths off by up to 15 %, each for itself, score 75 on average, edges that stray by
as much about 100, and a stretch of 150 us adds 75."""

MARGIN = 30
"""How much better than the second the best must be. Found by wearing codes of all families: pairs that
can be mistaken for each other lie closer than this, and others further apart."""

RIVAL_EACH, RIVAL_SCORE = 500, 280
"""A family that fits only so loosely is not read, but keeps another from being read."""

SLOWEST, FASTEST = 75, 126
"""A unit is within these hundredths of its nominal length: 20 % of clock, and what rounding adds."""

MOST_STRETCH_US = 200
"""Receivers stretch by up to 150 us; the rest is what scatter adds to the estimate."""

QUARTERS = 4
PARTS = 48
"""1 / k in whole numbers, for every k up to 4 and for 6, 8 and 16."""

NO_FIT = 9999
"""Worse than any score."""


class Family(NamedTuple):
    """A kind of code: its nominal unit in quarters of a microsecond, and how far off one length may be, in
    thousandths of its unit. Families that can tell by other means (a complement, bi-phase halves) allow
    more."""

    unit: int
    each: int


NEC = Family(2250, 420)
RC5 = Family(3556, 310)
RC6 = Family(1778, 340)
SIRC = Family(2400, 310)


class Reading(NamedTuple):
    """What a burst may be: the smaller the ``score``, the better it fits. ``start`` is the place of its first
    mark in the burst; ``command`` is None for nec's repeat frame."""

    score: int
    protocol: str
    address: int | None
    command: int | None
    toggle: int | None
    bits: int
    start: int = 0


def judge(lengths: Sequence[int]) -> Reading | None:
    """The code that a burst is (lengths in microseconds, all positive, mark first), or that begins at a
    leader in it; None if it is none, or may be two."""
    start = 0
    for _ in range(TRIES):
        found = sorted(_readings(lengths[start:], later=start > 0))
        if found:
            best, second = found[0], next((f.score for f in found if f[1:] != found[0][1:]), NO_FIT)
            certain = best.score <= MOST_SCORE and second >= best.score + MARGIN
            return best._replace(start=start) if certain else None
        later = (at for at in range(start + 2, len(lengths), 2) if lengths[at] >= LATER_LEADER_US)
        start = next(later, len(lengths))
    return None


def _readings(lengths: Sequence[int], *, later: bool = False) -> Iterator[Reading]:
    """Every family that can have so many lengths, and fits at least loosely; ``later`` in the burst only
    those that begin with a leader, because part of an rc5 frame is one as well."""
    count = len(lengths)
    if count < 3:
        return
    first = lengths[0]
    if count == 3:
        yield from _nec_repeat(*lengths)
    if count == 67 and first > 5000:
        yield from _nec(lengths)
    if 13 <= count <= 27 and first < 2800 and not later:
        for spaces in (12, 13):
            yield from _rc5(lengths, spaces)
    if 23 <= count <= 45 and 1500 < first < 4200:
        for spaces in (21, 22):
            yield from _rc6(lengths, spaces)
    if count in (25, 31, 41) and 1350 < first < 3800:
        yield from _sirc(lengths)


# ---- the families --------------------------------------------------------------------------


def _nec_repeat(mark: int, space: int, last: int) -> Iterator[Reading]:
    """A leader of 16 and 4 units and one mark: too few lengths to find a stretch from, so they are bounded,
    by the clock and the stretch that a remote and a receiver may have."""
    if not (6000 <= mark <= 12_700 and 150 <= last <= 930 and 7600 <= mark + space <= 15_600):
        return
    # A quarter of the leader, where a frame has half.
    if 6 * mark <= 40 * space <= 15 * mark:
        yield Reading(0, "nec", None, None, None, 0)


def _nec(lengths: Sequence[int]) -> Iterator[Reading]:
    """Leader 16 and 8; marks of 1, spaces of 1 or 3; the third byte's complement is the fourth."""
    middle = _between(lengths[3:66:2])
    if middle is None:
        return
    ones = [int(space > middle) for space in lengths[3:66:2]]
    value = _low_first(ones)
    low, high, command, complement = (value >> shift & 0xFF for shift in (0, 8, 16, 24))
    if command ^ complement != 0xFF:
        return
    units = [16, 8, *(unit for one in ones for unit in (1, 3 if one else 1)), 1]
    score = _score(lengths, units, NEC)
    plain = low ^ high == 0xFF
    if score != NO_FIT:
        name = "nec" if plain else "nec_extended"
        yield Reading(score, name, low if plain else high << 8 | low, command, None, 32)


def _sirc(lengths: Sequence[int]) -> Iterator[Reading]:
    """Leader 4, spaces 1, marks 1 or 2. They may be of both kinds, or all of the one or the other: where they
    scatter, only the fit can tell."""
    marks = lengths[2::2]
    middle = _between(marks)
    count = len(marks)
    for limit in (0, max(marks), *(() if middle is None else (middle,))):
        ones = [int(mark > limit) for mark in marks]
        units = [4, *(unit for one in ones for unit in (1, 1 + one))]
        score, value = _score(lengths, units, SIRC), _low_first(ones)
        if score != NO_FIT:
            yield Reading(score, f"sirc{count}", value >> 7, value & 0x7F, None, count)


def _rc5(lengths: Sequence[int], spaces: int) -> Iterator[Reading]:
    """14 bits; a 1 is space then mark. The first space is not seen, nor the last of a 0: 12 spaces or 13."""
    units = _balanced(lengths, 14, spaces)
    if units is None or max(units) > 2:
        return
    halves = [0, *_levels(units), 0][: 28 if sum(units) == 26 else None]
    bits = _pairs(halves[:28], one=(0, 1))
    if bits is None or len(bits) != 14:
        return
    score, value = _score(lengths, units, RC5), _high_first(bits)
    if score != NO_FIT:
        command = value & 0x3F | (0 if value >> 12 & 1 else 0x40)
        yield Reading(score, "rc5", value >> 6 & 0x1F, command, value >> 11 & 1, 14)


def _rc6(lengths: Sequence[int], spaces: int) -> Iterator[Reading]:
    """Leader 6 and 2; start bit 1, mode 000, a toggle of double width, 16 bits; a 1 is mark then space."""
    body = _balanced(lengths, 22, spaces, first=2)
    if body is None:
        return
    halves = [*_levels(body), 0][:44]
    if len(halves) != 44 or halves[8] != halves[9] or halves[10] != halves[11]:
        return
    bits = _pairs([*halves[:8], halves[8], halves[10], *halves[12:]], one=(1, 0))
    if bits is None or bits[:4] != [1, 0, 0, 0]:
        return
    score, value = _score(lengths, [6, 2, *body], RC6), _high_first(bits[5:])
    if score != NO_FIT:
        yield Reading(score, "rc6", value >> 8, value & 0xFF, bits[4], 21)


def _between(lengths: Sequence[int]) -> int | None:
    """Half way between the shortest and the longest; None where they are of one kind (1.4 is nearer to 1 than
    to the 2 or 3 that would be the other kind)."""
    least, most = min(lengths), max(lengths)
    return None if 5 * most < 7 * least else (least + most) // 2


def _balanced(lengths: Sequence[int], marks: int, spaces: int, first: int = 0) -> list[int] | None:
    """Units of a bi-phase code: from a place on there are so many of mark and so many of space, and from that
    alone unit and stretch follow. None if a length is not 1 to 3 units, or the sum differs."""
    body = lengths[first:]
    mark_us, space_us = sum(body[::2]), sum(body[1::2])
    mark_count, space_count = len(body[::2]), len(body[1::2])
    stretch = div(mark_us * spaces - space_us * marks, mark_count * spaces + space_count * marks)
    unit = div(mark_us - stretch * mark_count, marks)
    if abs(stretch) > 2 * MOST_STRETCH_US or not 200 <= unit <= 2000:
        return None
    units = [
        (length - stretch + unit // 2) // unit if place % 2 == 0 else (length + stretch + unit // 2) // unit
        for place, length in enumerate(body)
    ]
    sound = all(1 <= one <= 3 for one in units) and sum(units) == marks + spaces
    return units if sound else None


def _levels(units: Sequence[int]) -> list[int]:
    """1 for a mark, 0 for a space, once for each unit."""
    return [1 - place % 2 for place, unit in enumerate(units) for _ in range(unit)]


def _pairs(halves: Sequence[int], one: tuple[int, int]) -> list[int] | None:
    """Bi-phase bits; None if the two halves of one are alike."""
    pairs = list(pairwise(halves))[::2]
    return None if any(a == b for a, b in pairs) else [int(pair == one) for pair in pairs]


def _low_first(bits: Sequence[int]) -> int:
    return sum(bit << place for place, bit in enumerate(bits))


def _high_first(bits: Sequence[int]) -> int:
    return _low_first(bits[::-1])


# ---- how well it fits ----------------------------------------------------------------------


def _score(lengths: Sequence[int], units: Sequence[int], family: Family) -> int:
    """How well the lengths are so many units each; NO_FIT if they are not."""
    # Each length for one unit of it, and what part of the stretch falls on that unit.
    shares = [QUARTERS * length // unit for length, unit in zip(lengths, units, strict=True)]
    parts = [PARTS // unit for unit in units]
    mark, space = _mean(shares[::2]), _mean(shares[1::2])
    mark_part, space_part = _mean(parts[::2]), _mean(parts[1::2])
    stretch = div((mark - space) * PARTS, mark_part + space_part)
    unit = mark - div(stretch * mark_part, PARTS)
    if abs(stretch) > QUARTERS * MOST_STRETCH_US:
        return NO_FIT
    if not SLOWEST * family.unit <= 100 * unit <= FASTEST * family.unit:
        return NO_FIT
    leans = [div(stretch if place % 2 == 0 else -stretch, units[place]) for place in range(len(units))]
    errors = [abs(one - unit - lean) for one, lean in zip(shares, leans, strict=True)]
    worst = 1000 * max(errors)
    if worst > RIVAL_EACH * unit:
        return NO_FIT
    score = 1000 * sum(errors) // len(errors) // unit + abs(stretch) // (2 * QUARTERS)
    if score > RIVAL_SCORE:
        return NO_FIT
    # One length too far off: it fits only as a rival does.
    return max(score, MOST_SCORE + 1) if worst > family.each * unit else score


def _mean(numbers: Sequence[int]) -> int:
    return div(sum(numbers), len(numbers))
