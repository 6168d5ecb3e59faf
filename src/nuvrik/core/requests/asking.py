"""The handset's side of requests: asked again until answered, and never twice for one; hello, echo and jog.

A request is repeated under its number, after 100 ms at first, then after twice as long each time. What became
of one that was sent to a machine that has started again since, or that has met somebody else, nobody knows,
and it is not asked again. One that nobody answers for so long is given up, and with it the session: its
number is used up, but it could still arrive, and a new session makes it too old for that.

What cannot be done now is refused now: what moves something is not kept until the machine is armed. And what
was asked and not begun is forgotten with a stop, with arm off, with a change of hands and with a gap: whoever
asked for it wanted it then."""

from nuvrik.core.frames.bits import mask_of
from nuvrik.core.frames.sealed import KIND_ECHO, KIND_HELLO, KIND_REQUEST
from nuvrik.core.frames.sender import Sender
from nuvrik.core.hand.hands import Hands
from nuvrik.core.levels import FULL, NOBODY, TIMER_MAX, clamp, div, later
from nuvrik.core.machine.desk import (
    HOW,
    JOG_CODE,
    JOG_MOST_TIME,
    JOG_STEPS,
    JOG_UNIT_MS,
    NOT_ARMED,
    RUNNING,
    STRANGER,
    WHO,
    ArgumentTable,
    RequestTable,
)
from nuvrik.core.sizes import MOST_ARGUMENTS
from nuvrik.core.widths import Table, few, i32, level, product, u8, u16

FIRST_RETRY_MS = 100
LONGEST_RETRY_MS = 1600
"""A first answer takes a few frame periods of the slowest starter (20 frames a second); each further try
waits twice as long, so that a crowded medium is not crowded further."""

GREET_MS = 200
"""Five hellos a second: a board that has just started is known before a hand has moved."""

POLL_MS = 400
"""While a motion runs, it is asked about this often: the news of its end may have been lost."""

PATIENCE_MS = 4000
"""Without any answer for this long, a request has failed."""

MOST_HOWS = 5
"""How a machine has fared is asked for so often at most: nothing depends on the answer."""

NOT_SENT = 16
SENT = 17
NO_ANSWER = 18
NEVER_SENT = 19
FORGOTTEN = 20
"""What becomes of a request besides what a reply says: so far not sent, so far no answer; in the end no
answer, nobody there whom it could have been sent to, or forgotten, because a stop, arm off or a change of
hands came before it was begun. Well away from what replies say, so that there is room for more of that."""

QUESTION_NONE = 0
QUESTION_ECHO = 1
QUESTION_WHO = 2
QUESTION_HOW = 3
QUESTION_REQUEST = 4
QUESTION_JOG = 5
"""What is to be sent in place of a command."""


class TriggerTable(Table):
    """A button or a key that starts a request, and the arguments that go with it."""

    control: u8
    code: u8
    arguments: list[i32]


class AskingTable(Table):
    """The requests of a link, and how far each output may be jogged, in steps of which full scale has
    JOG_STEPS: 0 for what has no "a little". triggers: the buttons that start some of them."""

    requests: list[RequestTable]
    jog_most: list[u8]
    triggers: list[TriggerTable]


