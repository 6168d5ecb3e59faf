"""Authenticated frames: who may be believed, and for how long.

Every frame carries a counter of 32 bits and a tag, which only an end with the key can make. The tag covers a
nonce too, and two of them are all that either end has to know of the other. The machine draws one at each
start, M: what was recorded before it fails. The handset draws one for each search, N, and asks with it; the
answer, whose tag covers N, cannot be an old one, and brings M.

Counters only grow, so nothing counts twice. Lateness is told by what a command was made from: it carries the
low byte of the counter of the machine's frame that the handset heard last, and its tag covers all of that
counter. So one that is held back until the byte has gone round is forged, and before that it is late.

Rules for whoever edits this. Nothing moves a counter before the tag has been worked out and matches. A stop
is never late, but counts only once, like everything else. Silence forgets neither nonce nor counter. What is
refused, and in which order, stands in docs/wire-format.md."""

from nuvrik.core.cmac import CipherTable
from nuvrik.core.frames.bits import crc16
from nuvrik.core.frames.sealed import (
    ACCEPTED,
    BAD_FIELD,
    FORGED,
    HEAD,
    KIND_COMMAND,
    KIND_HELLO,
    KIND_STOP,
    LATE,
    NO_EVENT,
    NO_SESSION,
    NOT_AUTHENTICATED,
    OLD,
    QUEUED_UP,
    WRONG_LAYOUT,
    Sealed,
)
from nuvrik.core.frames.sender import Sender
from nuvrik.core.frames.tags import ANSWERS, NONCE, TO_HANDSET, TO_MACHINE, Tags
from nuvrik.core.hand.handset import Handset
from nuvrik.core.levels import NO_READING, NOBODY, TIMER_MAX, clamp, later
from nuvrik.core.widths import Table, u8, u16

QUESTION = 2
ANSWER = 3
"""The first byte of a search's frames, of the kind of a hello."""

QUESTION_BYTES = 9
ANSWER_BYTES = 15

AHEAD = 128
"""How far a handset begins above what the machine has accepted. Telemetry names one byte of a counter: 256
would make the later handset's numbers look like the earlier one's."""

FIRST_SEARCH_MS = 100
LONGEST_SEARCH_MS = 800
"""From one question to the next, twice as long each time."""

MOST_JITTER_MS = 60

MOST_ANSWERS = 4
ANSWERS_MS = 100
"""So many questions are answered in such a time: old ones may be sent again by anybody."""

HELLO_EVERY_MS = 250
"""A hello that anybody may ask is answered no sooner."""

NO_PAGE = 255


class SessionTable(Table):
    """What an authenticated link has to know. authenticated: it is one. timeout_ms, guard_ms: the link's;
    recent: how many commands are sent in that timeout; tag: the layout's; opens: a hello that anybody asks is
    answered."""

    cipher: CipherTable
    authenticated: bool
    timeout_ms: u16
    guard_ms: u16
    recent: u8
    tag: u16
    opens: bool


def is_above(high: u16, low: u16, than_high: u16, than_low: u16) -> bool:
    """Whether a counter is above another."""
    return high > than_high or (high == than_high and low > than_low)


def begins_with(sealed: Sealed, byte: u8) -> bool:
    """Whether it is a frame of a search: of a hello's kind, and its payload begins with that byte."""
    return sealed.kind == KIND_HELLO and sealed.payload > 0 and sealed.body[HEAD] == byte


