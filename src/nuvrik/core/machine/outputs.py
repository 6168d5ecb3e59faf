"""All outputs of one machine: what the mix, a jog and a motion ask of each, and one turn of the loop for
all."""

from nuvrik.core.levels import FULL, NO_READING, NOBODY, clamp, later, mul
from nuvrik.core.machine.demand import FOLLOW, Demand
from nuvrik.core.machine.mix import Route, fit_side, rests, slowed, total
from nuvrik.core.machine.motor import Motor, MotorTable
from nuvrik.core.machine.servo import Servo, ServoTable, Switch, SwitchTable
from nuvrik.core.machine.stepper import NO_LIMIT, Stepper, StepperTable
from nuvrik.core.widths import Table, fine, i32, level, share, sign, u8, u16, whole

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


NOT_SAID = -1
"""In place of a cap: the builder's own code has said none since the last tick."""


class OutputsTable(Table):
    """The outputs of a machine in declared order, and by kind. limits: one for each output, none at all where
    nothing limits any; extra: one place for each optional channel of a place that several channels feed."""

    outputs: list[OutputTable]
    motors: list[MotorTable]
    servos: list[ServoTable]
    steppers: list[StepperTable]
    switches: list[SwitchTable]
    limits: list[LimitsTable]
    extra: list[u8]