class Asking:
    """One request at a time, of one handset. session: not 0; boot_known: the machine's boot number is; asked:
    a request is under way, or else outcome says how the last one came out; left_ms: until something may be
    sent again; trip_ms: how long the last echo took, TIMER_MAX until it is back; presses_met: how often each
    trigger had been pressed at the last look."""

    def __init__(self, table: AskingTable) -> None:
        self.table: AskingTable = table
        self.session: u16 = 1
        self.boot_known: bool = False
        self.boot_low: u16 = 0
        self.boot_high: u16 = 0
        self.asked: bool = False
        self.code: u8 = 0
        self.number: u16 = 0
        self.last_number: u16 = 0
        self.tries: u16 = 0
        self.outcome: u8 = 0
        self.value_low: u16 = 0
        self.value_high: u16 = 0
        self.arguments: list[i32] = [0] * MOST_ARGUMENTS
        self.left_ms: u16 = 0
        self.retry_ms: u16 = FIRST_RETRY_MS
        self.waits: bool = False
        self.news_ms: u16 = 0
        self.greets: bool = False
        self.hows: u8 = 0
        self.echo_waits: bool = False
        self.echo_out: bool = False
        self.token: u16 = 0
        self.echo_ms: u16 = 0
        self.trip_ms: u16 = TIMER_MAX
        self.jogs: bool = False
        self.jog_output: u8 = 0
        self.jog_step: i32 = 0
        self.jog_time: u8 = 0
        self.presses_met: list[u16] = [0] * len(table.triggers)

    def begin(self, boot_low: u16) -> None:
        """At power-up, with the lower half of a number that differs from boot to boot: a session that was
        used before would bring the answer to an old request for the first new one."""
        self.session = 1 if boot_low == 0 else boot_low

    def meet(self, boot_low: u16, boot_high: u16, mark: u16) -> None:
        """A machine with a key is known by its nonce, and there is no hello that begins a session: the first
        thing that is asked has a number that nobody else knows, of which mark is made."""
        if self.last_number == 0:
            self.begin(mark)
        self.know(boot_low, boot_high)

    def pass_time(self, dt_ms: u16) -> None:
        """Let dt_ms go by."""
        self.left_ms = self.left_ms - dt_ms if self.left_ms > dt_ms else 0
        self.news_ms = later(self.news_ms, dt_ms)
        self.echo_ms = later(self.echo_ms, dt_ms)

    # ---- what is wanted ----

    def argument(self, at: u8, value: i32) -> None:
        """An argument of the request that is asked next; none while another is under way."""
        if not self.asked:
            self.arguments[at] = value

    def ask(self, code: u8, may_move: bool) -> bool:
        """Ask the machine to do something, once. False: another request is under way, or it would move
        something that may not move now, which is its outcome then."""
        if self.asked:
            return False
        self.code = code
        self.number = 0
        self.tries = 0
        if self.table.requests[code].moves and not may_move:
            self.settle(NOT_ARMED, 0, 0)
            return False
        self.asked = True
        self.outcome = NOT_SENT
        self.value_low = 0
        self.value_high = 0
        return True

    def pressed(self, hands: Hands) -> u8:
        """A trigger that has been pressed since the last look, NOBODY for none; of several the first."""
        found: u8 = NOBODY
        for i in range(len(self.table.triggers)):
            presses: u16 = hands.presses(self.table.triggers[i].control)
            if presses != self.presses_met[i]:
                self.presses_met[i] = presses
                if found == NOBODY:
                    found = i
        return found

    def start(self, trigger: u8, may_move: bool) -> None:
        """Ask for what a trigger starts. While another request is under way it starts nothing: what is late
        is not what a hand wanted then."""
        for i in range(len(self.table.triggers[trigger].arguments)):
            self.argument(i, self.table.triggers[trigger].arguments[i])
        self.ask(self.table.triggers[trigger].code, may_move)

    def greet(self) -> None:
        """Ask who is there, at once and until there is an answer."""
        self.greets = True
        self.left_ms = 0
        self.retry_ms = FIRST_RETRY_MS

    def echo(self) -> None:
        """Send two bytes there and back."""
        self.token = (self.token + 1) & 0xFFFF
        self.trip_ms = TIMER_MAX
        self.echo_waits = True
        self.echo_out = False

    def jog(self, output: u8, to: level, for_ms: u16, may_move: bool) -> bool:
        """Ask the machine, in place of a command, to move one output a little. False: nothing may move
        now."""
        if not may_move:
            return False
        step: product = to * JOG_STEPS
        most: u8 = self.table.jog_most[output]
        self.jog_step = clamp(div(step, FULL), -most, most)
        self.jog_time = clamp(div(for_ms, JOG_UNIT_MS), 1, JOG_MOST_TIME)
        self.jog_output = output
        self.jogs = True
        return True

    def forget(self) -> None:
        """Whatever has been asked and not begun is not wanted any more. What has begun ends at the machine by
        the same cause, and says so."""
        self.jogs = False
        if not self.asked or self.outcome == RUNNING:
            return
        if self.tries > 0:
            self.end_session()
        self.settle(FORGOTTEN, 0, 0)

    def end_session(self) -> None:
        """What has been sent may still arrive; another session makes it too old for that."""
        self.session = 1 if self.session == 0xFFFF else self.session + 1
        self.boot_known = False

    def wants(self) -> bool:
        """Whether question may have anything to say."""
        return self.asked or self.greets or self.hows > 0 or self.echo_waits or self.jogs

    # ---- what is sent ----

    def question(self, may_jog: bool) -> u8:
        """What is to be sent in place of a command now, if anything; write makes a frame of it."""
        if self.echo_waits:
            self.echo_waits = False
            self.echo_out = True
            self.echo_ms = 0
            return QUESTION_ECHO
        if self.asked:
            if not self.waits:
                self.waits = True
                self.news_ms = 0
            if self.news_ms >= PATIENCE_MS:
                self.give_up()
        due: u8 = self.due() if self.left_ms == 0 else QUESTION_NONE
        if due == QUESTION_NONE and self.jogs and may_jog:
            self.jogs = False
            return QUESTION_JOG
        return due

    def due(self) -> u8:
        """The time has come to ask something again."""
        if not self.asked and not self.greets:
            if self.hows == 0:
                return QUESTION_NONE
            self.hows -= 1
            self.left_ms = GREET_MS
            return QUESTION_HOW
        if not self.asked or not self.boot_known or self.greets:
            # A board that is starting is to be met as soon as it runs, so these do not grow apart.
            self.left_ms = GREET_MS
            return QUESTION_WHO
        # Twice as long each time: a link that is jammed is not to be jammed by questions as well.
        self.left_ms = self.retry_ms
        self.retry_ms = clamp(2 * self.retry_ms, 0, LONGEST_RETRY_MS)
        if self.number == 0:
            self.last_number = 1 if self.last_number == 0xFFFF else self.last_number + 1
            self.number = self.last_number
        self.tries = later(self.tries, 1)
        if self.outcome == NOT_SENT:
            self.outcome = SENT
        return QUESTION_REQUEST

    def write(self, what: u8, sender: Sender) -> None:
        """Make the frame of a question."""
        if what == QUESTION_ECHO:
            sender.begin(KIND_ECHO)
            sender.byte(0)
            sender.word(self.token)
        elif what == QUESTION_WHO or what == QUESTION_HOW:
            sender.begin(KIND_HELLO)
            sender.byte(0)
            sender.word(self.session)
            sender.byte(HOW if what == QUESTION_HOW else WHO)
        else:
            sender.begin(KIND_REQUEST)
            if what == QUESTION_JOG:
                sender.byte(JOG_CODE)
                sender.byte(self.jog_output)
                sender.byte(self.jog_step & 0xFF)
                sender.byte(self.jog_time)
            else:
                self.write_request(sender)
        sender.seal()

    def write_request(self, sender: Sender) -> None:
        """The request under way."""
        sender.byte(self.code)
        sender.word(self.boot_low)
        sender.word(self.boot_high)
        sender.word(self.session)
        sender.word(self.number)
        request: RequestTable = self.table.requests[self.code]
        for i in range(len(request.arguments)):
            about: ArgumentTable = request.arguments[i]
            bits: few = about.bits
            sender.bits((self.arguments[i] & 0xFFFF) & mask_of(bits), bits)

    # ---- what comes back ----

    def hear_who(self, boot_low: u16, boot_high: u16) -> None:
        """The machine has said who it is."""
        if self.greets:
            self.hows = MOST_HOWS
        self.greets = False
        self.know(boot_low, boot_high)

    def know(self, boot_low: u16, boot_high: u16) -> None:
        """This is the machine's boot number now."""
        same: bool = self.boot_known and boot_low == self.boot_low and boot_high == self.boot_high
        if self.asked and self.tries > 0 and not same:
            # What was sent to the boot before may or may not have been done; it is not sent again.
            self.settle(STRANGER, 0, 0)
        self.boot_known = True
        self.boot_low = boot_low
        self.boot_high = boot_high
        self.have_news()

    def hear_how(self) -> None:
        """The machine has said how it has fared."""
        self.hows = 0

    def hear_reply(self, code: u8, session: u16, number: u16, status: u8, low: u16, high: u16) -> None:
        """An answer; one to anything but the request under way is of no interest any more."""
        if not self.asked or code != self.code or session != self.session or number != self.number:
            return
        if status == RUNNING:
            self.outcome = RUNNING
            self.value_low = low
            self.value_high = high
            self.have_news()
            self.left_ms = POLL_MS
            self.retry_ms = POLL_MS
            return
        if status == STRANGER:
            # It does not know us: its boot number is asked for again before anything else is sent.
            self.boot_known = False
        self.settle(status, low, high)
        self.have_news()

    def hear_echo(self, token: u16) -> None:
        """Two bytes are back."""
        if self.echo_out and token == self.token:
            self.echo_out = False
            self.trip_ms = self.echo_ms

    def have_news(self) -> None:
        """The machine has said something about what was asked."""
        self.waits = self.asked
        self.news_ms = 0
        self.left_ms = 0
        self.retry_ms = FIRST_RETRY_MS

    def give_up(self) -> None:
        """Nobody answers."""
        if self.tries > 0:
            self.settle(NO_ANSWER, self.value_low, self.value_high)
            self.end_session()
        else:
            self.settle(NEVER_SENT, 0, 0)

    def settle(self, outcome: u8, low: u16, high: u16) -> None:
        """Nothing more becomes of it."""
        self.asked = False
        self.waits = False
        self.outcome = outcome
        self.value_low = low
        self.value_high = high