class MachineSession:
    """A machine's side. ready: nonce has been drawn; known: somebody has asked for it. own: the counter of
    what it sent last, top: the highest that it has accepted. asked: the N of the question that is owed an
    answer; seen: the last questions. page: a hello that anybody asked, NO_PAGE for none."""

    def __init__(self, table: SessionTable) -> None:
        self.table: SessionTable = table
        self.tags: Tags = Tags(table.cipher)
        self.ready: bool = False
        self.known: bool = False
        self.nonce: list[u8] = [0] * NONCE
        self.asked: list[u8] = [0] * NONCE
        self.owes: bool = False
        self.own_low: u16 = 0
        self.own_high: u16 = 0
        self.top_low: u16 = 0
        self.top_high: u16 = 0
        self.window_ms: u16 = 0
        self.seen: list[u16] = [0] * MOST_ANSWERS
        self.answers: u8 = 0
        self.page: u8 = NO_PAGE
        self.hello_ms: u16 = TIMER_MAX

    def pass_time(self, dt_ms: u16) -> None:
        """Let dt_ms go by."""
        self.hello_ms = later(self.hello_ms, dt_ms)
        self.window_ms = later(self.window_ms, dt_ms)
        if self.window_ms >= ANSWERS_MS:
            self.window_ms = 0
            self.answers = 0

    def look(self, sealed: Sealed, skips: bool) -> u8:
        """What an authenticated frame is so far. NO_EVENT: a question, which has been taken; ACCEPTED: it may
        be looked at further."""
        asks: bool = begins_with(sealed, QUESTION)
        if not self.known and not (asks and sealed.whole):
            return NO_SESSION
        if not sealed.whole:
            return BAD_FIELD
        if asks:
            return self.look_at_question(sealed, skips)
        return BAD_FIELD if sealed.kind == KIND_STOP and sealed.heard != 0 else ACCEPTED

    def look_at_question(self, sealed: Sealed, skips: bool) -> u8:
        """Somebody searches for this machine. That changes nothing but what is answered. One too many, and
        one that has just come, are not looked at further: they may be old ones that somebody plays back."""
        if sealed.payload != QUESTION_BYTES or sealed.heard != 0 or sealed.low != 0 or sealed.high != 0:
            return BAD_FIELD
        if skips:
            return QUEUED_UP
        sum: u16 = 0
        for i in range(NONCE):
            sum = crc16(sum, sealed.body[HEAD + 1 + i])
        for i in range(self.answers):
            if self.seen[i] == sum:
                return OLD
        if not self.ready or self.answers == MOST_ANSWERS:
            return OLD
        self.tags.ask()
        if not self.tags.match(sealed):
            return FORGED
        self.seen[self.answers] = sum
        self.answers += 1
        for i in range(NONCE):
            self.asked[i] = sealed.body[HEAD + 1 + i]
        self.known = True
        self.owes = True
        return NO_EVENT

    def look_open(self, sealed: Sealed, skips: bool) -> u8:
        """A hello that anybody may ask: it begins nothing, and is answered now and then."""
        if sealed.two(1) != 0:
            return NOT_AUTHENTICATED
        if self.table.opens and not skips and self.hello_ms >= HELLO_EVERY_MS:
            self.hello_ms = 0
            self.page = sealed.body[HEAD + 3]
        return NO_EVENT

    def believe(self, sealed: Sealed, recent: bool, skips: bool) -> u8:
        """Whether a frame that is sound may be obeyed. recent: it says that it was made from a frame that was
        sent no longer ago than the guard allows. The tag comes last, as it takes longest; nothing has moved
        before."""
        if not is_above(sealed.high, sealed.low, self.top_high, self.top_low):
            return OLD
        if sealed.kind == KIND_STOP:
            self.tags.hear(0, 0)
        elif not self.is_of(sealed) or not recent:
            return LATE
        elif skips:
            return QUEUED_UP
        self.tags.go(TO_MACHINE, self.nonce)
        if not self.tags.match(sealed):
            return FORGED
        self.top_low = sealed.low
        self.top_high = sealed.high
        return ACCEPTED

    def begin_answer(self, sender: Sender) -> None:
        """The answer to the last question: M, the highest counter accepted, the layout tag."""
        self.owes = False
        sender.begin(KIND_HELLO)
        sender.byte(ANSWER)
        for i in range(NONCE):
            sender.byte(self.nonce[i])
        sender.word(self.top_low)
        sender.word(self.top_high)
        sender.word(self.table.tag)
        self.tags.go(ANSWERS, self.asked)

    def may_send(self) -> bool:
        """Whether it may send what carries a counter: it is known, and the counter has not come to its
        end."""
        return self.known and not (self.own_low == 0xFFFF and self.own_high == 0xFFFF)

    def finish(self, sender: Sender, answers: bool) -> None:
        """Give what is to be sent the next counter and its tag."""
        if self.own_low == 0xFFFF:
            self.own_high += 1
        self.own_low = (self.own_low + 1) & 0xFFFF
        if not answers:
            self.tags.go(TO_HANDSET, self.nonce)
        self.tags.hear(0, 0)
        self.tags.finish(sender, self.own_high, self.own_low, 0)

    def is_of(self, sealed: Sealed) -> bool:
        """Which frame of this machine a frame was made from; false where there was none. How long ago that
        was is for others to say."""
        back: u8 = (self.own_low - sealed.heard) & 0xFF
        if self.own_high == 0 and self.own_low <= back:
            return False
        high: u16 = self.own_high if self.own_low >= back else self.own_high - 1
        self.tags.hear(high, (self.own_low - back) & 0xFFFF)
        return True


