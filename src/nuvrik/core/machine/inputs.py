"""The machine's own inputs: a stop switch, end switches, a dial for speed, a battery that is too low.

Each is an item of telemetry, so what acts is what is told. A switch is believed only when it says that it is
off: a stop switch without a fresh reading is pressed, and an end switch without one is at its end, because
its wire may be broken. A dial without one is at 0. A battery is too low only once it has been so for a while,
because every start of a motor pulls it down for a moment."""

from nuvrik.core.levels import FULL, NO_READING, NOBODY, later, mul
from nuvrik.core.machine.machine import Machine
from nuvrik.core.machine.outputs import (
    AT_BACKWARD_END,
    AT_FORWARD_END,
    BACKWARD_UNREAD,
    FORWARD_UNREAD,
    LimitsTable,
)
from nuvrik.core.machine.telling import ItemTable, Telling
from nuvrik.core.machine.watch import WHY_LOW_BATTERY, WHY_STOP_SWITCH
from nuvrik.core.widths import Table, share, span, u8, u16


class InputsTable(Table):
    """The inputs of a machine: items of telemetry, NOBODY for none. A battery below low is too low after
    battery_ms, until it has been at high again for as long; battery_to: how much of full scale is left to
    what turns then, 0 for a stop."""

    used: bool
    stop: u8
    battery: u8
    battery_low: share
    battery_high: share
    battery_ms: u16
    battery_to: share


class Inputs:
    """The inputs of one machine. too_low: the battery is; changing_ms: for how long it has been saying
    otherwise."""

    def __init__(self, table: InputsTable) -> None:
        self.table: InputsTable = table
        self.too_low: bool = False
        self.changing_ms: u16 = 0

    def look(self, telling: Telling, machine: Machine, dt_ms: u16) -> None:
        """Before each turn: what they say now, dt_ms after the last one."""
        if not self.table.used:
            return
        telling.catch_up()
        if self.table.battery != NOBODY:
            self.look_at_battery(telling, dt_ms)
        most: share = self.table.battery_to if self.too_low else FULL
        for i in range(len(machine.outputs.table.limits)):
            one: LimitsTable = machine.outputs.table.limits[i]
            factor: share = most
            if one.dial != NOBODY:
                factor = mul(most, dialled(telling, one.dial))
            at_end: u8 = 0
            if one.end_forward != NOBODY and on_or_unread(telling, one.end_forward):
                at_end += AT_FORWARD_END
                if unreadable(telling, one.end_forward):
                    at_end += FORWARD_UNREAD
            if one.end_backward != NOBODY and on_or_unread(telling, one.end_backward):
                at_end += AT_BACKWARD_END
                if unreadable(telling, one.end_backward):
                    at_end += BACKWARD_UNREAD
            machine.outputs.limit(i, factor, at_end)
        if self.table.stop != NOBODY and on_or_unread(telling, self.table.stop):
            machine.press_stop(WHY_STOP_SWITCH, self.table.stop)
        elif self.too_low and self.table.battery_to == 0:
            machine.press_stop(WHY_LOW_BATTERY, self.table.battery)

    def look_at_battery(self, telling: Telling, dt_ms: u16) -> None:
        """Whether it is too low. What cannot be read says nothing."""
        at: span = telling.share_of(self.table.battery)
        changes: bool = at < self.table.battery_low
        if self.too_low:
            changes = at >= self.table.battery_high
        if at == NO_READING or not changes:
            self.changing_ms = 0
            return
        self.changing_ms = later(self.changing_ms, dt_ms)
        if self.changing_ms >= self.table.battery_ms:
            self.too_low = not self.too_low
            self.changing_ms = 0


def unreadable(telling: Telling, item: u8) -> bool:
    """Whether nobody knows if a switch is on: it has no fresh reading, or one of nothing there."""
    return not telling.is_fresh(item) or telling.codes[telling.table.items[item].first] > 1


def on_or_unread(telling: Telling, item: u8) -> bool:
    """Whether a switch is on, or has no fresh reading."""
    about: ItemTable = telling.table.items[item]
    return not telling.is_fresh(item) or telling.codes[about.first] != 0


def dialled(telling: Telling, item: u8) -> share:
    """How far a dial is turned, 0 where nobody knows."""
    at: span = telling.share_of(item)
    return 0 if at == NO_READING else at
