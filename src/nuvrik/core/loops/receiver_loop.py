"""The machine's end of an infrared link on a board, turn by turn: marks and spaces in, pins out."""

from nuvrik.core.board import MOST_TAKEN, Board, Own
from nuvrik.core.levels import FULL
from nuvrik.core.loop import EXPIRES, Loop
from nuvrik.core.loops.receiver import Receiver, ReceiverTable
from nuvrik.core.machine.pin_writer import PinWriter
from nuvrik.core.machine.watch import ARMED
from nuvrik.core.widths import i16, u8, u16, u32


class ReceiverLoop:
    """One receiver. high: the level that was looked at last."""

    def __init__(self, table: ReceiverTable, board: Board, own: Own) -> None:
        self.table: ReceiverTable = table
        self.board: Board = board
        self.own: Own = own
        self.end: Receiver = Receiver(table)
        self.loop: Loop = Loop(table.loop)
        self.writer: PinWriter = PinWriter(board)
        self.boot: list[u32] = [0] * 1
        self.high: list[bool] = [False] * 1

    def begin(self) -> None:
        """At power-up, before anything else: every output off, then the board, then the link."""
        for i in range(len(self.table.pins)):
            self.writer.nothing_on(self.table.pins[i], self.end.machine.outputs.steps(i))
        self.board.begin()
        self.board.start(self.boot)
        self.end.begin()

    def turn(self, now_ms: u16, gap_ms: u16) -> None:
        """One turn, so long after the one before."""
        self.pass_time(now_ms, gap_ms)
        for _ in range(MOST_TAKEN):
            us: u16 = self.board.edge(self.table.medium.pin_in, self.high)
            if us == 0:
                break
            self.end.take(self.high[0] == self.table.medium.in_high, us)
        if self.loop.ticks():
            self.end.turn()
            self.own.before_outputs()
            self.write_outputs()
            self.board.alive()

    def pass_time(self, now_ms: u16, gap_ms: u16) -> None:
        """A turn begins."""
        if self.loop.turn(gap_ms) == EXPIRES:
            self.end.expire(now_ms)
        else:
            self.end.pass_time(now_ms)

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

    def write_outputs(self) -> None:
        """Carry out what outputs have been told, at once and in the order that the end gives."""
        for i in range(len(self.table.pins)):
            self.end.follow(i)
            self.writer.carry_out(
                self.table.pins[i],
                self.end.writes,
                self.end.machine.outputs.steps(i),
                self.end.machine.outputs.told(i),
                self.end.machine.outputs.steps_left(i),
            )

    # ---- what the builder's own code may do ----

    def limit(self, output: u8, most: i16) -> bool:
        """Leave an output that turns no more than so much of full scale, as MachineLoop has it."""
        if output >= len(self.table.pins) or most < 0 or most > FULL:
            return False
        return self.end.cap(output, most)

    def own_stop(self, why: u8) -> None:
        """Stop, and say why with a number from 1 to 15."""
        self.end.own_stop(why)
        self.write_outputs()

    def stop(self) -> None:
        """Stop: the builder's own code has failed."""
        self.end.stop()
        self.write_outputs()

    def halt(self) -> None:
        """Every output to rest at once, without a ramp: for a board that has to leave."""
        self.end.machine.outputs.halt()
        self.write_outputs()
