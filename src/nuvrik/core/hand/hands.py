"""The controls of one handset, each with its reading for as long as that is fresh, and those made of
others."""

from nuvrik.core.hand.controls import (
    Button,
    ButtonTable,
    Key,
    KeyControlTable,
    Moved,
    MovedTable,
)
from nuvrik.core.levels import NO_READING, NOBODY, TIMER_MAX, clamp, later
from nuvrik.core.widths import Table, i32, level, product, reading, span, u8, u16

IS_MOVED = 0
IS_BUTTON = 1
IS_KEY = 2
IS_ROCKER = 3
IS_NUDGE = 4
IS_SELECTOR = 5
"""The kinds of control; the first three have readings of their own."""


class ControlTable(Table):
    """One control: its kind, its place among those of that kind, how long a reading of it is good; and the
    button that switches a toggle off, NOBODY for none."""

    kind: u8
    at: u8
    stale_ms: u16
    off_by: u8


class RockerTable(Table):
    """Two buttons or keys for the two directions."""

    plus: u8
    minus: u8


class NudgeTable(Table):
    """Two buttons or keys that step a value, and one that puts it back, NOBODY for none. waits: it feeds
    nothing but places."""

    up: u8
    down: u8
    back: u8
    step: level
    low: level
    high: level
    start: level
    waits: bool


class SelectorTable(Table):
    """One of several buttons or keys chooses. values: what each stands for, as a level; waits: it feeds
    nothing but places."""

    buttons: list[u8]
    values: list[level]
    start: u8
    waits: bool


class HandsTable(Table):
    """All controls of a handset, in the order of the link file, and by kind. seen: one place for each button
    that something looks at for presses."""

    controls: list[ControlTable]
    moved: list[MovedTable]
    buttons: list[ButtonTable]
    keys: list[KeyControlTable]
    rockers: list[RockerTable]
    nudges: list[NudgeTable]
    selectors: list[SelectorTable]
    seen: list[u8]


