"""The handset's half of who may move: when arm is sent on, and when nothing but stops is sent.

The machine's half is the watch. This half makes sure that the watch sees what it must see:

* arm is sent off until its control has been read off, so a switch that was left on arms nothing;
* an off, once begun, is sent for at least timeout_ms, so that the machine sees it whatever is lost;
* a stop is sent for as long as it is pressed and for at least timeout_ms and a period more;
* a stop puts arm off in the same way, and lets whatever keeps arm on by itself (a toggle, a program) fall;
* before anything has been read or set, nothing is sent at all.

A program may stand in for the arm control and press a stop of its own, by the same rules.
"""

from nuvrik.core.levels import TIMER_MAX, later
from nuvrik.core.widths import Table, u8, u16

UNREAD = 0
READ_OFF = 1
READ_ON = 2
"""What the arm control, or a program in its place, says."""


class ArmingTable(Table):
    """How long an off, and a stop, are sent for at least."""

    timeout_ms: u16
    stop_ms: u16


class Arming:
    """Arm and stop of one handset. begun: there is something to send; sent: arm is sent on; allowed: it has
    been read off since it was last not to be believed; put: what a program says in place of its control,
    UNREAD where there is none; stop_put: a program presses a stop of its own; stopping: nothing but stops is
    sent; parting: arm is off for good, and no stop is sent any more."""

    def __init__(self, table: ArmingTable) -> None:
        self.table: ArmingTable = table
        self.begun: bool = False
        self.sent: bool = False
        self.allowed: bool = False
        self.put: u8 = UNREAD
        self.stop_put: bool = False
        self.stopping: bool = False
        self.parting: bool = False
        self.off_ms: u16 = 0
        self.stopped_ms: u16 = TIMER_MAX

    def pass_time(self, dt_ms: u16) -> None:
        """Let dt_ms go by."""
        self.off_ms = later(self.off_ms, dt_ms)
        self.stopped_ms = later(self.stopped_ms, dt_ms)

    def stop(self, control_pressed: bool) -> bool:
        """Look at the stop control. True where a stop has just begun: whatever keeps arm on is to fall."""
        if self.parting:
            return False
        pressed: bool = self.begun and (control_pressed or self.stop_put)
        began: bool = pressed and not self.stopping
        if began and self.put == READ_ON:
            self.put = READ_OFF
        if pressed:
            self.stopping = True
            self.allowed = False
            self.stopped_ms = 0
        elif self.stopping and self.stopped_ms >= self.table.stop_ms:
            # A stop that was only touched has been sent long enough to be heard through losses.
            self.stopping = False
            self.begin_off()
        return began

    def follow(self, control: u8) -> None:
        """Follow the arm control, or what a program says in its place. To be called at every reading and not
        only at every frame, so that an off between two frames counts too."""
        wanted: u8 = control if self.put == UNREAD else self.put
        if self.parting or wanted == UNREAD:
            self.allowed = False
        elif wanted == READ_OFF:
            self.allowed = True
        on: bool = self.allowed and wanted == READ_ON
        if on == self.sent:
            return
        # Off is sent at once; on has to wait until the off before it has been sent for long enough.
        if not on:
            self.begin_off()
        elif self.off_ms >= self.table.timeout_ms:
            self.sent = True

    def forget(self) -> None:
        """What was read or set before is not to be believed any more: arm has to be read off again."""
        self.allowed = False
        self.put = UNREAD

    def leave(self) -> None:
        """From now on arm is off, whatever is read, and no stop is sent."""
        self.parting = True
        self.stopping = False
        self.begun = True

    def begin_off(self) -> None:
        """Off, from now on and for a while."""
        self.sent = False
        self.off_ms = 0
