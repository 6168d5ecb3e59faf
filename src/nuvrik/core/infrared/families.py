"""Which code a burst is, if it is one and only one.

A family must fit well, and no other family nearly as well: what could be two codes is read as none. So a
family is entered even where it fits badly, because it can keep another from being read. After any change run
the sweeps of ``tests/test_infrared.py`` whole (NUVRIK_THOROUGH=1): no false code in any of them comes before
every code read in all of them.

Where no reader can tell: rc5 0/64 and sirc12 31/127 are one shape once the stretch is free. Those stay
unread."""

from nuvrik.core.infrared.burst import MOST_SCORE, NO_FIT, Burst
from nuvrik.core.sizes import MOST_LENGTHS
from nuvrik.core.widths import u8, u16, whole

NO_CODE = 0
NEC = 1
NEC_EXTENDED = 2
NEC_AGAIN = 3
RC5 = 4
RC6 = 5
SIRC12 = 6
SIRC15 = 7
SIRC20 = 8
LEARNED = 9
"""The codes. What a nec remote sends while a key is held, NEC_AGAIN, says of no key which it is."""

NEC_UNIT = 2250
RC5_UNIT = 3556
RC6_UNIT = 1778
SIRC_UNIT = 2400
"""What a unit of each family lasts, in quarters of a microsecond."""

NEC_EACH = 420
RC5_EACH = 310
RC6_EACH = 340
SIRC_EACH = 310
"""How far off one length may be, in thousandths of its unit. Families that can tell by other means (a
complement, bi-phase halves) allow more."""

MARGIN = 30
"""How much better than the second the best must be. Found by wearing codes of all families: pairs that
can be mistaken for each other lie closer than this, and others further apart."""

LATER_LEADER_US = 1500
TRIES = 3
"""A frame behind a stray pulse is looked for at later marks as long as that, so often in a burst."""


class Found:
    """The code that fits best so far, and how well another does. A code with the same of everything is no
    other."""

    def __init__(self) -> None:
        self.best: u16 = NO_FIT
        self.second: u16 = NO_FIT
        self.protocol: u8 = NO_CODE
        self.address: u16 = 0
        self.command: u8 = 0
        self.toggle: u8 = 0

    def clear(self) -> None:
        """Nothing fits yet."""
        self.best = NO_FIT
        self.second = NO_FIT
        self.protocol = NO_CODE
        self.address = 0
        self.command = 0
        self.toggle = 0

    def enter(self, score: u16, protocol: u8, address: u16, command: u8, toggle: u8) -> None:
        """A code that fits so well."""
        if score == NO_FIT:
            return
        same: bool = protocol == self.protocol and address == self.address and toggle == self.toggle
        if same and command == self.command:
            if score < self.best:
                self.best = score
        elif score >= self.best:
            if score < self.second:
                self.second = score
        else:
            self.second = self.best
            self.best = score
            self.protocol = protocol
            self.address = address
            self.command = command
            self.toggle = toggle

    def certain(self) -> bool:
        """Whether it fits well enough, and no other nearly as well."""
        return self.best <= MOST_SCORE and self.second >= self.best + MARGIN


def judge(burst: Burst, found: Found) -> bool:
    """Find the code that a burst is, or that begins at a leader in it; False if it is none, or may be two.
    The burst begins where the code does, afterwards."""
    burst.first = 0
    if burst.kept > MOST_LENGTHS:
        return False
    for _ in range(TRIES):
        found.clear()
        try_all(burst, found)
        if found.best != NO_FIT:
            return found.certain()
        place: u8 = burst.first + 2
        while place < burst.kept and burst.times[place] < LATER_LEADER_US:
            place += 2
        burst.first = place
    return False


def try_all(burst: Burst, found: Found) -> None:
    """Every family that can have so many lengths. Later in the burst only those that begin with a leader,
    because part of an rc5 frame is one as well."""
    count: u8 = burst.count()
    if count < 3:
        return
    leader: u16 = burst.time(0)
    if count == 3:
        try_nec_again(burst, found)
    if count == 67 and leader > 5000:
        try_nec(burst, found)
    if count >= 13 and count <= 27 and leader < 2800 and burst.first == 0:
        try_rc5(burst, found, 12)
        try_rc5(burst, found, 13)
    if count >= 23 and count <= 45 and leader > 1500 and leader < 4200:
        try_rc6(burst, found, 21)
        try_rc6(burst, found, 22)
    if leader > 1350 and leader < 3800:
        if count == 25:
            try_sirc(burst, found, SIRC12)
        elif count == 31:
            try_sirc(burst, found, SIRC15)
        elif count == 41:
            try_sirc(burst, found, SIRC20)


def try_nec_again(burst: Burst, found: Found) -> None:
    """A leader of 16 and 4 units and one mark: too few lengths to find a stretch from, so they are bounded,
    by the clock and the stretch that a remote and a receiver may have."""
    mark: u16 = burst.time(0)
    space: u16 = burst.time(1)
    last: u16 = burst.time(2)
    if mark < 6000 or mark > 12700 or last < 150 or last > 930 or space > 9600:
        return
    # A quarter of the leader, where a frame has half.
    if 40 * space < 6 * mark or 40 * space > 15 * mark or mark + space < 7600 or mark + space > 15600:
        return
    found.enter(0, NEC_AGAIN, 0, 0, 0)


