"""The handset: raw readings, and time, to what is sent in each period: a command, a stop, a question, or
nothing."""

from nuvrik.core.hand.arming import READ_OFF, READ_ON, UNREAD, Arming, ArmingTable
from nuvrik.core.hand.hands import Hands, HandsTable
from nuvrik.core.hand.sources import Sources, SourcesTable
from nuvrik.core.levels import NO_READING, NOBODY, TIMER_MAX, clamp, later
from nuvrik.core.loop import next_due
from nuvrik.core.widths import Table, i16, i32, reading, span, u8, u16

SENDS_NOTHING = 0
SENDS_STOP = 1
SENDS_ANYTHING = 2
SENDS_COMMAND = 3
"""What a period is for: nothing, a stop, a question if there is one or else a command, a command."""


LEFT_AT_REST = 0
LEFT_ALONE = 1
LEFT_UNREAD = 2
LEFT_AS_SENT = 3
"""What is sent of a channel that no hand is to move, and on leaving: rest, or off; no reading, because it
feeds only places, or is a choice; rest, but no reading on leaving, because it feeds a place besides what
turns; what was sent last, because it counts."""


class HandsetTable(Table):
    """A handset's part of a link. arm: the channel that arms, arm_control: the control that feeds it, stop:
    the control that stops, NOBODY for none. left: what each channel is left at. guard_ms: how old the
    telemetry heard last may be on a link with a delay guard, 0 for none. asks: questions may be sent."""

    hands: HandsTable
    sources: SourcesTable
    arming: ArmingTable
    arm: u8
    arm_control: u8
    stop: u8
    left: list[u8]
    period_ms: u16
    guard_ms: u16
    asks: bool


