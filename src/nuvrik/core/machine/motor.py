"""A motor behind its driver: from the level it is to have to the duty, the way and the brake now."""

from nuvrik.core.curve import CurveTable, along
from nuvrik.core.levels import FULL, FULL_BITS, later
from nuvrik.core.machine.demand import FOLLOW, LOST, Demand
from nuvrik.core.ramp import Ramp, RampTable, coarse
from nuvrik.core.widths import Table, amount, level, sign, u8, u16

HOLD_ENDS_MS = 1000
"""A hold that ends says so for its last second: long enough to be seen, and to set the load down."""


class MotorTable(Table):
    """One motor. facing: 1, or -1 where it is mounted the other way round. start, top, back_start, back_top:
    the least and the most duty either way (for pulses: microseconds beyond the pulse at rest). rest: the
    pulse at rest, 0 where duty is told. hold: the duty that holds a load, 0 for none. curve: its points."""

    ramp: RampTable
    facing: sign
    pulses: bool
    rest: u16
    start: u16
    top: u16
    back_start: u16
    back_top: u16
    curve: CurveTable
    hold: u16
    hold_toward: sign
    hold_ms: u16
    hold_from_arming: bool
    brakes_idle: bool
    brakes_lost: bool
    ramps_on_loss: bool


def above(size: level, start: u16, top: u16) -> u16:
    """Duty for a size: nothing at rest, and from the start to the top beyond."""
    room: u16 = top - start
    if size <= 0:
        return start
    area: amount = size * room
    # FULL is a power of two, so rounding is a shift: a division is the slowest thing a chip does.
    grown: u16 = (area + FULL // 2) >> FULL_BITS
    return start + grown


class Motor:
    """One motor: ramp, reverse pause, start duty, limit, direction, and holding a load."""

    def __init__(self, table: MotorTable) -> None:
        self.table: MotorTable = table
        self.ramp: Ramp = Ramp(table.ramp)
        self.demand: Demand = Demand()
        self.armed: bool = False
        self.lost: bool = False
        self.has_turned: bool = False
        self.held_ms: u16 = 0

    def begin(self) -> None:
        """At power-up: off, as the driver is to be told."""
        self.idle(self.table.brakes_idle)

    def idle(self, braked: bool) -> None:
        """Let no power make it turn. A speed controller is told its pulse at rest all the time: without
        pulses it would beep or sleep."""
        if self.table.pulses:
            self.demand.put(0, self.table.rest, 1, False, braked)
        else:
            self.demand.put(0, 0, 0, False, braked)

    def tick(self, target: level, asked: bool, dt_ms: u16, mode: u8) -> None:
        """One turn of the loop: follow target, if it is asked for and the mode lets it; else come to rest."""
        wanted: level = target if asked and mode == FOLLOW else 0
        if mode == LOST and not self.table.ramps_on_loss:
            # Halted, and then moved by nothing, so that the time at rest counts from this tick.
            self.ramp.halt()
            self.ramp.towards(0, dt_ms)
            self.idle(self.table.brakes_lost)
            self.disarmed()
            self.lost = True
            return
        if self.lost:
            self.lost = False
            self.idle(self.table.brakes_idle)
        begins: bool = mode == FOLLOW and not self.armed
        if mode != FOLLOW:
            self.disarmed()
        elif begins:
            # A load that is up when the machine is armed may have to be held from then on.
            self.armed = True
            self.has_turned = self.table.hold_from_arming
            self.held_ms = 0
        moved: bool = self.ramp.towards(wanted, dt_ms)
        if moved:
            self.drive(coarse(self.ramp.fine))
            self.has_turned = True
            self.held_ms = 0
        if self.table.hold != 0 and self.ramp.fine == 0:
            # In the tick that reaches rest too: a gap of one tick lets the load drop a little each time.
            self.keep_holding(wanted, 0 if moved or begins else dt_ms, mode)

    def disarmed(self) -> None:
        """Nothing that was moved before counts as moved since arming."""
        self.armed = False
        self.has_turned = False

    def drive(self, at: level) -> None:
        """Tell the driver a level."""
        if at == 0:
            self.idle(self.table.brakes_idle)
        elif self.table.pulses:
            self.pulse(at)
        else:
            size: level = abs(at)
            if len(self.table.curve.points) != 0:
                size = along(self.table.curve, size)
            duty: u16 = above(size, self.table.start, self.table.top)
            way: sign = self.table.facing if at > 0 else -self.table.facing
            if duty == 0:
                self.demand.put(at, 0, 0, False, False)
            else:
                self.demand.put(at, duty, way, True, False)

    def pulse(self, at: level) -> None:
        """Tell a speed controller a level."""
        if (at > 0) == (self.table.facing > 0):
            ahead: u16 = above(abs(at), self.table.start, self.table.top)
            self.demand.put(at, self.table.rest + ahead, 1, ahead != 0, False)
        else:
            back: u16 = above(abs(at), self.table.back_start, self.table.back_top)
            self.demand.put(at, self.table.rest - back, 1, back != 0, False)

    def holding(self) -> bool:
        """Whether it is driven only to hold its load."""
        return self.demand.driven and self.demand.at == 0

    def hold_left_ms(self) -> u16:
        """How long it goes on holding, where that has an end."""
        return self.table.hold_ms - self.held_ms if self.held_ms < self.table.hold_ms else 0

    def hold_ends(self) -> bool:
        """Whether it holds a load and will let go of it within HOLD_ENDS_MS."""
        return self.holding() and self.table.hold_ms != 0 and self.hold_left_ms() <= HOLD_ENDS_MS

    def keep_holding(self, wanted: level, dt_ms: u16, mode: u8) -> None:
        """Hold what has been moved since arming while nothing is asked of it, for hold_ms if there is a
        limit. A reverse pause wins: the driver may not be made to push the other way yet."""
        # The time at rest counts whether or not it is held: a hold that has ended does not begin again.
        self.held_ms = later(self.held_ms, dt_ms)
        goes_on: bool = self.has_turned and (self.table.hold_ms == 0 or self.held_ms < self.table.hold_ms)
        hold: bool = goes_on and mode == FOLLOW and wanted == 0
        if hold and self.ramp.pause_left(self.table.hold_toward) != 0:
            hold = False
        if hold and not self.holding():
            self.demand.put(0, self.table.hold, self.table.facing * self.table.hold_toward, True, False)
        elif self.holding() and not hold:
            self.idle(self.table.brakes_idle)

    def cut_short(self) -> None:
        """At an end of its way: to rest at once, and a load is held."""
        self.ramp.halt()
        self.held_ms = 0
        self.idle(self.table.brakes_idle)

    def halt(self) -> None:
        """To rest at once, without a ramp."""
        self.ramp.halt()
        self.disarmed()
        self.lost = False
        self.idle(self.table.brakes_idle)
