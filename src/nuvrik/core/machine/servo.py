"""What stands in a place, and what is off or on: servos and switches."""

from nuvrik.core.levels import FULL, clamp, later, mul
from nuvrik.core.machine.demand import FOLLOW, LOST, SAFE, Demand
from nuvrik.core.ramp import RampTable, Slew
from nuvrik.core.widths import Table, level, sign, span, u8, u16

STAYS = 0
RELEASES = 1
GOES = 2


class ServoTable(Table):
    """One servo. facing: 1, or -1 where it is mounted the other way round. low and high: it never goes beyond
    these. on_loss: STAYS, RELEASES (no pulses) or GOES to lost_place. silent: no pulses until it is told a
    place."""

    slew: RampTable
    facing: sign
    low: level
    high: level
    pulse_low: u16
    pulse_centre: u16
    pulse_high: u16
    on_loss: u8
    lost_place: level
    silent: bool


def pulse_at(table: ServoTable, place: level) -> u16:
    """The pulse for a place, in microseconds. Each half of the travel has a length of its own."""
    turned: level = place * table.facing
    room: u16 = table.pulse_high - table.pulse_centre
    if turned < 0:
        room = table.pulse_centre - table.pulse_low
    away: span = mul(turned, room)
    return table.pulse_centre + away


class Servo:
    """Goes to a place and stays there. Without a reading, and outside ARMED, it stays: the pulses of that
    moment, so that a ramp under way ends there. Where it stands before it has ever been told a place nobody
    knows: so it gets no pulses until then, unless the link file has it centred, and goes to its first place
    without a ramp, which would begin at a place that nobody asked for.

    started: it has been told a place since power-up; following: it was ARMED in the last tick; asked: it had
    a reading then, led: or a jog or a motion moved it; given: it has had a reading since it was ARMED, and
    for unread_ms none."""

    def __init__(self, table: ServoTable) -> None:
        self.table: ServoTable = table
        self.slew: Slew = Slew(table.slew)
        self.demand: Demand = Demand()
        self.goal: level = 0
        self.released: bool = table.silent
        self.started: bool = not table.silent
        self.following: bool = False
        self.asked: bool = False
        self.led: bool = False
        self.given: bool = False
        self.unread_ms: u16 = 0

    def begin(self) -> None:
        """At power-up: in the centre, as far as anybody knows."""
        self.tell()

    def tell(self) -> None:
        """Tell the servo where to be."""
        place: level = self.slew.at()
        if self.released:
            self.demand.put(place, 0, 1, False, False)
        else:
            self.demand.put(place, pulse_at(self.table, place), 1, False, False)

    def tick(self, target: level, asked: bool, led: bool, dt_ms: u16, mode: u8, timeout_ms: u16) -> None:
        """One turn of the loop: go towards target, if a reading asks for it, or a jog or a motion leads
        there, and the mode lets it; else stay. Once it had a reading, and then none for timeout_ms, it does
        what on_loss says."""
        if (mode == FOLLOW) != self.following:
            # Leaving ARMED freezes it, and what a loss began is not finished in ARMED.
            self.halt()
            self.following = mode == FOLLOW
        if mode == FOLLOW:
            self.follow(target, asked, led, dt_ms, timeout_ms)
        elif mode == LOST and self.started:
            # One that was never told a place gets no pulses for being lost either.
            self.lose()
        moved: bool = self.slew.towards(self.goal, dt_ms)
        if moved or self.released == (self.demand.value != 0):
            self.tell()

    def follow(self, target: level, asked: bool, led: bool, dt_ms: u16, timeout_ms: u16) -> None:
        """In ARMED."""
        if asked or led:
            self.goal = clamp(target, self.table.low, self.table.high)
            if not self.started:
                self.slew.put(self.goal)
            self.released = False
            self.started = True
        elif self.asked or self.led:
            self.goal = self.slew.at()
        self.asked = asked
        self.led = led
        if asked:
            self.given = True
            self.unread_ms = 0
        elif self.given:
            self.unread_ms = later(self.unread_ms, dt_ms)
            if self.unread_ms >= timeout_ms:
                self.given = False
                self.lose()

    def lose(self) -> None:
        """Nobody says any more where it is to be."""
        self.released = self.table.on_loss == RELEASES
        if self.table.on_loss == GOES:
            self.goal = self.table.lost_place

    def halt(self) -> None:
        """Stay where it is now."""
        # Where it is on its way, not where it was going: a stop must not let it go on to its goal.
        self.goal = self.slew.at()
        self.asked = False
        self.led = False
        self.given = False


class SwitchTable(Table):
    """One switch. holds: it stays on through a loss, and when arm goes off by itself."""

    holds: bool


class Switch:
    """Off or on. It is on only while armed, unless it holds."""

    def __init__(self, table: SwitchTable) -> None:
        self.table: SwitchTable = table
        self.demand: Demand = Demand()

    def put(self, on: bool) -> None:
        """Be on, or off."""
        if on:
            self.demand.put(FULL, 1, 1, False, False)
        else:
            self.demand.put(0, 0, 1, False, False)

    def begin(self) -> None:
        """At power-up: off."""
        self.put(False)

    def tick(self, target: level, asked: bool, mode: u8) -> None:
        """One turn of the loop: on if target is above zero; if nothing is asked for, as it was."""
        if mode == FOLLOW:
            if asked:
                self.put(target > 0)
        elif mode == SAFE or not self.table.holds:
            self.put(False)

    def halt(self) -> None:
        """Off."""
        self.put(False)
