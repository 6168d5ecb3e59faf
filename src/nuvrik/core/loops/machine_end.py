"""The machine's end of a link: bytes in, bytes out, and between them the machine."""

from nuvrik.core.frames.bits import IS_CHOICE, ChannelTable, ends_in_zeros, got, mask_of, value_from_code
from nuvrik.core.frames.incoming import IN_KEYS, Incoming, IncomingTable
from nuvrik.core.frames.keys import Keys, KeysTable
from nuvrik.core.frames.medium import MediumTable
from nuvrik.core.frames.sealed import (
    ACCEPTED,
    BAD_FIELD,
    HEAD,
    KIND_COMMAND,
    KIND_ECHO,
    KIND_HELLO,
    KIND_REQUEST,
    KIND_STOP,
    LATE,
    NO_EVENT,
    QUEUED_UP,
    Sealed,
    SealedTable,
)
from nuvrik.core.frames.sender import Sender, SenderTable
from nuvrik.core.frames.train import TrainReader, TrainTable
from nuvrik.core.levels import TIMER_MAX, later
from nuvrik.core.loop import LoopTable
from nuvrik.core.machine.demand import Demand
from nuvrik.core.machine.desk import (
    HOW,
    WHO,
    Desk,
)
from nuvrik.core.machine.inputs import Inputs, InputsTable
from nuvrik.core.machine.machine import FORGET, WEAR, Machine, MachineTable
from nuvrik.core.machine.pins import Again, Pins, PinTable, Writes
from nuvrik.core.machine.telling import NOTES_LATE, NOTES_RADIO, RADIO_SAID_MS, Telling, TellingTable
from nuvrik.core.machine.watch import ARMED
from nuvrik.core.requests.answers import WhoTable, say, say_how, say_who
from nuvrik.core.requests.asks import take_request, understood
from nuvrik.core.session import NO_PAGE, MachineSession, SessionTable
from nuvrik.core.widths import Table, i32, share, u8, u16, whole

HELLO_MOST = 0x3FFFFFFF
"""Frames are counted to here, which takes 248 days at 50 frames a second."""


class EndTable(Table):
    """A machine's end of a link. guarded: the first byte of a command is a delay guard's."""

    loop: LoopTable
    machine: MachineTable
    sealed: SealedTable
    sender: SenderTable
    session: SessionTable
    telling: TellingTable
    channels: list[ChannelTable]
    incoming: IncomingTable
    keys: KeysTable
    train: TrainTable
    guarded: bool
    pins: list[PinTable]
    inputs: InputsTable
    medium: MediumTable
    who: WhoTable


