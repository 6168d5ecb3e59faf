"""The machine: what has arrived, and time, to what every output is told; never a moving motor that nobody
asked for. Bytes are for others; here arrive commands, stops, questions."""

from nuvrik.core.levels import NOBODY, TIMER_MAX, later
from nuvrik.core.machine.commands import Commands, CommandTable
from nuvrik.core.machine.demand import FOLLOW, HELD, LOST, SAFE
from nuvrik.core.machine.desk import ENDED, OWN_MOTION, Desk, DeskTable
from nuvrik.core.machine.outputs import Outputs, OutputsTable
from nuvrik.core.machine.watch import (
    ARMED,
    FAILSAFE,
    STOPPED,
    WHY_OWN_CODE,
    WHY_STOPPED,
    Watch,
    WatchTable,
)
from nuvrik.core.widths import Table, i32, level, share, u8, u16

NOTHING = 0
FORGET = 1
WEAR = 2
"""What becomes of the last sequence number as time goes by: nothing; a silence begins, and it is forgotten;
its sender may have gone, and any other is taken, but not the same again."""


class MachineTable(Table):
    """A machine's part of a link."""

    watch: WatchTable
    commands: CommandTable
    outputs: OutputsTable
    desk: DeskTable


class Machine:
    """One machine. now_ms is any clock of milliseconds that goes round at 65536. pass_time comes first in
    every call of the loop, before anything that has arrived is looked at."""

    def __init__(self, table: MachineTable) -> None:
        self.table: MachineTable = table
        self.watch: Watch = Watch(table.watch)
        self.commands: Commands = Commands(table.commands)
        self.outputs: Outputs = Outputs(table.outputs)
        self.desk: Desk = Desk(table.desk)
        self.started: bool = False
        self.now_ms: u16 = 0
        self.ticked: bool = False
        self.since_ms: u16 = 0
        self.heard: bool = False
        self.heard_ms: u16 = 0
        self.followed: bool = False
        self.last_command: u8 = 0
        self.resting: bool = False
        self.holding: bool = False

    def begin(self, boot_low: u16, boot_high: u16) -> None:
        """At power-up, with a number that differs from boot to boot."""
        self.desk.boot_low = boot_low
        self.desk.boot_high = boot_high
        self.outputs.begin()

    def mode(self) -> u8:
        """What the state lets outputs do."""
        if self.watch.state == ARMED:
            return FOLLOW
        if self.watch.state == FAILSAFE:
            return LOST
        return HELD if self.holding else SAFE

    def elapsed(self, now_ms: u16) -> u16:
        """How long it has been since the last call that said what time it is."""
        return (now_ms - self.now_ms) & 0xFFFF if self.started else 0

    def pass_time(self, now_ms: u16) -> u8:
        """Let it be now_ms. The same moment is judged once, however much arrives in it: looked at again, a
        loss that is given up at once would be over before the outputs had a turn in it."""
        dt_ms: u16 = self.elapsed(now_ms)
        if dt_ms == 0 and self.started:
            return NOTHING
        self.started = True
        self.now_ms = now_ms
        self.since_ms = later(self.since_ms, dt_ms)
        self.outputs.pass_time(dt_ms)
        if self.watch.pass_time(dt_ms):
            self.fall_silent()
            return FORGET
        if self.heard:
            # Where no command comes no silence begins, and yet whoever asked something, and has gone since,
            # must not have the last word about what is new.
            self.heard_ms = later(self.heard_ms, dt_ms)
            if self.heard_ms >= self.table.watch.timeout_ms:
                self.heard = False
                return WEAR
        return NOTHING

    def expire(self, now_ms: u16) -> None:
        """Count the link as silent from now_ms on, for a loop that was held up for longer than the clock can
        tell. The next tick counts its time from here, so that what turns still ramps down."""
        self.started = True
        self.now_ms = now_ms
        self.since_ms = 0
        self.watch.pass_time(TIMER_MAX)
        self.fall_silent()

    def fall_silent(self) -> None:
        """Nothing that was heard before counts any more."""
        self.heard = False
        self.followed = False
        self.end_motions()

    def end_motions(self) -> None:
        """Whatever was asked for ends with the right to move, even if that is back before the next tick."""
        self.outputs.end_jog()
        self.desk.over(ENDED, 0, self.outputs)

    def hear(self) -> None:
        """A frame of any kind has been accepted."""
        self.heard = True
        self.heard_ms = 0

    def command(self, values: list[i32]) -> None:
        """An accepted command."""
        self.commands.sort(values)
        missing: u8 = self.commands.missing
        moved: u8 = self.commands.moved
        self.resting = missing == NOBODY and moved == NOBODY
        if missing != NOBODY:
            self.watch.bare(self.commands.arm, missing)
            self.outputs.let_rest()
            self.end_motions()
            return
        self.watch.drive(self.commands.arm, moved)
        if self.watch.state != ARMED:
            self.end_motions()
            return
        self.holding = False
        if moved != NOBODY:
            # A hand wins over a jog.
            self.outputs.end_jog()
        self.commands.enter(values)
        self.outputs.follow(values)

    def numbered(self, seq: u8) -> None:
        """The command that was accepted last had this number; telemetry says so."""
        self.followed = True
        self.last_command = seq

    def stop(self) -> None:
        """A stop frame."""
        self.press_stop(WHY_STOPPED, NOBODY)

    def press_stop(self, why: u8, place: u8) -> None:
        """A stop: a frame; an input of the machine's own, for as long as it says so; or the builder's own
        code. Outputs first, then motions, then the builder's own code; and here, not at the next tick: the
        state may have moved on by then."""
        self.watch.stop(why, place)
        self.holding = False
        self.outputs.halt()
        self.end_motions()

    def own_stop(self, number: u8) -> None:
        """The builder's own code stops it, and gives a number for that, 1 to 15."""
        self.press_stop(WHY_OWN_CODE, number & 15)

    def own_number(self) -> u8:
        """The number that the builder's own code gave for the stop that holds it, 0 for none."""
        if self.watch.state != STOPPED or self.watch.stopped_by != WHY_OWN_CODE:
            return 0
        return self.watch.stopped_at

    def cap(self, output: u8, most: share) -> bool:
        """The builder's own code leaves an output no more than that. False: it does not turn."""
        return self.outputs.cap(output, most)

    def jog(self, output: u8, to: level, for_ms: u16) -> None:
        """Move one output a little. A jog is for a machine at rest: what a hand moves is not to be jogged."""
        if self.watch.state == ARMED and self.resting:
            self.outputs.jog(output, to, for_ms)

    def argument(self, at: u8, value: i32) -> None:
        """An argument of the request that is asked next."""
        self.desk.arguments[at] = value

    def ask(self, code: u8, boot_low: u16, boot_high: u16, session: u16, number: u16) -> bool:
        """A request. True: the builder's own code is to be called now."""
        return self.desk.ask(code, boot_low, boot_high, session, number, self.watch.state == ARMED)

    def called(self, status: u8, value: i32) -> None:
        """What the builder's own code said when it was called; RUNNING: it goes on."""
        self.desk.called(status, value)

    def wish(self, output: u8, to: level) -> None:
        """The builder's own code, which goes on, moves an output so far from the next turn on."""
        if self.desk.motion == OWN_MOTION:
            self.outputs.wish(output, to)

    def let_go(self) -> None:
        """It moves nothing any more, but what it wishes next."""
        if self.desk.motion == OWN_MOTION:
            self.outputs.let_go()

    def own_over(self, status: u8, value: i32) -> None:
        """It has come to its end."""
        if self.desk.motion == OWN_MOTION:
            self.desk.over(status, value, self.outputs)

    def hello(self, session: u16, page: u8) -> None:
        """Somebody asks for a page of what there is to know of this machine."""
        self.desk.hello(session, page, self.outputs)

    def turn(self) -> None:
        """One turn of the loop: what each output is to do, all decided together."""
        dt_ms: u16 = self.since_ms if self.ticked else 0
        self.since_ms = 0
        self.ticked = True
        self.watch.ticked()
        mode: u8 = self.mode()
        self.outputs.count_on(dt_ms)
        self.desk.overlay(self.outputs, dt_ms, mode)
        self.outputs.tick(dt_ms, mode, self.table.watch.timeout_ms)