class Outputs:
    """The outputs of one machine. targets: what the last drive frame that was followed asks of each, sums:
    the same before it was made to fit, asked: whether it asks anything. given: whether it says where a place
    is to be; read: which optional channels of places have had a reading since arming. A jog goes before that,
    and so does a motion: moves says which outputs it moves, and wishes how far; a place goes back_to where it
    was once its jog is over, while it is the one that goes_back. factors: how much of that is left to what
    turns; ends: which way it may not go. caps: what the builder's own code leaves of it, said: what it has
    said since the last tick; waits: it left nothing, and its channels have not rested since."""

    def __init__(self, table: OutputsTable) -> None:
        self.table: OutputsTable = table
        self.motors: list[Motor] = [Motor(one) for one in table.motors]
        self.servos: list[Servo] = [Servo(one) for one in table.servos]
        self.steppers: list[Stepper] = [Stepper(one) for one in table.steppers]
        self.switches: list[Switch] = [Switch(one) for one in table.switches]
        self.targets: list[level] = [0] * len(table.outputs)
        self.sums: list[fine] = [0] * len(table.outputs)
        self.asked: bool = False
        self.given: list[bool] = [False] * len(table.outputs)
        self.read: list[bool] = [False] * len(table.extra)
        self.jogged: u8 = NOBODY
        self.jog_level: level = 0
        self.goes_back: u8 = NOBODY
        self.back_to: level = 0
        self.jog_for_ms: u16 = 0
        self.jog_ms: u16 = 0
        self.moves: list[bool] = [False] * len(table.outputs)
        self.wishes: list[level] = [0] * len(table.outputs)
        self.moving: bool = False
        self.factors: list[share] = [FULL] * len(table.limits)
        self.ends: list[u8] = [0] * len(table.limits)
        self.caps: list[share] = [FULL] * len(table.outputs)
        self.said: list[level] = [NOT_SAID] * len(table.outputs)
        self.waits: list[bool] = [False] * len(table.outputs)
        self.capped: bool = False

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
            if self.table.outputs[i].kind == IS_SERVO:
                self.given[i] = self.says_where(route, values)
            elif self.capped and self.waits[i] and self.caps[i] != 0 and all_rest(route, values):
                self.waits[i] = False
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

    def says_where(self, route: Route, values: list[i32]) -> bool:
        """Whether a drive frame says where a place is to be. One that is fed by several channels stays while
        one of them has no reading; only an optional one that has had none since arming adds nothing. (What
        turns something too has one in every drive frame, or has entered as zero.)"""
        any: bool = False
        all: bool = True
        for term in route.terms:
            if values[term.place] != NO_READING:
                any = True
                if term.extra != NOBODY:
                    self.read[term.extra] = True
            elif term.extra == NOBODY or self.read[term.extra]:
                all = False
        return any and all

    def let_rest(self) -> None:
        """A required reading is missing: what turns comes to rest, places stay."""
        self.asked = False

    def jog(self, output: u8, to: level, for_ms: u16) -> None:
        """Move one output a little, whatever the mix says, for so long. A place goes so far from where it
        was told last, and back; one that was never told a place stays where it is, wherever that may be."""
        self.end_jog()
        self.jog_level = to
        if self.table.outputs[output].kind == IS_SERVO:
            servo: Servo = self.servos[self.table.outputs[output].at]
            if not servo.started:
                return
            if self.goes_back != output:
                self.back_to = servo.slew.at()
            self.goes_back = output
            self.jog_level = clamp(self.back_to + to, -FULL, FULL)
        self.jogged = output
        self.jog_for_ms = for_ms
        self.jog_ms = 0

    def end_jog(self) -> None:
        """Let it follow the mix again, or stand where it stood."""
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

    def cap(self, output: u8, most: share) -> bool:
        """The builder's own code leaves an output that turns no more than so much of full scale, either way,
        from the next tick on and until it says otherwise; of several that are said between two ticks the
        least. False for what does not turn: that has no way of being less."""
        if not self.turns(output):
            return False
        if self.said[output] == NOT_SAID or most < self.said[output]:
            self.said[output] = most
        self.capped = True
        return True

    def within_cap(self, output: u8, target: level) -> level:
        """What the builder's own code leaves of a target. Once it has left nothing, and leaves something
        again, the output counts again when its channels have rested: a stick that was held over all the
        while starts nothing."""
        if self.said[output] != NOT_SAID:
            self.caps[output] = self.said[output]
            self.said[output] = NOT_SAID
        if self.caps[output] == 0:
            self.waits[output] = True
        if self.waits[output]:
            return 0
        return clamp(target, -self.caps[output], self.caps[output])

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

    def tick(self, dt_ms: u16, mode: u8, timeout_ms: u16) -> None:
        """One turn of the loop for all of them, decided together. timeout_ms: that of the link, which is a
        place's too."""
        if self.jogged != NOBODY and (mode != FOLLOW or self.jog_ms >= self.jog_for_ms):
            self.jogged = NOBODY
        if mode != FOLLOW:
            self.goes_back = NOBODY
            for i in range(len(self.table.extra)):
                self.read[i] = False
        for i in range(len(self.table.outputs)):
            one: OutputTable = self.table.outputs[i]
            target: level = self.targets[i]
            led: bool = False
            if self.jogged == i:
                target = self.jog_level
                led = True
            if self.moving and self.moves[i]:
                target = self.wishes[i]
                led = True
            if len(self.table.limits) > 0 and self.turns(i):
                target = self.within_limits(i, target)
            if self.capped and self.turns(i):
                target = self.within_cap(i, target)
            asked: bool = self.asked or led
            if one.kind == IS_MOTOR:
                self.motors[one.at].tick(target, asked, dt_ms, mode)
            elif one.kind == IS_SERVO:
                self.place(i, target, led, dt_ms, mode, timeout_ms)
            elif one.kind == IS_STEPPER:
                self.steppers[one.at].tick(target, asked, dt_ms, mode)
            else:
                self.switches[one.at].tick(target, asked, mode)

    def place(self, output: u8, target: level, led: bool, dt_ms: u16, mode: u8, timeout_ms: u16) -> None:
        """One turn for what stands somewhere: a jog that is over leads it back, unless a reading says where
        it is to be."""
        servo: Servo = self.servos[self.table.outputs[output].at]
        given: bool = self.asked and self.given[output]
        if self.goes_back != output or led:
            servo.tick(target, given, led, dt_ms, mode, timeout_ms)
        elif given or servo.slew.at() == self.back_to:
            self.goes_back = NOBODY
            servo.tick(target, given, False, dt_ms, mode, timeout_ms)
        else:
            servo.tick(self.back_to, False, True, dt_ms, mode, timeout_ms)

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

    def steps(self, output: u8) -> bool:
        """Whether an output is a stepper."""
        return self.table.outputs[output].kind == IS_STEPPER

    def steps_left(self, output: u8) -> i32:
        """How many steps are left to a stepper that moves by steps, NO_LIMIT to anything else."""
        if self.steps(output):
            return self.steppers[self.table.outputs[output].at].steps_left
        return NO_LIMIT

    def any_driven(self) -> bool:
        """Whether an output is driven."""
        for i in range(len(self.table.outputs)):
            if self.told(i).driven:
                return True
        return False

    def hold_ends(self) -> bool:
        """Whether an output is about to let go of a load that it holds."""
        for i in range(len(self.table.motors)):
            if self.motors[i].hold_ends():
                return True
        return False


def all_rest(route: Route, values: list[i32]) -> bool:
    """Whether every channel of a route is at rest."""
    for term in route.terms:
        if values[term.place] == NO_READING or not rests(route, values[term.place]):
            return False
    return True


def steps_of(outputs: Outputs, at: u8) -> whole:
    """The steps that a stepper has turned."""
    one: Stepper = outputs.steppers[at]
    return one.rounded()