class MachineEnd:
    """One machine's end. take is given a stream byte by byte; packets go byte by byte between begin_packet
    and end_packet. Each tells what became of what has arrived.

    told: outputs have been told something, by a turn or a stop. Whoever sees it calls follow for each of
    them, at once, makes the writes, and then written."""

    def __init__(self, table: EndTable) -> None:
        self.table: EndTable = table
        self.machine: Machine = Machine(table.machine)
        self.sealed: Sealed = Sealed(table.sealed)
        self.session: MachineSession = MachineSession(table.session)
        self.incoming: Incoming = Incoming(table.incoming)
        self.keys: Keys = Keys(table.keys)
        self.train: TrainReader = TrainReader(table.train)
        self.telling: Telling = Telling(table.telling)
        self.inputs: Inputs = Inputs(table.inputs)
        self.sender: Sender = Sender(table.sender)
        self.pins: list[Pins] = [Pins(one) for one in table.pins]
        self.writes: Writes = Writes()
        self.again: Again = Again()
        self.told: bool = False
        self.values: list[i32] = [0] * len(table.channels)
        self.up_part: u16 = 0
        self.up_s: whole = 0
        self.accepted: whole = 0
        self.refused: u16 = 0
        self.start: u8 = 0
        self.noted: u8 = 0
        self.radio_ms: u16 = TIMER_MAX
        self.calls: bool = False
        self.skips: bool = False

    def begin(self, boot_low: u16, boot_high: u16, start: u8) -> None:
        """At power-up, with a number that differs from boot to boot, and why it has started, 0 where nobody
        knows."""
        self.start = start
        self.machine.begin(boot_low, boot_high)

    def drawn(self) -> None:
        """The nonce of this start is in session.nonce. Its first half counts as the boot number."""
        self.session.ready = True
        self.machine.desk.boot_low = self.session.nonce[0] + (self.session.nonce[1] << 8)
        self.machine.desk.boot_high = self.session.nonce[2] + (self.session.nonce[3] << 8)

    def pass_time(self, now_ms: u16) -> None:
        """Let it be now_ms. Comes first in every turn of the loop, and before anything that has arrived."""
        dt_ms: u16 = self.machine.elapsed(now_ms)
        if dt_ms != 0:
            self.count_up(dt_ms)
        becomes: u8 = self.machine.pass_time(now_ms)
        if becomes == FORGET:
            self.forget()
        elif becomes == WEAR:
            self.sealed.wear()

    def count_up(self, dt_ms: u16) -> None:
        """So much time has gone by."""
        self.telling.pass_time(dt_ms)
        if self.table.session.authenticated:
            self.session.pass_time(dt_ms)
        if len(self.table.telling.items) > 0:
            self.radio_ms = later(self.radio_ms, dt_ms)
        seconds: u16 = dt_ms // 1000
        self.up_s += seconds
        self.up_part += dt_ms - seconds * 1000
        if self.up_part >= 1000:
            self.up_part -= 1000
            self.up_s += 1

    def expire(self, now_ms: u16) -> None:
        """Count the link as silent from now_ms on, for a loop that was held up for too long to tell."""
        self.count_up(TIMER_MAX)
        self.machine.expire(now_ms)
        self.forget()

    def forget(self) -> None:
        """Whatever was heard before counts no more."""
        self.sealed.forget()
        self.keys.forget()

    def skip(self, begins: bool) -> None:
        """What has queued up while nobody read it was sent to somebody who was not listening: from here on
        only stops count, until it ends. For after a gap of timeout_ms or more in the loop."""
        self.skips = begins
        if not begins:
            self.forget()

    def take(self, byte: u8) -> u8:
        """One byte of a stream."""
        if self.table.incoming.way_in >= IN_KEYS:
            return self.count(self.press(byte))
        return self.piece(self.incoming.take(byte, self.sealed))

    def piece(self, event: u8) -> u8:
        """A body or a line, if one has ended."""
        if event == ACCEPTED:
            event = self.judge_line() if self.table.incoming.lines else self.judge()
        return self.count(event) if event != NO_EVENT else event

    def slot(self, slot_us: u16) -> u8:
        """The time from the start of one pulse to that of the next, in a train."""
        event: u8 = self.train.take(slot_us, self.values)
        if event == ACCEPTED:
            event = self.plain(False)
        return self.count(event) if event != NO_EVENT else event

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
        """Count what became of a frame."""
        if event == ACCEPTED:
            if self.accepted < HELLO_MOST:
                self.accepted += 1
            return event
        self.refused = later(self.refused, 1)
        return QUEUED_UP if self.skips else event

    def judge_line(self) -> u8:
        """A line has ended: what it is, and what it does."""
        if self.incoming.text.is_hex():
            event: u8 = self.incoming.text.unhex(self.sealed)
            return self.judge() if event == ACCEPTED else event
        sound: u8 = self.incoming.text.read(self.values)
        return self.plain(self.incoming.text.stop) if sound == ACCEPTED else sound

    def plain(self, stop: bool) -> u8:
        """A command, whose values are in values, or a stop, that carries no number."""
        if self.skips and not stop:
            return QUEUED_UP
        self.machine.hear()
        if stop:
            self.stop()
        else:
            self.machine.command(self.values)
        return ACCEPTED

    def press(self, code: u8) -> u8:
        """A key."""
        if not self.keys.known(code):
            return BAD_FIELD
        if self.keys.stops(code):
            self.keys.forget()
            return self.plain(True)
        self.keys.press(code, self.values)
        event: u8 = self.plain(False)
        if event == ACCEPTED:
            self.keys.told(self.machine.watch.state == ARMED)
        return event

    def judge(self) -> u8:
        """A body has ended: what it is, and what it does."""
        event: u8 = self.sealed.look()
        if event != ACCEPTED:
            return event
        kind: u8 = self.sealed.kind
        if self.table.session.authenticated:
            return self.judge_authentic(kind) if self.sealed.authentic else self.judge_open(kind)
        event = self.understand(kind)
        if event != ACCEPTED:
            return event
        if kind == KIND_HELLO and self.sealed.two(1) == 0:
            # Anybody may ask who is there, numbering for themselves: that must not make the handset look old.
            if self.skips:
                return QUEUED_UP
            self.obey(kind)
            return ACCEPTED
        event = self.sealed.newness()
        if event != ACCEPTED:
            if kind != KIND_STOP:
                return event
        elif kind == KIND_COMMAND and self.table.guarded and not self.telling.recent(self.sealed.body[HEAD]):
            # Lateness last, and before the number moves: a late frame leaves room for the one behind it.
            return LATE
        else:
            self.sealed.move()
        if self.skips and kind != KIND_STOP:
            return QUEUED_UP
        self.obey(kind)
        return ACCEPTED

    def judge_open(self, kind: u8) -> u8:
        """A frame that anybody may send to a machine with a key: a hello, or a stop that needs none."""
        event: u8 = self.understand(kind)
        if event == ACCEPTED and kind == KIND_STOP:
            self.stop()
        elif event == ACCEPTED:
            event = self.session.look_open(self.sealed, self.skips)
        return event

    def judge_authentic(self, kind: u8) -> u8:
        """A frame that only an end with the key can have made; see MachineSession."""
        event: u8 = self.session.look(self.sealed, self.skips)
        if event == ACCEPTED:
            event = self.understand(kind)
        if event == ACCEPTED:
            event = self.session.believe(self.sealed, self.telling.recent(self.sealed.heard), self.skips)
        if event == ACCEPTED:
            self.obey(kind)
        return event

    def understand(self, kind: u8) -> u8:
        """Whether the payload is one that can be. A command's values are in values afterwards."""
        if kind == KIND_COMMAND:
            return self.unpack()
        return understood(self.sealed, self.table.machine.desk, self.machine.outputs)

    def unpack(self) -> u8:
        """A command's payload to values."""
        at: u16 = 8 * HEAD
        if self.table.guarded:
            at += 8
        bits: u16 = at
        for channel in self.table.channels:
            bits += channel.bits
        size: u16 = (bits + 7) >> 3
        if self.sealed.payload + HEAD != size:
            return BAD_FIELD
        for i in range(len(self.table.channels)):
            one: ChannelTable = self.table.channels[i]
            code: u16 = got(self.sealed.body, at, one.bits)
            if one.kind == IS_CHOICE and code > one.most and code != mask_of(one.bits):
                return BAD_FIELD
            self.values[i] = value_from_code(one, code)
            at += one.bits
        return ACCEPTED if ends_in_zeros(self.sealed.body, at, size) else BAD_FIELD

    def obey(self, kind: u8) -> None:
        """Do what an accepted frame says."""
        self.machine.hear()
        if kind == KIND_COMMAND:
            self.machine.numbered(self.sealed.seq)
            self.machine.command(self.values)
        elif kind == KIND_STOP:
            self.stop()
        elif kind == KIND_HELLO:
            self.machine.hello(self.sealed.two(1), self.sealed.body[HEAD + 3])
        elif kind == KIND_ECHO:
            length: u8 = self.sealed.payload - 1
            self.machine.desk.echo(length)
            for i in range(length):
                self.machine.desk.token[i] = self.sealed.body[HEAD + 1 + i]
        elif kind == KIND_REQUEST:
            calls: bool = take_request(self.sealed, self.machine)
            if calls:
                self.calls = True

    def turn(self) -> None:
        """One turn of the loop."""
        dt_ms: u16 = self.machine.since_ms
        self.look()
        self.machine.turn()
        self.again.turn(dt_ms, self.machine.watch.state == ARMED)
        self.told = True

    def look(self) -> None:
        """See what the machine's own inputs say."""
        self.inputs.look(self.telling, self.machine, self.machine.since_ms)

    def follow(self, output: u8) -> None:
        """Say in writes what is to be written to the pins of an output."""
        told: Demand = self.machine.outputs.told(output)
        self.pins[output].follow(told.value, told.way, told.braked, self.writes)
        if self.again.now:
            self.pins[output].repeat(self.writes)

    def written(self) -> None:
        """Every output has been followed."""
        self.told = False
        self.again.done()

    def stop(self) -> None:
        """Stop, as a stop frame does."""
        self.machine.stop()
        self.again.stop()
        self.told = True

    def halt(self) -> None:
        """Every output to rest at once, without a ramp: for a board that has to leave."""
        self.machine.outputs.halt()
        self.again.stop()
        self.told = True

    # ---- what the builder's own code may do: lessen and stop ----

    def own_stop(self, number: u8) -> None:
        """Stop, as a stop frame does, and say why with a number from 1 to 15."""
        self.machine.own_stop(number)
        self.noted = (self.noted & 0xF0) + (number & 15)
        self.again.stop()
        self.told = True

    def cap(self, output: u8, most: share) -> bool:
        """Leave an output that turns no more than so much of full scale. False: it does not turn."""
        return self.machine.cap(output, most)

    def lost_time(self) -> None:
        """The board has found out that its clock has lost more time than the link file allows for."""
        self.noted = self.noted | NOTES_LATE

    def note_radio(self, trouble: u8) -> None:
        """Something is wrong with the radio chip."""
        self.noted = self.noted & 31
        self.noted += NOTES_RADIO * (trouble & 7)
        self.radio_ms = 0

    def send(self) -> bool:
        """Put the frame that is due, if one is, into the sender. Answers first: somebody waits for them."""
        if self.answer():
            return True
        if self.table.session.authenticated and not self.session.may_send():
            return False
        if len(self.table.telling.items) == 0:
            return False
        noted: u8 = self.machine.own_number()
        if self.radio_ms < RADIO_SAID_MS:
            noted += self.noted & 0xE0
        return self.telling.due(self.machine, noted, self.sender) and self.number(False)

    def answer(self) -> bool:
        """Put an answer that waits into the sender. False: none does."""
        if self.table.session.authenticated:
            if self.session.page != NO_PAGE:
                self.sender.begin_open(KIND_HELLO)
                self.say_page(self.session.page)
                self.session.page = NO_PAGE
                self.sender.finish()
                return True
            if not self.session.may_send():
                return False
            if self.session.owes:
                self.session.begin_answer(self.sender)
                return self.number(True)
        return self.table.machine.desk.answers and self.answers() and self.number(False)

    def number(self, answers: bool) -> bool:
        """With a key, give the frame in the sender its counter and its tag; it is noted when that was."""
        if self.table.session.authenticated:
            self.session.finish(self.sender, answers)
            self.telling.note(self.session.own_low & 0xFF)
        return True

    def answers(self) -> bool:
        """One of the answers that wait. False: none does."""
        desk: Desk = self.machine.desk
        if desk.waiting > 0:
            say(desk, desk.first, self.sender)
            desk.drop()
        elif desk.who_waits:
            desk.who_waits = False
            self.sender.begin(KIND_HELLO)
            self.say_page(WHO)
        elif desk.how_waits:
            desk.how_waits = False
            self.sender.begin(KIND_HELLO)
            self.say_page(HOW)
        else:
            return False
        self.sender.seal()
        return True

    def say_page(self, page: u8) -> None:
        """A page of what there is to know of this machine."""
        self.sender.byte(1)
        self.sender.byte(page)
        if page == WHO:
            self.sender.word(self.table.sealed.tag)
            say_who(self.table.who, self.machine.desk, self.start, self.sender)
        else:
            say_how(self.table.who, self.up_s, self.accepted, self.refused, self.noted, self.sender)
