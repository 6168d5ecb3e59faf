"""All outputs of one machine: what the mix, a jog and a motion ask of each, and one turn of the loop for
all."""

from nuvrik.core.demand import FOLLOW, Demand
from nuvrik.core.levels import FULL, NOBODY, later, mul
from nuvrik.core.mix import Route, fit_side, slowed, total
from nuvrik.core.motor import Motor, MotorTable
from nuvrik.core.servo import Servo, ServoTable, Switch, SwitchTable
from nuvrik.core.stepper import Stepper, StepperTable
from nuvrik.core.widths import Table, fine, i32, level, share, sign, u8, u16

IS_MOTOR = 0
IS_SERVO = 1
IS_STEPPER = 2
IS_SWITCH = 3

AT_FORWARD_END = 1
AT_BACKWARD_END = 2
FORWARD_UNREAD = 4
BACKWARD_UNREAD = 8
"""What turns may go no further that way, as its pins say forward and backward."""

END_UNREAD = 4
"""An end times this says that the switch at that end has no reading."""


class OutputTable(Table):
    """One output: its kind, its place among those of that kind, and how it gets its level."""

    kind: u8
    at: u8
    route: Route


class LimitsTable(Table):
    """What limits one output: items of telemetry, NOBODY for none."""

    dial: u8
    end_forward: u8
    end_backward: u8


class OutputsTable(Table):
    """The outputs of a machine in declared order, and by kind. limits: one for each output, none at all where
    nothing limits any."""

    outputs: list[OutputTable]
    motors: list[MotorTable]
    servos: list[ServoTable]
    steppers: list[StepperTable]
    switches: list[SwitchTable]
    limits: list[LimitsTable]