class Hands:
    """The controls of one handset. rocked, nudged, selected: the values of rockers, nudges and selectors;
    stored and chosen: where nudges and selectors stand. A nudge, a selector or a toggle that feeds nothing
    but places has no reading until it is pressed while arm is sent on (live), so that arming moves nothing to
    where they happen to stand; nudge_given, choice_given: which have been. since_ms: how long ago each
    control was read, without waited_ms, which has passed since timers were looked at."""

    def __init__(self, table: HandsTable) -> None:
        self.table: HandsTable = table
        self.moved: list[Moved] = [Moved(one) for one in table.moved]
        self.buttons: list[Button] = [Button(one) for one in table.buttons]
        self.keys: list[Key] = [Key(one) for one in table.keys]
        self.rocked: list[span] = [NO_READING] * len(table.rockers)
        self.nudged: list[span] = [NO_READING] * len(table.nudges)
        self.stored: list[level] = [0] * len(table.nudges)
        self.selected: list[span] = [NO_READING] * len(table.selectors)
        self.chosen: list[u8] = [0] * len(table.selectors)
        self.live: bool = False
        self.nudge_given: list[bool] = [False] * len(table.nudges)
        self.choice_given: list[bool] = [False] * len(table.selectors)
        self.since_ms: list[reading] = [TIMER_MAX] * len(table.controls)
        self.waited_ms: u16 = 0
        self.presses_seen: list[u16] = [0] * len(table.seen)

    def begin(self) -> None:
        """At power-up."""
        for i in range(len(self.table.nudges)):
            self.stored[i] = self.table.nudges[i].start
        for i in range(len(self.table.selectors)):
            self.chosen[i] = self.table.selectors[i].start

    def value(self, control: u8) -> span:
        """The level of a control, 0 or FULL for a button, NO_READING for none."""
        kind: u8 = self.table.controls[control].kind
        at: u8 = self.table.controls[control].at
        if kind == IS_MOVED:
            return self.moved[at].value
        if kind == IS_BUTTON:
            return self.buttons[at].value
        if kind == IS_KEY:
            return self.keys[at].value
        if kind == IS_ROCKER:
            return self.rocked[at]
        if kind == IS_NUDGE:
            return self.nudged[at]
        return self.selected[at]

    def latched(self, control: u8) -> bool:
        """Whether its value is held although no hand holds it: a toggle that is on, a stick that holds, a
        nudge or a selector away from where it starts."""
        kind: u8 = self.table.controls[control].kind
        at: u8 = self.table.controls[control].at
        if kind == IS_MOVED:
            return self.moved[at].latched
        if kind == IS_BUTTON:
            return self.buttons[at].latched
        if kind == IS_KEY:
            return self.keys[at].latched
        if kind == IS_NUDGE:
            return self.stored[at] != self.table.nudges[at].start
        return kind == IS_SELECTOR and self.chosen[at] != self.table.selectors[at].start

    def presses(self, control: u8) -> u16:
        """How often a button or a key has been pressed."""
        kind: u8 = self.table.controls[control].kind
        at: u8 = self.table.controls[control].at
        if kind == IS_BUTTON:
            return self.buttons[at].presses
        return self.keys[at].presses if kind == IS_KEY else 0

    def switch_off(self, control: u8) -> None:
        """A toggle goes off; whatever else it is stays as it is."""
        kind: u8 = self.table.controls[control].kind
        at: u8 = self.table.controls[control].at
        if kind == IS_BUTTON:
            self.buttons[at].switch_off()
        elif kind == IS_KEY:
            self.keys[at].switch_off()

    def pass_time(self, dt_ms: u16) -> bool:
        """Let dt_ms go by. True: some reading has become too old."""
        self.waited_ms = later(self.waited_ms, dt_ms)
        ended: bool = False
        for i in range(len(self.table.controls)):
            one: ControlTable = self.table.controls[i]
            if one.kind <= IS_KEY and self.since_ms[i] + self.waited_ms >= one.stale_ms and self.is_fresh(i):
                self.withdraw(i)
                ended = True
        if self.waited_ms >= 20000:
            self.catch_up()
        return ended

    def catch_up(self) -> None:
        """Bring every timer up to now."""
        for i in range(len(self.table.controls)):
            self.since_ms[i] = clamp(self.since_ms[i] + self.waited_ms, 0, TIMER_MAX)
        self.waited_ms = 0

    def is_fresh(self, control: u8) -> bool:
        """Whether a reading of it can still become too old."""
        kind: u8 = self.table.controls[control].kind
        if kind == IS_KEY:
            return self.keys[self.table.controls[control].at].down
        if kind == IS_BUTTON:
            return self.buttons[self.table.controls[control].at].known
        return self.value(control) != NO_READING

    def withdraw(self, control: u8) -> None:
        """There is no reading of it any more."""
        kind: u8 = self.table.controls[control].kind
        at: u8 = self.table.controls[control].at
        if kind == IS_MOVED:
            self.moved[at].withdraw()
        elif kind == IS_BUTTON:
            self.buttons[at].withdraw()
        elif kind == IS_KEY:
            self.keys[at].withdraw()

    def read(self, control: u8, raw: reading) -> None:
        """A reading of a control that has readings of its own. A key's is how often it has arrived, modulo
        65536."""
        kind: u8 = self.table.controls[control].kind
        at: u8 = self.table.controls[control].at
        dt_ms: u16 = clamp(self.since_ms[control] + self.waited_ms, 0, TIMER_MAX)
        if kind == IS_KEY:
            if self.keys[at].read(raw & 0xFFFF):
                self.since_ms[control] = -self.waited_ms
            return
        self.since_ms[control] = -self.waited_ms
        if kind == IS_MOVED:
            self.moved[at].read(raw, dt_ms)
        else:
            self.buttons[at].read(raw, dt_ms)

    def arrive(self, control: u8, fresh: bool) -> None:
        """The code of a key has arrived."""
        self.keys[self.table.controls[control].at].arrive(fresh)
        self.since_ms[control] = -self.waited_ms

    def fresh_presses(self, place: u8, control: u8) -> u16:
        """How many presses of a button are new to whoever looks at it from a place."""
        count: u16 = self.presses(control)
        more: u16 = (count - self.presses_seen[place]) & 0xFFFF
        self.presses_seen[place] = count
        return more

    def may_move(self, live: bool) -> None:
        """Whether presses may move places: while arm is sent on. Whatever they did before is over once they
        may not; then refresh comes."""
        if live == self.live:
            return
        self.live = live
        for i in range(len(self.table.buttons)):
            if self.table.buttons[i].waits:
                self.buttons[i].may_move(live)
        for i in range(len(self.table.keys)):
            if self.table.keys[i].waits:
                self.keys[i].may_move(live)
        for i in range(len(self.table.nudges)):
            self.nudge_given[i] = False
        for i in range(len(self.table.selectors)):
            self.choice_given[i] = False
        self.refresh()

    def refresh(self) -> None:
        """Let what is made of controls follow them: what switches toggles off first."""
        place: u8 = 0
        for i in range(len(self.table.controls)):
            button: u8 = self.table.controls[i].off_by
            if button != NOBODY:
                if self.fresh_presses(place, button) != 0:
                    self.switch_off(i)
                place += 1
        for one in self.table.controls:
            if one.kind == IS_ROCKER:
                self.rock(one.at)
            elif one.kind == IS_NUDGE:
                place = self.nudge(one.at, place)
            elif one.kind == IS_SELECTOR:
                place = self.choose(one.at, place)

    def rock(self, at: u8) -> None:
        """Two directions; both at once is rest."""
        plus: span = self.value(self.table.rockers[at].plus)
        minus: span = self.value(self.table.rockers[at].minus)
        if plus == NO_READING or minus == NO_READING:
            self.rocked[at] = NO_READING
        else:
            self.rocked[at] = plus - minus

    def nudge(self, at: u8, place: u8) -> u8:
        """A stored value that presses step up and down, within limits. It outlives a press, not a gap."""
        one: NudgeTable = self.table.nudges[at]
        up: u16 = self.fresh_presses(place, one.up)
        down: u16 = self.fresh_presses(place + 1, one.down)
        next: u8 = place + 2
        steps: i32 = up - down
        counts: bool = self.live or not one.waits
        if steps != 0 and counts:
            way: product = steps * one.step
            self.stored[at] = clamp(self.stored[at] + way, one.low, one.high)
            self.nudge_given[at] = True
        if one.back != NOBODY:
            if self.fresh_presses(next, one.back) != 0 and counts:
                self.stored[at] = one.start
                self.nudge_given[at] = True
            next += 1
        known: bool = self.value(one.up) != NO_READING and self.value(one.down) != NO_READING
        known = known and (self.nudge_given[at] or not one.waits)
        self.nudged[at] = self.stored[at] if known else NO_READING
        return next

    def choose(self, at: u8, place: u8) -> u8:
        """The last button pressed chooses."""
        one: SelectorTable = self.table.selectors[at]
        known: bool = True
        for i in range(len(one.buttons)):
            if self.fresh_presses(place + i, one.buttons[i]) != 0 and (self.live or not one.waits):
                self.chosen[at] = i
                self.choice_given[at] = True
            if self.value(one.buttons[i]) == NO_READING:
                known = False
        known = known and (self.choice_given[at] or not one.waits)
        self.selected[at] = one.values[self.chosen[at]] if known else NO_READING
        return place + len(one.buttons)