def nec_byte(burst: Burst, start: u8, middle: u16) -> u8:
    """A byte of a nec frame, lowest bit first, whose first mark is at a place; a space over the middle is a
    one."""
    value: u8 = 0
    for bit in range(8):
        space: u8 = start + 2 * bit + 1
        one: bool = burst.time(space) > middle
        burst.units[space - 1] = 1
        burst.units[space] = 3 if one else 1
        if one:
            value |= 1 << bit
    return value


def try_nec(burst: Burst, found: Found) -> None:
    """Leader 16 and 8; marks of 1, spaces of 1 or 3; the third byte's complement is the fourth."""
    middle: u16 = burst.middle(3)
    if middle == 0:
        return
    low: u8 = nec_byte(burst, 2, middle)
    high: u8 = nec_byte(burst, 18, middle)
    command: u8 = nec_byte(burst, 34, middle)
    complement: u8 = nec_byte(burst, 50, middle)
    if (command ^ complement) != 0xFF:
        return
    burst.units[0] = 16
    burst.units[1] = 8
    burst.units[66] = 1
    score: u16 = burst.score(NEC_UNIT, NEC_EACH)
    if (low ^ high) == 0xFF:
        found.enter(score, NEC, low, command, 0)
    else:
        found.enter(score, NEC_EXTENDED, low + 256 * high, command, 0)


def try_sirc(burst: Burst, found: Found, protocol: u8) -> None:
    """Leader 4, spaces 1, marks 1 or 2. They may be of both kinds, or all of the one or the other: where they
    scatter, only the fit can tell."""
    middle: u16 = burst.middle(2)
    sirc_as(burst, found, protocol, 0)
    sirc_as(burst, found, protocol, burst.longest_mark())
    if middle != 0:
        sirc_as(burst, found, protocol, middle)


def sirc_as(burst: Burst, found: Found, protocol: u8, middle: u16) -> None:
    """sirc, if marks longer than the middle are ones: 7 bits of command, lowest first, then the address."""
    command: u8 = 0
    address: u16 = 0
    weight: u16 = 1
    burst.units[0] = 4
    place: u8 = 1
    while place < burst.count():
        one: bool = (place & 1) == 0 and burst.time(place) > middle
        burst.units[place] = 2 if one else 1
        if (place & 1) == 0:
            if place <= 14:
                command |= weight & 0x7F if one else 0
            else:
                address |= weight if one else 0
            weight = 1 if place == 14 else (2 * weight) & 0xFFFF
        place += 1
    found.enter(burst.score(SIRC_UNIT, SIRC_EACH), protocol, address, command, 0)


def try_rc5(burst: Burst, found: Found, spaces: u8) -> None:
    """14 bits; a 1 is space then mark. The first space is not seen, nor the last of a 0: 12 spaces or 13."""
    if not burst.balance(0, 14, spaces):
        return
    half: u8 = 1
    before: bool = False
    value: u16 = 0
    for place in range(burst.count()):
        mark: bool = (place & 1) == 0
        units: u8 = burst.units[place]
        if units > 2:
            return
        for _ in range(units):
            if (half & 1) != 0:
                if before == mark:
                    return
                value = (2 * value + (1 if mark else 0)) & 0x3FFF
            before = mark
            half += 1
    if half == 27:
        # The last bit is a 0, whose space nobody sees.
        value = (2 * value) & 0x3FFF
    field: u8 = 0 if ((value >> 12) & 1) != 0 else 64
    command: u8 = (value & 63) + field
    found.enter(burst.score(RC5_UNIT, RC5_EACH), RC5, (value >> 6) & 31, command, (value >> 11) & 1)


def try_rc6(burst: Burst, found: Found, spaces: u8) -> None:
    """Leader 6 and 2; start bit 1, mode 000, a toggle of double width, 16 bits; a 1 is mark then space."""
    if not burst.balance(2, 22, spaces):
        return
    burst.units[0] = 6
    burst.units[1] = 2
    half: u8 = 0
    before: bool = False
    bits: whole = 0
    toggle: u8 = 0
    place: u8 = 2
    while place < burst.count():
        mark: bool = (place & 1) == 0
        for _ in range(burst.units[place]):
            if half == 9 or half == 11:
                # The second halves of the toggle's halves.
                if before != mark:
                    return
            elif half == 10 or (half & 1) != 0:
                if before == mark:
                    return
                if half == 10:
                    toggle = 1 if before else 0
                else:
                    bits = (2 * bits + (1 if before else 0)) & 0xFFFFF
            before = mark
            half += 1
        place += 1
    if half == 43:
        # The last bit is a 1, whose space nobody sees.
        bits = (2 * bits + (1 if before else 0)) & 0xFFFFF
    if (bits >> 16) != 8:
        return
    found.enter(burst.score(RC6_UNIT, RC6_EACH), RC6, (bits >> 8) & 0xFF, bits & 0xFF, toggle)