class HandsetSession:
    """A handset's side. known: it has met a machine, whose nonce is nonce. searching: it asks, with asked;
    wants: that has to be drawn first. own: the counter of what it sent last; heard: that of the machine's
    frame that it accepted last. overtaken: another handset has driven since; claims: this one is to go on
    all the same; anew: the answer that was taken last makes it begin anew. mark: the first bytes of the last
    question's tag."""

    def __init__(self, table: SessionTable) -> None:
        self.table: SessionTable = table
        self.tags: Tags = Tags(table.cipher)
        self.known: bool = False
        self.nonce: list[u8] = [0] * NONCE
        self.asked: list[u8] = [0] * NONCE
        self.searching: bool = False
        self.wants: bool = False
        self.left_ms: u16 = 0
        self.gap_ms: u16 = FIRST_SEARCH_MS
        self.between: bool = False
        self.own_low: u16 = 0
        self.own_high: u16 = 0
        self.heard_low: u16 = 0
        self.heard_high: u16 = 0
        self.silent_ms: u16 = 0
        self.commands: bool = False
        self.stops: bool = False
        self.vain_ms: u16 = 0
        self.overtaken: bool = False
        self.claims: bool = False
        self.mark: u16 = 0
        self.anew: bool = False
        self.rested: bool = False

    def search(self) -> None:
        """Ask the machine for its nonce, at once, and until it answers."""
        if self.searching:
            return
        self.searching = True
        self.wants = True
        self.left_ms = 0
        self.gap_ms = FIRST_SEARCH_MS

    def drawn(self) -> None:
        """What it asks with has been put into asked."""
        self.wants = False

    def look_at(self, handset: Handset, stops: bool) -> None:
        """Another handset has driven since. This one goes on when somebody wants it to: arm read off and then
        on; where nothing arms, everything at rest and then moved; or a stop."""
        wants: bool = handset.arming.sent
        if handset.table.arm == NOBODY:
            handset.fill()
            for i in range(len(handset.table.sources.sources)):
                if handset.values[i] != 0 and handset.values[i] != NO_READING:
                    wants = True
            if not wants:
                self.rested = True
            wants = wants and self.rested
        if stops or wants:
            self.claims = True
            self.search()

    def pass_time(self, dt_ms: u16) -> None:
        """Let dt_ms go by; and see whether the machine has to be asked again: it has not been heard, or what
        is sent to it has no effect."""
        self.left_ms = self.left_ms - dt_ms if self.left_ms > dt_ms else 0
        self.silent_ms = later(self.silent_ms, dt_ms)
        if self.commands or self.stops:
            self.vain_ms = later(self.vain_ms, dt_ms)
        if self.overtaken:
            return
        if self.silent_ms > self.table.guard_ms or self.vain_ms >= self.table.timeout_ms:
            self.vain_ms = 0
            self.search()

    def may_ask(self) -> bool:
        """Whether this period is for a question: never two in a row are."""
        self.between = not self.between
        return self.between and self.searching and not self.wants and self.left_ms == 0

    def ask(self, sender: Sender, now_ms: u16) -> None:
        """A question. The next comes a little later than it would, by the low bits of any clock, so that two
        handsets do not go on asking at once."""
        jitter_ms: u16 = now_ms & 63
        self.left_ms = later(self.gap_ms, jitter_ms if jitter_ms < MOST_JITTER_MS else MOST_JITTER_MS)
        self.gap_ms = clamp(2 * self.gap_ms, 0, LONGEST_SEARCH_MS)
        sender.begin(KIND_HELLO)
        sender.byte(QUESTION)
        for i in range(NONCE):
            sender.byte(self.asked[i])
        self.tags.ask()
        self.tags.finish(sender, 0, 0, 0)
        self.mark = self.tags.cmac.block[0] + (self.tags.cmac.block[1] << 8)

    def may_send(self) -> bool:
        """Whether it may send what carries a counter."""
        return self.known and not (self.own_low == 0xFFFF and self.own_high == 0xFFFF)

    def finish(self, sender: Sender, kind: u8) -> None:
        """Give what is to be sent the next counter and its tag. A stop is made from nothing."""
        if self.own_low == 0xFFFF:
            self.own_high += 1
        self.own_low = (self.own_low + 1) & 0xFFFF
        self.tags.go(TO_MACHINE, self.nonce)
        if kind == KIND_STOP:
            self.tags.hear(0, 0)
        else:
            self.tags.hear(self.heard_high, self.heard_low)
        self.tags.finish(sender, self.own_high, self.own_low, self.tags.heard_low & 0xFF)
        self.sends(kind)

    def sends(self, kind: u8) -> None:
        """What it sends is to have an effect."""
        if kind != KIND_COMMAND and kind != KIND_STOP:
            return
        stop: bool = kind == KIND_STOP
        if stop != self.stops or stop == self.commands:
            self.vain_ms = 0
        self.stops = stop
        self.commands = not stop

    def told(self, names: bool, last_command: u8, stopped: bool) -> None:
        """Telemetry has come: whether it names a command, which, and whether the machine says that it is
        stopped."""
        if self.stops:
            if stopped:
                self.vain_ms = 0
        elif names and ((self.own_low - last_command) & 0xFF) <= self.table.recent:
            self.vain_ms = 0

    def look(self, sealed: Sealed) -> u8:
        """What an authenticated frame is so far. NO_EVENT: the answer to the question that is asked, which
        has been taken; ACCEPTED: it may be looked at further."""
        answers: bool = begins_with(sealed, ANSWER)
        if not self.known and not (answers and sealed.whole):
            return NO_SESSION
        if not sealed.whole or sealed.heard != 0:
            return BAD_FIELD
        if not answers:
            return ACCEPTED
        if sealed.payload != ANSWER_BYTES:
            return BAD_FIELD
        if not self.searching or self.wants:
            return OLD
        self.tags.go(ANSWERS, self.asked)
        self.tags.hear(0, 0)
        if not self.tags.match(sealed):
            return FORGED
        self.searching = False
        self.silent_ms = 0
        if sealed.two(13) != self.table.tag:
            # It may be given the right file: after a while it is asked again.
            return WRONG_LAYOUT
        self.anew = self.take_answer(sealed)
        return NO_EVENT

    def believe(self, sealed: Sealed) -> u8:
        """Whether a frame that is sound is the machine's, and newer than what was heard."""
        if not is_above(sealed.high, sealed.low, self.heard_high, self.heard_low):
            return OLD
        self.tags.go(TO_HANDSET, self.nonce)
        self.tags.hear(0, 0)
        if not self.tags.match(sealed):
            return FORGED
        self.move(sealed)
        return ACCEPTED

    def move(self, sealed: Sealed) -> None:
        """It is the machine's frame that was heard last."""
        self.silent_ms = 0
        self.heard_low = sealed.low
        self.heard_high = sealed.high

    def take_answer(self, sealed: Sealed) -> bool:
        """An answer that fits. True: this handset begins anew, with a machine that has started again, or
        because another handset has driven since."""
        top_low: u16 = sealed.two(9)
        top_high: u16 = sealed.two(11)
        self.vain_ms = 0
        if not self.known or not self.same(sealed):
            self.move(sealed)
            for i in range(NONCE):
                self.nonce[i] = sealed.body[HEAD + 1 + i]
            self.known = True
            self.go_on(top_high, top_low)
            return True
        if is_above(sealed.high, sealed.low, self.heard_high, self.heard_low):
            self.move(sealed)
        if not is_above(top_high, top_low, self.own_high, self.own_low):
            self.overtaken = False
            self.claims = False
            return False
        if self.claims:
            self.go_on(top_high, top_low)
            return False
        self.overtaken = True
        self.rested = False
        return True

    def same(self, sealed: Sealed) -> bool:
        """Whether an answer comes from the machine that is known."""
        for i in range(NONCE):
            if self.nonce[i] != sealed.body[HEAD + 1 + i]:
                return False
        return True

    def go_on(self, top_high: u16, top_low: u16) -> None:
        """Above all that the machine has accepted."""
        self.overtaken = False
        self.claims = False
        high: u16 = top_high
        low: u16 = (top_low + AHEAD) & 0xFFFF
        if low < AHEAD:
            if high == 0xFFFF:
                low = 0xFFFF
            else:
                high += 1
        if is_above(high, low, self.own_high, self.own_low):
            self.own_high = high
            self.own_low = low
