"""The handset's end of a link: readings in, bytes out, and what comes back."""

from nuvrik.core.frames.incoming import Incoming, IncomingTable
from nuvrik.core.frames.medium import MediumTable
from nuvrik.core.frames.sealed import (
    ACCEPTED,
    CHECK,
    HEAD,
    KIND_ECHO,
    KIND_REPLY,
    KIND_TELEMETRY,
    NO_EVENT,
    WRONG_KIND,
    Sealed,
    SealedTable,
)
from nuvrik.core.frames.text import NO_CHECK, check_digits
from nuvrik.core.frames.writer import Writer, WriterTable
from nuvrik.core.hand.handset import SENDS_NOTHING, SENDS_STOP, Handset, HandsetTable
from nuvrik.core.hand.knob import Knob, KnobTable
from nuvrik.core.levels import NOBODY, TIMER_MAX, later
from nuvrik.core.loops.hearing import Hearing, HearingTable
from nuvrik.core.machine.desk import WHO
from nuvrik.core.machine.watch import ARMED, STOPPED
from nuvrik.core.requests.asking import QUESTION_NONE, Asking, AskingTable
from nuvrik.core.session import HandsetSession, SessionTable
from nuvrik.core.widths import Table, i32, level, reading, u8, u16


class HandsetEndTable(Table):
    """A handset's end of a link. incoming: what comes back."""

    handset: HandsetTable
    writer: WriterTable
    sealed: SealedTable
    session: SessionTable
    hearing: HearingTable
    asking: AskingTable
    incoming: IncomingTable
    medium: MediumTable
    knobs: list[KnobTable]