class Outputs:
    """The outputs of one machine. targets: what the last drive frame that was followed asks of each, sums:
    the same before it was made to fit, asked: whether it asks anything. A jog goes before that, and so does a
    motion: moves says which outputs it moves, and wishes how far. factors: how much of that is left to what
    turns; ends: which way it may not go."""

    def __init__(self, table: OutputsTable) -> None:
        self.table: OutputsTable = table
        self.motors: list[Motor] = [Motor(one) for one in table.motors]
        self.servos: list[Servo] = [Servo(one) for one in table.servos]
        self.steppers: list[Stepper] = [Stepper(one) for one in table.steppers]
        self.switches: list[Switch] = [Switch(one) for one in table.switches]
        self.targets: list[level] = [0] * len(table.outputs)
        self.sums: list[fine] = [0] * len(table.outputs)
        self.asked: bool = False
        self.jogged: u8 = NOBODY
        self.jog_level: level = 0
        self.jog_for_ms: u16 = 0
        self.jog_ms: u16 = 0
        self.moves: list[bool] = [False] * len(table.outputs)
        self.wishes: list[level] = [0] * len(table.outputs)
        self.moving: bool = False
        self.factors: list[share] = [FULL] * len(table.limits)
        self.ends: list[u8] = [0] * len(table.limits)

    def begin(self) -> None:
        """At power-up."""
        for i in range(len(self.table.motors)):
            self.motors[i].begin()
        for i in range(len(self.table.servos)):
            self.servos[i].begin()
        for i in range(len(self.table.steppers)):
            self.steppers[i].begin()
        for i in range(len(self.table.switches)):
            self.switches[i].begin()

    def pass_time(self, dt_ms: u16) -> None:
        """Let dt_ms go by."""
        if self.jogged != NOBODY:
            self.jog_ms = later(self.jog_ms, dt_ms)

    def follow(self, values: list[i32]) -> None:
        """A drive frame is followed."""
        self.asked = True
        for i in range(len(self.table.outputs)):
            self.sums[i] = total(self.table.outputs[i].route, values)
        for i in range(len(self.table.outputs)):
            route: Route = self.table.outputs[i].route
            sum: fine = self.sums[i]
            if route.partner != NOBODY:
                sum = fit_side(sum, self.sums[route.partner])
            if route.turn != NOBODY:
                sum = slowed(route, sum, values)
            # Clipped once, at the end: the sum of two halves may pass full scale on the way. And a flag is 0
            # or 1, not a level: it is made full, so that a switch need not know the difference.
            if sum > FULL or (route.switched and sum != 0):
                sum = FULL
            elif sum < -FULL:
                sum = -FULL
            self.targets[i] = sum

    def let_rest(self) -> None:
        """A required reading is missing: what turns comes to rest, places stay."""
        self.asked = False

    def jog(self, output: u8, to: level, for_ms: u16) -> None:
        """Move one output a little, whatever the mix says, for so long."""
        self.jogged = output
        self.jog_level = to
        self.jog_for_ms = for_ms
        self.jog_ms = 0

    def end_jog(self) -> None:
        """Let it follow the mix again."""
        self.jogged = NOBODY

    def turns(self, output: u8) -> bool:
        """Whether an output turns; the others stand in a place, or are off or on."""
        kind: u8 = self.table.outputs[output].kind
        return kind == IS_MOTOR or kind == IS_STEPPER

    def switches_only(self, output: u8) -> bool:
        """Whether an output is off or on, and nothing between."""
        return self.table.outputs[output].kind == IS_SWITCH

    def a_hand_moves(self, output: u8) -> bool:
        """Whether a hand, or a jog, moves an output that a motion is to move, or may no longer let it."""
        if self.jogged == output:
            return self.turns(output) and self.jog_level != 0
        return not self.asked or (self.turns(output) and self.targets[output] != 0)

    def ends_here(self, output: u8) -> bool:
        """Whether a motion would take an output beyond an end."""
        return self.turns(output) and self.barred(output, self.wishes[output])

    def wish(self, output: u8, to: level) -> None:
        """A motion moves an output so far, until it is let go."""
        self.moving = True
        self.moves[output] = True
        self.wishes[output] = to

    def let_go(self) -> None:
        """No motion moves anything."""
        self.moving = False
        for i in range(len(self.table.outputs)):
            self.moves[i] = False

    def limit(self, output: u8, factor: share, at_end: u8) -> None:
        """Leave so much of full scale to an output that turns, and let it go no further the ways that at_end
        says."""
        self.factors[output] = factor
        self.ends[output] = at_end

    def at_end(self, output: u8, which: u8) -> bool:
        """Whether an output is at one of its ends, or that end's switch has no reading."""
        return len(self.table.limits) > 0 and (self.ends[output] & which) != 0

    def facing(self, output: u8) -> sign:
        """Which way a level above 0 turns what turns."""
        at: u8 = self.table.outputs[output].at
        if self.table.outputs[output].kind == IS_MOTOR:
            return self.table.motors[at].facing
        return self.table.steppers[at].facing

    def barred(self, output: u8, to: i32) -> bool:
        """Whether a level would turn an output further beyond an end."""
        if len(self.table.limits) == 0 or self.ends[output] == 0 or to == 0:
            return False
        forward: bool = (to > 0) == (self.facing(output) > 0)
        return (self.ends[output] & (AT_FORWARD_END if forward else AT_BACKWARD_END)) != 0

    def within_limits(self, output: u8, target: level) -> level:
        """What is left of a target. What still turns beyond its end is cut short, without a ramp."""
        at: u8 = self.table.outputs[output].at
        kind: u8 = self.table.outputs[output].kind
        if kind == IS_MOTOR and self.barred(output, self.motors[at].ramp.fine):
            self.motors[at].cut_short()
        elif kind == IS_STEPPER and self.barred(output, self.steppers[at].ramp.fine):
            self.steppers[at].halt()
        if self.barred(output, target):
            return 0
        return mul(target, self.factors[output])

    def count_on(self, dt_ms: u16) -> None:
        """What passed was turned at the rates told before, so it is counted before new ones are told."""
        for i in range(len(self.table.steppers)):
            self.steppers[i].count_on(dt_ms)

    def tick(self, dt_ms: u16, mode: u8) -> None:
        """One turn of the loop for all of them, decided together."""
        if self.jogged != NOBODY and (mode != FOLLOW or self.jog_ms >= self.jog_for_ms):
            self.jogged = NOBODY
        for i in range(len(self.table.outputs)):
            one: OutputTable = self.table.outputs[i]
            target: level = self.targets[i]
            asked: bool = self.asked
            if self.jogged == i:
                target = self.jog_level
                asked = True
            if self.moving and self.moves[i]:
                target = self.wishes[i]
                asked = True
            if len(self.table.limits) > 0 and self.turns(i):
                target = self.within_limits(i, target)
            if one.kind == IS_MOTOR:
                self.motors[one.at].tick(target, asked, dt_ms, mode)
            elif one.kind == IS_SERVO:
                self.servos[one.at].tick(target, asked, dt_ms, mode)
            elif one.kind == IS_STEPPER:
                self.steppers[one.at].tick(target, asked, dt_ms, mode)
            else:
                self.switches[one.at].tick(target, asked, mode)

    def halt(self) -> None:
        """Every output to rest at once, without a ramp."""
        for i in range(len(self.table.motors)):
            self.motors[i].halt()
        for i in range(len(self.table.servos)):
            self.servos[i].halt()
        for i in range(len(self.table.steppers)):
            self.steppers[i].halt()
        for i in range(len(self.table.switches)):
            self.switches[i].halt()

    def told(self, output: u8) -> Demand:
        """What an output is told now."""
        kind: u8 = self.table.outputs[output].kind
        at: u8 = self.table.outputs[output].at
        if kind == IS_MOTOR:
            return self.motors[at].demand
        if kind == IS_SERVO:
            return self.servos[at].demand
        if kind == IS_STEPPER:
            return self.steppers[at].demand
        return self.switches[at].demand

    def hold_ends(self) -> bool:
        """Whether an output is about to let go of a load that it holds."""
        for i in range(len(self.table.motors)):
            if self.motors[i].hold_ends():
                return True
        return False