class Handset:
    """One handset. now_ms is any clock of milliseconds that goes round at 65536. pass_time comes first in
    every call of the loop; after readings comes have_read."""

    def __init__(self, table: HandsetTable) -> None:
        self.table: HandsetTable = table
        self.hands: Hands = Hands(table.hands)
        self.sources: Sources = Sources(table.sources)
        self.arming: Arming = Arming(table.arming)
        self.started: bool = False
        self.now_ms: u16 = 0
        self.due_ms: i16 = 0
        self.between: bool = False
        self.told_ms: u16 = TIMER_MAX
        self.followed: bool = False
        self.hands_off: bool = False
        self.without_stop: bool = False
        self.was_live: bool = False
        self.was_halted: bool = False
        self.values: list[i32] = [0] * len(table.sources.sources)

    def begin(self) -> None:
        """At power-up."""
        self.hands.begin()
        self.follow_hands()

    def pass_time(self, now_ms: u16) -> None:
        """Let it be now_ms; every reading that is too old by then ends."""
        dt_ms: u16 = (now_ms - self.now_ms) & 0xFFFF if self.started else 0
        if self.started and dt_ms == 0:
            # Read and sent in one turn of a loop.
            return
        self.started = True
        self.now_ms = now_ms
        self.followed = False
        self.arming.pass_time(dt_ms)
        self.told_ms = later(self.told_ms, dt_ms)
        self.due_ms = clamp(self.due_ms - dt_ms, -32768, 32767)
        if self.hands.pass_time(dt_ms):
            # Judged now, and not when the next reading is there: that revives nothing, whatever it says.
            self.refresh()
            self.look_at_stop()
            self.follow_arm()

    def read(self, control: u8, raw: reading) -> None:
        """A reading of a control."""
        self.hands.read(control, raw)

    def have_read(self) -> None:
        """What follows from new readings."""
        self.arming.begun = True
        self.refresh()
        self.look_at_stop()
        self.followed = False
        self.follow_arm()
        self.followed = True

    def refresh(self) -> None:
        """Let what is made of controls follow them."""
        self.hands.refresh()
        self.sources.refresh(self.hands)

    def stop_pressed(self) -> bool:
        """A stop button without a reading counts as pressed: its wire may be broken. A key that does not come
        is released; it always has a value."""
        return self.table.stop != NOBODY and not self.without_stop and self.hands.value(self.table.stop) != 0

    def look_at_stop(self) -> None:
        """Whether nothing but stops is sent."""
        if self.arming.stop(self.stop_pressed()):
            # What keeps arm on by itself falls, so that the way back is one press and not two.
            self.arm_falls()
        self.follow_hands()

    def arm_falls(self) -> None:
        """A toggle that arms goes off; whatever else arms is left as it is."""
        if self.table.arm_control != NOBODY:
            self.hands.switch_off(self.table.arm_control)

    def change_hands(self) -> None:
        """Somebody else drives from here on, and arms anew; what was pressed before counts no more."""
        self.arm_falls()
        self.arming.forget()
        self.followed = False
        self.follow_arm()
        self.hands.may_move(False)
        self.follow_hands()

    def forgets(self) -> bool:
        """Whether a stop, leaving or arm off has come since this was last asked: what somebody asked for
        before is not wanted any more."""
        live: bool = self.hands.live
        halted: bool = self.arming.stopping or self.arming.parting
        forgets: bool = (self.was_live and not live) or (halted and not self.was_halted)
        self.was_live = live
        self.was_halted = halted
        return forgets

    def follow_hands(self) -> None:
        """Whether presses may move places: while arm is sent on, or there is none; never in a stop."""
        live: bool = self.table.arm == NOBODY or self.arming.sent
        live = live and not self.arming.stopping and not self.arming.parting
        if live != self.hands.live:
            self.hands.may_move(live)
            self.sources.refresh(self.hands)

    def follow_arm(self) -> None:
        """Decide whether arm is sent on, once for each reading and each frame."""
        if self.table.arm == NOBODY or self.followed:
            return
        wanted: u8 = UNREAD
        if self.table.arm_control != NOBODY and self.hands.value(self.table.arm_control) != NO_READING:
            on: i32 = self.sources.value(self.table.arm, self.hands)
            wanted = READ_ON if on != 0 else READ_OFF
        self.arming.follow(wanted)
        self.follow_hands()

    def put_arm(self, on: bool) -> None:
        """Arm or disarm from a program, in place of the arm control. Like a control, it starts off."""
        self.arming.put = READ_ON if on else READ_OFF
        self.arming.begun = True
        self.followed = False

    def press_stop(self, pressed: bool) -> None:
        """A stop of a program's own, where no control is there to be pressed."""
        self.arming.begun = True
        self.arming.stop_put = pressed
        self.look_at_stop()

    def leave(self) -> None:
        """From now on, whatever is read: everything at rest and arm off."""
        self.arming.leave()
        self.followed = False
        self.follow_arm()
        self.follow_hands()

    def expire(self, now_ms: u16) -> None:
        """The loop has been held up for longer than a timer counts: nothing that was read before now_ms holds
        any more, and arm has to be read off, or put off and on, before it is sent on again."""
        self.started = True
        self.now_ms = now_ms
        self.arming.pass_time(TIMER_MAX)
        self.told_ms = TIMER_MAX
        self.due_ms = -32768
        self.hands.pass_time(TIMER_MAX)
        self.refresh()
        self.look_at_stop()
        self.arming.forget()
        self.followed = False
        self.follow_arm()

    def hear(self) -> None:
        """Telemetry has come back."""
        self.told_ms = 0

    def turn(self) -> u8:
        """What is to be sent now. SENDS_ANYTHING: a question, if may_ask, or else what command says."""
        if self.due_ms > 0:
            return SENDS_NOTHING
        self.due_ms = next_due(self.due_ms, self.table.period_ms)
        self.follow_arm()
        if self.arming.stopping:
            self.look_at_stop()
        return SENDS_STOP if self.arming.stopping else SENDS_ANYTHING

    def may_ask(self) -> bool:
        """Whether this frame may be a question. Never two in a row are: commands keep the machine alive."""
        self.between = not self.between
        return self.between and self.table.asks and not self.arming.parting

    def command(self) -> u8:
        """Whether a command is sent, SENDS_COMMAND, or nothing; fill says its values."""
        if not self.arming.begun:
            return SENDS_NOTHING
        if self.table.guard_ms != 0 and self.told_ms > self.table.guard_ms:
            # Nothing has come back by which the machine could tell that this is not old: it would refuse it.
            return SENDS_NOTHING
        return SENDS_COMMAND

    def fill(self) -> None:
        """Put the value of every channel as it would be sent now into values, NO_READING for none."""
        rests: bool = self.arming.parting or self.hands_off
        for i in range(len(self.table.sources.sources)):
            if not rests:
                self.values[i] = self.sources.value(i, self.hands)
            elif self.table.left[i] != LEFT_AS_SENT:
                self.values[i] = self.left_at(i)
        if self.table.arm != NOBODY:
            self.values[self.table.arm] = 1 if self.arming.sent else 0

    def left_at(self, channel: u8) -> i32:
        """What is sent of a channel that no hand is to move, or on leaving."""
        left: u8 = self.table.left[channel]
        if left == LEFT_ALONE or (left == LEFT_UNREAD and self.arming.parting):
            return NO_READING
        return 0

    def unready(self) -> u8:
        """A control of several for one channel that has no say yet, NOBODY for none."""
        for i in range(len(self.table.sources.sources)):
            control: u8 = self.sources.unready(i, self.hands)
            if control != NOBODY:
                return control
        return NOBODY

    def value(self, control: u8) -> span:
        """The level of a control."""
        return self.hands.value(control)
