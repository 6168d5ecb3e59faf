"""The machine's desk: requests carried out at most once each, hello and echo answered.

Why nothing is ever done twice. A request carries the machine's boot number, the handset's session, and a
number that the handset never gives twice in a session. The desk keeps one session and the highest number it
has taken in it. It takes a request only if boot and session are its own and the number is higher; the highest
one again only brings its reply again. Another session begins with a hello, and makes the desk count its boot
number up: whatever an earlier session sent, and whatever was sent before a reboot, then carries an old boot
number and is answered STRANGER. So the memory needed is one number and one reply.

Rules for whoever edits this. The number is taken before the request is begun, so that a repetition finds it
taken whatever the builder's code does. A motion ends with the right to move, in the call that takes that
right away; what its own code has to clean up comes later and can change nothing. A reply is kept until the
next number is taken, because it may have been lost.

The builder's own code is never called from here. ask says that it is to be called; whoever calls it then says
called, and for what goes on, wish at each tick and in the end over.

Tried and given up: a list of the last numbers (it forgets, and then does twice what was asked once); numbers
that the machine gives out (that takes a round trip before every request); an acknowledgement apart from the
reply (one more frame that can be lost, for nothing that the reply does not say).
"""

from nuvrik.core.levels import FULL, clamp, div, later
from nuvrik.core.machine.demand import FOLLOW
from nuvrik.core.machine.outputs import AT_FORWARD_END, END_UNREAD, Outputs
from nuvrik.core.machine.stepper import HALF_TURNS, TURNS, WHOLE, Stepper
from nuvrik.core.sizes import MOST_ARGUMENTS, MOST_ECHO, MOST_WAITING
from nuvrik.core.widths import Table, i32, level, share, span, u8, u16, whole

DONE = 0
RUNNING = 1
NOT_ARMED = 2
REFUSED = 3
FAILED = 4
ENDED = 5
BUSY = 6
STRANGER = 7
"""What becomes of a request, as a reply says it."""

ASKS_STEPS = 0
ASKS_HOME = 1
ASKS_CALL = 2
ASKS_ROUTINE = 3
"""The kinds of request: so many steps, back to where it was at power-up, the builder's own code, a routine of
the link file."""

NO_MOTION = 0
STEPS_MOTION = 1
OWN_MOTION = 2
ROUTINE_MOTION = 3
"""What a request has begun that goes on: nothing, a move by steps, the builder's own code, a routine."""

ANSWERS_REPLY = 0
ANSWERS_ECHO = 1
"""What waits in the ring to be answered. Hellos have a place of their own: anybody may ask them, and they
must push no reply out."""

WHO = 0
HOW = 1
"""The pages of a hello: who is there, how it has fared."""

FURTHEST = 0x10000000
"""Steps: further than any way to an end, and less than half of where the count goes round."""

MOST_TOKEN = 16
"""The bytes of an echo."""

JOG_CODE = 0xFF
JOG_BYTES = 4
JOG_STEPS = 127
JOG_MOST_TURNING = 64
"""What turns is jogged to no more than about half."""

JOG_UNIT_MS = 10
JOG_MOST_TIME = 50


class ArgumentTable(Table):
    """One argument of a request: its bits, the greatest code that means something, and whether it is in two's
    complement."""

    bits: u8
    most: u16
    either_sign: bool


class WishTable(Table):
    """How far a step of a routine moves one output."""

    output: u8
    to: level


class RoutineStepTable(Table):
    """One step of a routine: how long it lasts, and what changes at its beginning."""

    for_ms: u16
    wishes: list[WishTable]


class RequestTable(Table):
    """One request. moves: it needs ARMED, and ends on leaving it; output: the place of what it moves,
    stepper: its place among the steppers; speeds: its last argument says how fast, in per cent of full;
    against: the end at which it is home, 0 for where it was at power-up; routine, times: the steps that it
    goes through, and how often."""

    kind: u8
    moves: bool
    output: u8
    stepper: u8
    speeds: bool
    against: u8
    times: u8
    arguments: list[ArgumentTable]
    routine: list[RoutineStepTable]