class HandsetEnd:
    """One handset's end. pass_time comes first in every turn of the loop. take is
    given a stream that comes back byte by byte; packets go byte by byte between begin_packet and
    end_packet."""

    def __init__(self, table: HandsetEndTable) -> None:
        self.table: HandsetEndTable = table
        self.handset: Handset = Handset(table.handset)
        self.writer: Writer = Writer(table.writer)
        self.sealed: Sealed = Sealed(table.sealed)
        self.session: HandsetSession = HandsetSession(table.session)
        self.incoming: Incoming = Incoming(table.incoming)
        self.hearing: Hearing = Hearing(table.hearing)
        self.asking: Asking = Asking(table.asking)
        self.knobs: list[Knob] = [Knob(one) for one in table.knobs]
        self.refused: u16 = 0

    def begin(self, boot_low: u16) -> None:
        """At power-up, with the lower half of a number that differs from boot to boot."""
        self.handset.begin()
        self.asking.begin(boot_low)
        if self.table.session.authenticated:
            self.session.search()

    def pass_time(self, now_ms: u16) -> None:
        """Let it be now_ms."""
        if self.handset.started:
            dt_ms: u16 = (now_ms - self.handset.now_ms) & 0xFFFF
            self.hearing.pass_time(dt_ms)
            self.asking.pass_time(dt_ms)
            if self.table.session.authenticated:
                self.session.pass_time(dt_ms)
        self.handset.pass_time(now_ms)
        self.follow()

    def expire(self, now_ms: u16) -> None:
        """The loop has been held up for longer than a timer counts."""
        self.hearing.pass_time(TIMER_MAX)
        self.asking.pass_time(TIMER_MAX)
        if self.table.session.authenticated:
            self.session.pass_time(TIMER_MAX)
        self.handset.expire(now_ms)
        # Of the machine too nothing is known any more: its next frame is accepted as it is.
        self.sealed.forget()
        self.asking.forget()
        self.follow()

    def follow(self) -> None:
        """What was asked before and not begun may not be wanted any more."""
        if self.handset.forgets():
            self.asking.forget()

    def may_move(self) -> bool:
        """Whether what moves something may be asked now: arm is sent on and, where the machine says so, it is
        ARMED."""
        return self.handset.hands.live and (not self.hearing.tells() or self.hearing.state() == ARMED)

    # ---- what hands and programs do ----

    def read(self, control: u8, raw: reading) -> None:
        """A reading of a control; have_read comes after the last of them."""
        self.handset.read(control, raw)

    def turn(self, knob: u8, a: bool, b: bool) -> None:
        """What the contacts of a knob are at; in every turn of the loop."""
        self.knobs[knob].look(a, b)
        self.read(self.table.knobs[knob].control, self.knobs[knob].at)

    def have_read(self) -> None:
        """What follows from new readings."""
        self.handset.have_read()
        self.follow()
        trigger: u8 = self.asking.pressed(self.handset.hands)
        if trigger != NOBODY:
            self.asking.start(trigger, self.may_move())

    def press_stop(self, pressed: bool) -> None:
        """A stop of a program's own."""
        self.handset.press_stop(pressed)
        self.follow()

    def leave(self) -> None:
        """From now on, whatever is read: everything at rest and arm off."""
        self.handset.leave()
        self.follow()

    def argument(self, at: u8, value: i32) -> None:
        """An argument of the request that is asked next."""
        self.asking.argument(at, value)

    def ask(self, code: u8) -> bool:
        """Ask the machine to do something, once. False: another request is under way, or it may not move
        now."""
        return self.asking.ask(code, self.may_move())

    def greet(self) -> None:
        """Ask who is there."""
        self.asking.greet()

    def echo(self) -> None:
        """Send two bytes there and back."""
        self.asking.echo()

    def jog(self, output: u8, to: level, for_ms: u16) -> bool:
        """Ask the machine to move one output a little. False: nothing may move now."""
        return self.asking.jog(output, to, for_ms, self.may_move())

    # ---- what is sent ----

    def send(self) -> bool:
        """Write the frame that is due now, if one is: into writer.sender, or writer.slots."""
        turn: u8 = self.handset.turn()
        if turn == SENDS_NOTHING:
            return False
        self.follow()
        if not self.table.session.authenticated:
            return self.compose(turn)
        if self.session.overtaken:
            self.session.look_at(self.handset, turn == SENDS_STOP)
        if self.session.may_ask():
            self.session.ask(self.writer.sender, self.handset.now_ms)
            return True
        if not self.session.may_send() or self.session.overtaken:
            return False
        if not self.compose(turn):
            return False
        self.session.finish(self.writer.sender, self.writer.sender.body[0] & 7)
        return True

    def compose(self, turn: u8) -> bool:
        """Write what is due in this period."""
        if turn == SENDS_STOP:
            return self.writer.stop()
        # A stop goes before everything, a question before a command: it is answered while frames go on.
        if self.asking.wants() and self.handset.may_ask():
            what: u8 = self.asking.question(self.handset.hands.live)
            if what != QUESTION_NONE:
                self.asking.write(what, self.writer.sender)
                return True
        if self.handset.command() == SENDS_NOTHING:
            return False
        self.handset.fill()
        self.writer.echo = self.hearing.seq
        return self.writer.command(self.handset.values)

    # ---- what comes back ----

    def take(self, byte: u8) -> u8:
        """One byte of a stream."""
        return self.piece(self.incoming.take(byte, self.sealed))

    def piece(self, event: u8) -> u8:
        """A body or a line, if one has ended."""
        if event == ACCEPTED:
            event = self.judge_line() if self.table.incoming.lines else self.judge()
        return self.count(event)

    def begin_packet(self) -> None:
        """A packet begins."""
        self.incoming.begin_packet(self.sealed)

    def packet_byte(self, byte: u8) -> None:
        """One byte of a packet."""
        self.incoming.packet_byte(byte, self.sealed)

    def end_packet(self) -> u8:
        """It has ended."""
        return self.piece(self.incoming.end_packet(self.sealed))

    def count(self, event: u8) -> u8:
        """Count what is refused."""
        if event != NO_EVENT and event != ACCEPTED:
            self.refused = later(self.refused, 1)
        return event

    def judge_line(self) -> u8:
        """A line has ended. One that is no hex digits is a command, which is for the other end."""
        if not self.incoming.text.is_hex():
            check: u8 = self.table.writer.text.check
            return WRONG_KIND if check == NO_CHECK or self.incoming.text.sound(check_digits(check)) else CHECK
        event: u8 = self.incoming.text.unhex(self.sealed)
        return self.judge() if event == ACCEPTED else event

    def judge(self) -> u8:
        """A body has ended: what it is, and what it tells."""
        if self.table.session.authenticated:
            return self.judge_authentic()
        # After a silence the machine may have started again, and its numbers with it.
        if self.hearing.heard_ms >= self.table.hearing.timeout_ms:
            self.sealed.forget()
        event: u8 = self.sealed.look()
        if event == ACCEPTED:
            event = self.hearing.understand(self.sealed)
        if event == ACCEPTED:
            event = self.sealed.newness()
        if event != ACCEPTED:
            return event
        self.sealed.move()
        self.take_in()
        return ACCEPTED

    def take_in(self) -> None:
        """What has been accepted."""
        self.hearing.take(self.sealed)
        if self.sealed.kind == KIND_TELEMETRY:
            self.handset.hear()
        else:
            self.answered()

    def judge_authentic(self) -> u8:
        """The same with a key; see HandsetSession."""
        event: u8 = self.sealed.look()
        if event == ACCEPTED:
            event = self.session.look(self.sealed)
        if event == NO_EVENT:
            self.meet()
            return ACCEPTED
        if event == ACCEPTED:
            event = self.hearing.understand(self.sealed)
        if event == ACCEPTED:
            event = self.session.believe(self.sealed)
        if event != ACCEPTED:
            return event
        self.take_in()
        self.handset.hear()
        if self.sealed.kind == KIND_TELEMETRY:
            heard: Hearing = self.hearing
            self.session.told(heard.followed, heard.last_command, heard.state_told == STOPPED)
        return ACCEPTED

    def meet(self) -> None:
        """The machine has said by what it is to be known. The first half of that counts as its boot
        number."""
        self.handset.hear()
        self.asking.meet(
            self.session.nonce[0] + (self.session.nonce[1] << 8),
            self.session.nonce[2] + (self.session.nonce[3] << 8),
            self.session.mark,
        )
        if self.session.anew:
            self.handset.change_hands()
            self.follow()

    def answered(self) -> None:
        """An answer to something that was asked."""
        heard: Hearing = self.hearing
        if self.sealed.kind == KIND_REPLY:
            self.asking.hear_reply(
                heard.code, heard.session, heard.number, heard.status, heard.value_low, heard.value_high
            )
        elif self.sealed.kind == KIND_ECHO:
            if heard.length == 2:
                self.asking.hear_echo(self.sealed.two(1))
        elif self.sealed.body[HEAD + 1] == WHO:
            self.asking.hear_who(heard.boot_low, heard.boot_high)
        else:
            self.asking.hear_how()
