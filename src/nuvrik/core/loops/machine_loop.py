"""The machine's end of a link on a board, turn by turn: what arrives goes to the end, and what that decides
to the board."""

from nuvrik.core.board import LINK, MOST_TAKEN, NOT_READ, Board, Call, Own, ReadTable
from nuvrik.core.boots import Nonces
from nuvrik.core.frames.sealed import ACCEPTED
from nuvrik.core.levels import FULL, later
from nuvrik.core.loop import EXPIRES, LISTENS, Loop
from nuvrik.core.loops.line import BY_BYTES, BY_RADIO, BY_SLOTS, MOST_PACKETS, Line, LineTable
from nuvrik.core.loops.machine_end import EndTable, MachineEnd
from nuvrik.core.machine.desk import OWN_MOTION, RUNNING
from nuvrik.core.machine.pin_writer import PinWriter
from nuvrik.core.machine.telling import NOTHING_THERE
from nuvrik.core.machine.watch import ARMED
from nuvrik.core.widths import Table, i16, i32, u8, u16, u32


class MachineLoopTable(Table):
    """A machine on its board. reads: the pins of sensors; has_calls: whether the builder's own code carries
    out requests; counts: with a key, the board counts its starts, for it has no random numbers."""

    end: EndTable
    line: LineTable
    reads: list[ReadTable]
    has_calls: bool
    counts: bool


