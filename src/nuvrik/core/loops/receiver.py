"""The machine's end of an infrared link: marks and spaces in, outputs moved.

It is a handset and a machine with nothing between them that could fail: keys, rockers, toggles and selectors
are those of a handset, and who may move is for the one table of ``watch``. What is special is silence. A
remote says nothing most of the time, so a key that is not heard for a while has been let go, and after
lapse_ms without any code of this remote arm goes off. That is no fault, and nobody is waiting for the lamps
to go out: outputs that hold stay as they are until the machine is armed again, an off key is pressed, or a
stop. Where nothing turns, there may be no arm, and nothing goes off."""

from nuvrik.core.frames.bits import ChannelTable, code_of_value, value_from_code
from nuvrik.core.frames.medium import MediumTable
from nuvrik.core.hand.handset import SENDS_ANYTHING, SENDS_NOTHING, SENDS_STOP, Handset, HandsetTable
from nuvrik.core.infrared.codes import KeyCodeTable
from nuvrik.core.infrared.families import LEARNED, NEC
from nuvrik.core.infrared.infrared import ADDRESS, AGAIN_ONLY, NEW_PRESS, NOT_YET, InfraredReader
from nuvrik.core.infrared.shape import WORDS, ShapeTable
from nuvrik.core.levels import TIMER_MAX, later
from nuvrik.core.loop import LoopTable
from nuvrik.core.machine.demand import Demand
from nuvrik.core.machine.machine import Machine, MachineTable
from nuvrik.core.machine.pins import Again, Pins, PinTable, Writes
from nuvrik.core.machine.watch import ARMED
from nuvrik.core.widths import Table, amount, i32, share, u8, u16

OURS = 1
UNKNOWN_KEY = 2
WRONG_ADDRESS = 3
WRONG_CODE = 4
REPEAT_OF_NOTHING = 5
"""What a code is to a receiver; 0: none has ended."""


class HeardKeyTable(Table):
    """A key that is heard: its control, and whether it is one that switches off."""

    code: KeyCodeTable
    control: u8
    is_off: bool


class ReceiverTable(Table):
    """A receiver's part of a link. lapse_ms: after so long without a code arm goes off; 0: never."""

    shape: ShapeTable
    protocol: u8
    address: u16
    heard: list[HeardKeyTable]
    lapse_ms: u16
    handset: HandsetTable
    machine: MachineTable
    channels: list[ChannelTable]
    pins: list[PinTable]
    medium: MediumTable
    loop: LoopTable


class Receiver:
    """One receiver. pass_time comes first in every turn of the loop."""

    def __init__(self, table: ReceiverTable) -> None:
        self.table: ReceiverTable = table
        self.reader: InfraredReader = InfraredReader(table.shape)
        self.handset: Handset = Handset(table.handset)
        self.machine: Machine = Machine(table.machine)
        self.pins: list[Pins] = [Pins(one) for one in table.pins]
        self.writes: Writes = Writes()
        self.again: Again = Again()
        self.values: list[i32] = [0] * len(table.channels)
        self.started: bool = False
        self.now_ms: u16 = 0
        self.silent_ms: u16 = 0
        self.lapsed: bool = False

    def begin(self) -> None:
        """At power-up."""
        self.handset.begin()
        self.machine.begin(0, 0)

    def pass_time(self, now_ms: u16) -> None:
        """Let it be now_ms."""
        dt_ms: u16 = (now_ms - self.now_ms) & 0xFFFF if self.started else 0
        self.started = True
        self.now_ms = now_ms
        self.silent_ms = later(self.silent_ms, dt_ms)
        self.handset.pass_time(now_ms)
        self.machine.pass_time(now_ms)

    def expire(self, now_ms: u16) -> None:
        """The loop has been held up for longer than a timer counts."""
        self.started = True
        self.now_ms = now_ms
        self.silent_ms = TIMER_MAX
        self.handset.expire(now_ms)
        self.machine.expire(now_ms)

    def take(self, mark: bool, us: amount) -> u8:
        """So many microseconds of mark or of space; a last space as far as it has got. What the code is that
        has ended, if one has."""
        event: u8 = self.reader.take(mark, us)
        if event == NOT_YET:
            return NOT_YET
        return self.hear(event)

    def hear(self, event: u8) -> u8:
        """The reader has read a code."""
        protocol: u8 = self.reader.protocol
        if event == AGAIN_ONLY:
            # A repeat alone says nothing of whose it is.
            return REPEAT_OF_NOTHING if self.table.protocol == NEC else WRONG_CODE
        if protocol != self.table.protocol:
            return WRONG_CODE
        if protocol != LEARNED and self.reader.words[ADDRESS] != self.table.address:
            return WRONG_ADDRESS
        for i in range(len(self.table.heard)):
            if self.means(self.table.heard[i].code):
                self.press(i, event == NEW_PRESS)
                return OURS
        return UNKNOWN_KEY

    def means(self, code: KeyCodeTable) -> bool:
        """Whether the code read last is that of a key."""
        if self.reader.protocol != LEARNED:
            return self.reader.words[0] == code.words[0]
        for i in range(WORDS):
            if self.reader.words[i] != code.words[i]:
                return False
        return True

    def press(self, place: u8, fresh: bool) -> None:
        """One of our keys has been heard."""
        self.handset.hands.arrive(self.table.heard[place].control, fresh)
        self.handset.have_read()
        self.silent_ms = 0
        self.lapsed = False
        if self.table.heard[place].is_off:
            self.machine.holding = False

    def act(self) -> bool:
        """What the hand of a remote sends in this turn, if anything, is what the machine hears."""
        # Keys that do not come are released, so this hand has something to say from the start.
        self.handset.have_read()
        if self.table.lapse_ms != 0 and self.silent_ms >= self.table.lapse_ms and not self.lapsed:
            self.lapsed = True
            self.handset.arm_falls()
            self.handset.have_read()
            self.machine.holding = True
        turn: u8 = self.handset.turn()
        if turn == SENDS_STOP:
            self.machine.hear()
            self.stop()
            return True
        if turn != SENDS_ANYTHING or self.handset.command() == SENDS_NOTHING:
            return False
        self.handset.fill()
        for i in range(len(self.table.channels)):
            one: ChannelTable = self.table.channels[i]
            self.values[i] = value_from_code(one, code_of_value(one, self.handset.values[i]))
        self.machine.hear()
        self.machine.command(self.values)
        return True

    def turn(self) -> None:
        """One turn of the loop."""
        dt_ms: u16 = self.machine.since_ms
        self.again.done()
        self.act()
        self.machine.turn()
        self.again.turn(dt_ms, self.machine.watch.state == ARMED)

    def follow(self, output: u8) -> None:
        """Say in writes what is to be written to the pins of an output; after each turn, for all of them."""
        told: Demand = self.machine.outputs.told(output)
        self.pins[output].follow(told.value, told.way, told.braked, self.writes)
        if self.again.now:
            self.pins[output].repeat(self.writes)

    def stop(self) -> None:
        """Stop, as a stop of the remote does."""
        self.machine.stop()
        self.again.stop()

    # ---- what the builder's own code may do: lessen and stop ----

    def own_stop(self, number: u8) -> None:
        """Stop, and say why with a number from 1 to 15."""
        self.machine.own_stop(number)
        self.again.stop()

    def cap(self, output: u8, most: share) -> bool:
        """Leave an output that turns no more than so much of full scale. False: it does not turn."""
        return self.machine.cap(output, most)