class DeskTable(Table):
    """The requests of a link. answers: there is a way back to the handset; says_hello: and a hello's answer
    fits into its frames; authenticated: a session begins with the first request in it, which nobody
    can forge, and not with a hello."""

    requests: list[RequestTable]
    answers: bool
    says_hello: bool
    authenticated: bool


def steps_between(whole_to: whole, part_to: u16, whole_from: whole, part_from: u16) -> i32:
    """The steps from one place to another, rounded half away from zero."""
    # Counted from below, so that what is beside the whole steps is never negative.
    steps: whole = (whole_to - whole_from) & TURNS
    part: u16 = part_to - part_from if part_to >= part_from else part_to + WHOLE - part_from
    if part_to < part_from:
        steps = (steps - 1) & TURNS
    if part > WHOLE // 2 or (part == WHOLE // 2 and steps < HALF_TURNS):
        steps = (steps + 1) & TURNS
    if steps < HALF_TURNS:
        return steps
    return -((TURNS - steps) + 1)


def speed_of(per_cent: i32) -> share:
    """How fast a move is to be at most: per cent of full; 0 and what is more than full are full."""
    asked: span = clamp(per_cent, 0, 100)
    if asked == 0:
        return FULL
    return div(asked * FULL, 100)


class Desk:
    """Requests, hellos and echoes of one machine. boot_low and boot_high: a number that differs from boot to
    boot; arguments: those of the request that is asked; answers wait in a ring from first on, and the two
    pages of a hello in who_waits and how_waits; token, length: the echo that waits."""

    def __init__(self, table: DeskTable) -> None:
        self.table: DeskTable = table
        self.boot_low: u16 = 0
        self.boot_high: u16 = 0
        self.met: bool = False
        self.session: u16 = 0
        self.number: u16 = 0
        self.replied: bool = False
        self.code: u8 = 0
        self.status: u8 = 0
        self.value: i32 = 0
        self.arguments: list[i32] = [0] * MOST_ARGUMENTS
        self.motion: u8 = NO_MOTION
        self.move_code: u8 = 0
        self.move_session: u16 = 0
        self.move_number: u16 = 0
        self.begun: bool = False
        self.steps: u16 = 0
        self.most: share = FULL
        self.blind: bool = False
        self.back: bool = False
        self.from_whole: whole = 0
        self.from_part: u16 = 0
        self.step_at: u8 = 0
        self.step_ms: u16 = 0
        self.rounds: u8 = 0
        self.who_waits: bool = False
        self.how_waits: bool = False
        self.first: u8 = 0
        self.waiting: u8 = 0
        self.kinds: list[u8] = [0] * MOST_WAITING
        self.codes: list[u8] = [0] * MOST_WAITING
        self.sessions: list[u16] = [0] * MOST_WAITING
        self.numbers: list[u16] = [0] * MOST_WAITING
        self.statuses: list[u8] = [0] * MOST_WAITING
        self.values: list[i32] = [0] * MOST_WAITING
        self.token: list[u8] = [0] * MOST_ECHO
        self.length: u8 = 0

    def hello(self, session: u16, page: u8, outputs: Outputs) -> None:
        """Answer who is there, or how it has fared; a new session makes all that the old one sent stale.
        Session 0 only asks."""
        if session != 0 and not (self.met and session == self.session) and not self.table.authenticated:
            if self.met:
                if self.boot_low == 0xFFFF:
                    self.boot_high = (self.boot_high + 1) & 0xFFFF
                self.boot_low = (self.boot_low + 1) & 0xFFFF
            self.over(ENDED, 0, outputs)
            self.begin_session(session)
        if self.table.says_hello and page == WHO:
            self.who_waits = True
        elif self.table.says_hello:
            self.how_waits = True

    def begin_session(self, session: u16) -> None:
        """Somebody else asks from here on."""
        self.met = True
        self.session = session
        self.number = 0
        self.replied = False

    def place(self) -> u8:
        """A place for one more answer. The oldest goes where there is none."""
        if self.waiting == MOST_WAITING:
            self.drop()
        self.waiting += 1
        return (self.first + self.waiting - 1) & (MOST_WAITING - 1)

    def drop(self) -> None:
        """The first answer has been sent, or goes for nothing."""
        self.first = (self.first + 1) & (MOST_WAITING - 1)
        self.waiting -= 1

    def reply(self, code: u8, session: u16, number: u16, status: u8, value: i32) -> None:
        """Say what becomes of a request."""
        at: u8 = self.place()
        self.kinds[at] = ANSWERS_REPLY
        self.codes[at] = code
        self.sessions[at] = session
        self.numbers[at] = number
        self.statuses[at] = status
        self.values[at] = value

    def ask(self, code: u8, boot_low: u16, boot_high: u16, session: u16, number: u16, armed: bool) -> bool:
        """Take a request, once, and answer it. True: the builder's own code is to be called now."""
        here: bool = boot_low == self.boot_low and boot_high == self.boot_high
        if self.table.authenticated and here and not (self.met and session == self.session):
            self.begin_session(session)
        if not (here and self.met and session == self.session):
            self.reply(code, session, number, STRANGER, 0)
            return False
        if number == self.number and self.replied:
            self.reply(self.code, self.session, self.number, self.status, self.value)
            return False
        ahead: u16 = (number - self.number) & 0xFFFF
        if ahead == 0 or ahead >= 32768:
            # Older than one that has been answered since: nobody waits for it.
            return False
        self.number = number
        self.code = code
        return self.begin(self.table.requests[code], armed)

    def begin(self, request: RequestTable, armed: bool) -> bool:
        """Carry it out, or begin to."""
        if request.moves and not armed:
            self.answer(NOT_ARMED, 0)
        elif request.moves and self.motion != NO_MOTION:
            self.answer(BUSY, 0)
        elif request.kind == ASKS_CALL:
            return True
        elif request.kind == ASKS_STEPS or request.kind == ASKS_HOME:
            self.motion = STEPS_MOTION
            self.begun = False
            self.blind = False
            asked: span = self.arguments[0] if request.kind == ASKS_STEPS else 0
            self.back = asked < 0
            self.steps = abs(asked)
            self.most = FULL
            if request.speeds:
                last: u8 = 1 if request.kind == ASKS_STEPS else 0
                self.most = speed_of(self.arguments[last])
            self.answer(RUNNING, 0)
        elif request.kind == ASKS_ROUTINE:
            self.motion = ROUTINE_MOTION
            self.begun = False
            self.answer(RUNNING, 0)
        return False

    def called(self, status: u8, value: i32) -> None:
        """What the builder's own code says of the request that it was called for. RUNNING: it goes on."""
        if status == RUNNING:
            self.motion = OWN_MOTION
        self.answer(status, value)

    def answer(self, status: u8, value: i32) -> None:
        """Say what becomes of the request taken last, and keep that for whoever asks again."""
        self.replied = True
        self.status = status
        self.value = value
        if status == RUNNING:
            self.move_code = self.code
            self.move_session = self.session
            self.move_number = self.number
        self.reply(self.code, self.session, self.number, status, value)

    def overlay(self, outputs: Outputs, dt_ms: u16, mode: u8) -> None:
        """Let the motion that goes on move what it moves. It ends with the right to move, where a required
        reading is missing, at the end of a way, and where a hand moves what it moves: the hand wins."""
        if len(self.table.requests) == 0 or self.motion == NO_MOTION:
            return
        if mode != FOLLOW:
            self.over(ENDED, 0, outputs)
            return
        if self.motion == STEPS_MOTION and not self.step(outputs, dt_ms):
            self.over(FAILED if self.blind else DONE, 0, outputs)
            return
        if self.motion == ROUTINE_MOTION and not self.go_through(outputs, dt_ms):
            self.over(DONE, 0, outputs)
            return
        for i in range(len(outputs.table.outputs)):
            if outputs.moves[i] and (outputs.a_hand_moves(i) or outputs.ends_here(i)):
                self.over(ENDED, 0, outputs)
                return

    def step(self, outputs: Outputs, dt_ms: u16) -> bool:
        """A move by steps, one tick of it. False: it is there."""
        request: RequestTable = self.table.requests[self.move_code]
        stepper: Stepper = outputs.steppers[request.stepper]
        if not self.begun:
            # A move counts from rest: what a hand still turns is not part of it.
            if stepper.ramp.fine != 0:
                outputs.wish(request.output, 0)
                return True
            self.begun = True
            stepper.most = self.most
            self.from_whole = stepper.whole
            self.from_part = stepper.part
            if request.against != 0:
                forward: bool = request.against == AT_FORWARD_END
                up: bool = forward == (stepper.table.facing > 0)
                far: whole = (stepper.whole + FURTHEST) & TURNS
                stepper.go_to(far if up else (stepper.whole - FURTHEST) & TURNS, stepper.part)
            elif request.kind == ASKS_HOME:
                stepper.go_to(0, 0)
            elif self.back:
                stepper.go_to((stepper.whole - self.steps) & TURNS, stepper.part)
            else:
                stepper.go_to((stepper.whole + self.steps) & TURNS, stepper.part)
        if request.against != 0:
            # Both ways are barred where a switch cannot be read; that is no place to count from.
            self.blind = outputs.at_end(request.output, END_UNREAD * request.against)
            if self.blind or outputs.at_end(request.output, request.against):
                return False
        if stepper.arrived():
            return False
        outputs.wish(request.output, stepper.wanted(dt_ms))
        return True

    def go_through(self, outputs: Outputs, dt_ms: u16) -> bool:
        """A routine, one tick of it. False: its last step has had its time. A step lasts at least a tick;
        what a tick comes late is taken from the next step, so that the whole lasts as long as it says."""
        request: RequestTable = self.table.requests[self.move_code]
        if not self.begun:
            self.begun = True
            self.step_at = 0
            self.step_ms = 0
            self.rounds = request.times
        else:
            self.step_ms = later(self.step_ms, dt_ms)
            for_ms: u16 = request.routine[self.step_at].for_ms
            if self.step_ms < for_ms:
                return True
            self.step_ms = later(0, self.step_ms - for_ms)
            self.step_at += 1
            if self.step_at == len(request.routine):
                self.step_at = 0
                self.rounds -= 1
                if self.rounds == 0:
                    return False
        step: RoutineStepTable = request.routine[self.step_at]
        for i in range(len(step.wishes)):
            outputs.wish(step.wishes[i].output, step.wishes[i].to)
        return True

    def over(self, status: u8, value: i32, outputs: Outputs) -> None:
        """Let no motion go on. value: what the builder's own code came to."""
        if len(self.table.requests) == 0 or self.motion == NO_MOTION:
            return
        came_to: i32 = value
        if self.motion == STEPS_MOTION:
            request: RequestTable = self.table.requests[self.move_code]
            stepper: Stepper = outputs.steppers[request.stepper]
            came_to = 0
            if self.begun:
                came_to = steps_between(stepper.whole, stepper.part, self.from_whole, self.from_part)
            stepper.let_go()
            if status == DONE and request.against != 0:
                stepper.count_from_here()
        self.motion = NO_MOTION
        outputs.let_go()
        if self.replied and self.number == self.move_number and self.session == self.move_session:
            self.status = status
            self.value = came_to
        self.reply(self.move_code, self.move_session, self.move_number, status, came_to)

    def low_of(self, at: u8) -> u16:
        """The lower half of an answer's value, in two's complement."""
        return self.values[at] & 0xFFFF

    def high_of(self, at: u8) -> u16:
        """The upper half."""
        value: i32 = self.values[at]
        if value >= 0:
            return value >> 16
        return 0xFFFF - (-(value + 1) >> 16)

    def echo(self, length: u8) -> None:
        """Send so many bytes back, which are put into token. An echo that still waits has had its time."""
        self.length = length
        for i in range(self.waiting):
            if self.kinds[(self.first + i) & (MOST_WAITING - 1)] == ANSWERS_ECHO:
                return
        self.kinds[self.place()] = ANSWERS_ECHO