class MachineLoop:
    """One machine. goes_on: a request of the builder's own code is not over yet; in_call: that code is being
    called for one, and may move something. obeyed: something has been accepted, for whoever sets it back."""

    def __init__(self, table: MachineLoopTable, board: Board, own: Own) -> None:
        self.table: MachineLoopTable = table
        self.board: Board = board
        self.own: Own = own
        self.end: MachineEnd = MachineEnd(table.end)
        self.loop: Loop = Loop(table.end.loop)
        self.line: Line = Line(table.line, board)
        self.writer: PinWriter = PinWriter(board)
        self.boot: list[u32] = [0] * 1
        self.nonces: Nonces = Nonces(board)
        self.slot_us: u16 = 0
        self.readings: list[i32] = [NOTHING_THERE] * len(table.end.telling.items)
        self.call: Call = Call()
        self.goes_on: bool = False
        self.in_call: bool = False
        self.obeyed: bool = False

    def begin(self) -> None:
        """At power-up, before anything else: every output off, then the board, then the link."""
        for i in range(len(self.table.end.pins)):
            self.writer.nothing_on(self.table.end.pins[i], self.end.machine.outputs.steps(i))
        self.board.begin()
        self.line.begin()
        why: u8 = self.board.start(self.boot)
        self.end.begin(self.boot[0] & 0xFFFF, self.boot[0] >> 16, why)
        if self.table.end.session.authenticated:
            self.nonces.begin(self.end.session.tags, self.table.counts)

    def turn(self, now_ms: u16, gap_ms: u16) -> None:
        """One turn, so long after the one before: what has arrived, and once a tick inputs, the builder's own
        code and outputs."""
        if self.pass_time(now_ms, gap_ms) != LISTENS:
            self.end.skip(True)
        if self.table.end.session.authenticated:
            self.draw()
        # A turn takes a bounded amount: what has queued up may be more, and all of it is skipped.
        if self.listen() and self.end.skips:
            self.end.skip(False)
        if self.loop.ticks():
            self.tick()
        if self.line.free(self.end.sender.wire) and self.end.send():
            self.line.give(self.end.sender.wire, self.end.sender.count)
        self.line.go_on()

    def draw(self) -> None:
        """Once, the nonce of this start."""
        if not self.end.session.ready and self.nonces.draw(self.end.session.nonce, self.table.counts):
            self.end.drawn()

    def pass_time(self, now_ms: u16, gap_ms: u16) -> u8:
        """A turn begins: what after_gap says of the gap before it."""
        self.line.pass_time(gap_ms)
        first: u8 = self.loop.turn(gap_ms)
        if first == EXPIRES:
            self.end.expire(now_ms)
        else:
            self.end.pass_time(now_ms)
        return first

    def leave(self, now_ms: u16, gap_ms: u16) -> bool:
        """One turn on the way out: nobody is listened to, and everything comes to rest as after a loss. True
        once it has."""
        self.pass_time(now_ms, gap_ms)
        if self.end.machine.watch.state == ARMED:
            self.end.expire(now_ms)
        if self.loop.ticks():
            self.end.turn()
            self.write_outputs()
            self.board.alive()
        return not self.end.machine.outputs.any_driven()

    # ---- what arrives ----

    def listen(self) -> bool:
        """Take what has arrived, a bounded amount of it. True where nothing is left."""
        if self.table.line.way == BY_BYTES:
            return self.take_bytes()
        if self.table.line.way == BY_SLOTS:
            return self.take_slots()
        return self.take_packets()

    def take_bytes(self) -> bool:
        """Byte by byte."""
        for _ in range(MOST_TAKEN):
            byte: i16 = self.board.take(LINK)
            if byte < 0:
                return True
            if self.end.take(byte & 0xFF) == ACCEPTED:
                self.obey()
            if self.table.end.session.authenticated and self.end.session.tags.took():
                return False
        return False

    def take_packets(self) -> bool:
        """In packets."""
        for _ in range(MOST_PACKETS):
            count: u8 = self.line.packet()
            if count == 0:
                return True
            self.end.begin_packet()
            for i in range(count):
                self.end.packet_byte(self.line.bytes[i])
            if self.end.end_packet() == ACCEPTED:
                self.obey()
            if self.table.end.session.authenticated and self.end.session.tags.took():
                return False
        return False

    def take_slots(self) -> bool:
        """The slots of a train: from the start of each pulse to that of the next."""
        for _ in range(MOST_TAKEN):
            us: u16 = self.board.edge(self.table.line.medium.pin_in, self.line.high)
            if us == 0:
                return True
            self.slot_us = later(self.slot_us, us)
            if self.line.high[0] != self.table.line.medium.active_high:
                slot_us: u16 = self.slot_us
                self.slot_us = 0
                if self.end.slot(slot_us) == ACCEPTED:
                    self.obey()
        return False

    def obey(self) -> None:
        """Something has been accepted: outputs first, then the builder's own code."""
        self.obeyed = True
        self.write_outputs()
        if self.table.has_calls and self.end.calls:
            self.begin_call()

    # ---- once a tick ----

    def tick(self) -> None:
        """Everything that is done once a tick. The watchdog is fed here, after all of it, and nowhere
        else."""
        for one in self.table.reads:
            raw: i32 = self.board.input(one.pin, one.what)
            if raw != NOT_READ:
                self.tell(one.of, raw)
        self.go_on_with_call()
        self.end.turn()
        self.own.before_outputs()
        self.write_outputs()
        if self.table.line.way == BY_RADIO and self.line.radio.news:
            self.line.radio.news = False
            self.end.note_radio(self.line.radio.last)
        self.write_steps_left()
        self.board.alive()

    def write_outputs(self) -> None:
        """Carry out what outputs have been told, at once and in the order that the end gives."""
        if not self.end.told:
            return
        for i in range(len(self.table.end.pins)):
            self.end.follow(i)
            self.writer.carry_out(
                self.table.end.pins[i],
                self.end.writes,
                self.end.machine.outputs.steps(i),
                self.end.machine.outputs.told(i),
                self.end.machine.outputs.steps_left(i),
            )
        self.end.written()

    def write_steps_left(self) -> None:
        """Tell steppers that move by steps how many are left: that changes while their rate does not."""
        for i in range(len(self.table.end.pins)):
            if self.end.machine.outputs.steps(i):
                left: i32 = self.end.machine.outputs.steps_left(i)
                if left >= 0:
                    self.writer.step(
                        self.table.end.pins[i],
                        0,
                        self.end.machine.outputs.told(i).value,
                        self.end.machine.outputs.told(i).way,
                        left,
                    )

    # ---- requests that the builder's own code carries out ----

    def begin_call(self) -> None:
        """One has been accepted."""
        self.end.calls = False
        if self.goes_on:
            # What went on before has been ended already, and comes to put itself away before it is another.
            self.call.over = True
            self.own.call(self.call)
        self.call.request = self.end.machine.desk.code
        for i in range(len(self.table.end.machine.desk.requests[self.call.request].arguments)):
            self.call.arguments[i] = self.end.machine.desk.arguments[i]
        self.call.first = True
        self.call.over = False
        self.call.value = 0
        status: u8 = self.ask_own()
        self.call.first = False
        self.end.machine.called(status, self.call.value)

    def ask_own(self) -> u8:
        """Call what goes on, and say what it gives."""
        self.in_call = True
        status: u8 = self.own.call(self.call)
        self.in_call = False
        self.goes_on = status == RUNNING
        return status

    def go_on_with_call(self) -> None:
        """Once a tick, what goes on. Outputs have been told already if it may not."""
        if not self.table.has_calls or not self.goes_on:
            return
        if self.end.machine.desk.motion != OWN_MOTION:
            self.call.over = True
            self.own.call(self.call)
            self.goes_on = False
            return
        self.end.machine.let_go()
        status: u8 = self.ask_own()
        if status != RUNNING:
            self.end.machine.own_over(status, self.call.value)

    # ---- what the builder's own code may do ----

    def move(self, output: u8, to: i16) -> bool:
        """While it is called for a request that moves something: let an output go so far, -FULL to FULL,
        until the next tick. Ramps and limits hold as ever. False, and nothing is done, from anywhere else:
        only a request that a handset has asked for may start something."""
        if not self.in_call or to < -FULL or to > FULL or output >= len(self.table.end.pins):
            return False
        self.end.machine.wish(output, to)
        return True

    def limit(self, output: u8, most: i16) -> bool:
        """Leave an output that turns no more than so much of full scale either way, 0 to FULL, from the next
        tick on and until it is said again; of several that are said between two ticks the least counts. Once
        0 has been left, and then more, the output counts again when its sticks have rested. A hold is left
        alone. False, and nothing is done, for what does not turn."""
        if output >= len(self.table.end.pins) or most < 0 or most > FULL:
            return False
        return self.end.cap(output, most)

    def own_stop(self, why: u8) -> None:
        """Stop the machine as a stop frame does: at once, until it is armed again. why: a number from 1 to
        15."""
        self.end.own_stop(why)
        self.write_outputs()

    def stop(self) -> None:
        """The same, without a number: the builder's own code has failed."""
        self.end.stop()
        self.write_outputs()

    def halt(self) -> None:
        """Every output to rest at once, without a ramp: for a board that has to leave."""
        self.end.halt()
        self.write_outputs()

    def tell(self, sensor: u8, raw: i32) -> None:
        """Tell what a sensor reads; NOTHING_THERE for nothing."""
        self.readings[sensor] = raw
        self.end.telling.take(sensor, raw)

    def tell_axes(self, sensor: u8, x: i32, y: i32, z: i32) -> None:
        """The same for one with three axes."""
        self.readings[sensor] = x
        self.end.telling.take_axis(sensor, 0, x)
        self.end.telling.take_axis(sensor, 1, y)
        self.end.telling.take_axis(sensor, 2, z)

    def sensed(self, sensor: u8) -> i32:
        """What a sensor read last, told or read by the board; NOTHING_THERE for nothing yet."""
        return self.readings[sensor]
