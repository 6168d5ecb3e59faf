"""What a handset hears: the machine's state and telemetry, each with its age, answers to requests, who the
machine is, and echoes."""

from nuvrik.core.frames.bits import got
from nuvrik.core.frames.sealed import (
    ACCEPTED,
    BAD_FIELD,
    HEAD,
    KIND_HELLO,
    KIND_REPLY,
    KIND_TELEMETRY,
    WRONG_KIND,
    Sealed,
)
from nuvrik.core.levels import TIMER_MAX, later
from nuvrik.core.machine.desk import HOW, MOST_TOKEN, STRANGER, WHO
from nuvrik.core.machine.telling import (
    AXES,
    FOLLOWS,
    HOLD_ENDS,
    MEANS_NOTHING,
    NOTED,
    NOTES_LATE,
    NOTES_OWN,
    NOTES_RADIO,
    RADIO_TROUBLES,
    STATE_BITS,
    TELLS_AXES,
    ItemTable,
    TellingTable,
)
from nuvrik.core.machine.watch import STATES
from nuvrik.core.widths import Table, u8, u16

NEVER_HEARD = 255
"""In place of a state: the machine has never told one, or not for too long."""

REPLY_BYTES = 10
"""An answer to a request."""

WHO_BYTES = 18
HOW_BYTES = 13
"""The pages of a hello's answer, without the name of the link."""


def first_mark(sealed: Sealed) -> u8:
    """The byte of telemetry at which it says which items are there."""
    return HEAD + 3 if (sealed.body[HEAD] & NOTED) != 0 else HEAD + 2


def there(sealed: Sealed, item: u8) -> bool:
    """Whether an item is in the telemetry."""
    return got(sealed.body, 8 * first_mark(sealed) + item, 1) != 0


class HearingTable(Table):
    """What a handset may hear. timeout_ms: after such a silence the machine may have started again, and its
    numbers with it; lost_ms: after such a time nothing is known of its state."""

    telling: TellingTable
    timeout_ms: u16
    lost_ms: u16


class Hearing:
    """What has been heard of one machine. own_number: that of the stop of its own code that holds it, 0 for
    none; radio: what was wrong with its radio chip lately, 0 for nothing; ages_ms: how long ago each item
    came, and codes what it was; length: bytes of a token that are back."""

    def __init__(self, table: HearingTable) -> None:
        self.table: HearingTable = table
        self.heard_ms: u16 = TIMER_MAX
        self.told_ms: u16 = TIMER_MAX
        self.state_told: u8 = NEVER_HEARD
        self.followed: bool = False
        self.last_command: u8 = 0
        self.hold_ends: bool = False
        self.own_number: u8 = 0
        self.radio: u8 = 0
        self.seq: u8 = 0
        self.codes: list[u16] = [0] * len(table.telling.codes)
        self.ages_ms: list[u16] = [TIMER_MAX] * len(table.telling.items)
        self.code: u8 = 0
        self.session: u16 = 0
        self.number: u16 = 0
        self.status: u8 = 0
        self.value_low: u16 = 0
        self.value_high: u16 = 0
        self.tag: u16 = 0
        self.boot_low: u16 = 0
        self.boot_high: u16 = 0
        self.token: list[u8] = [0] * MOST_TOKEN
        self.length: u8 = 0

    def pass_time(self, dt_ms: u16) -> None:
        """Let dt_ms go by."""
        self.heard_ms = later(self.heard_ms, dt_ms)
        self.told_ms = later(self.told_ms, dt_ms)
        for i in range(len(self.table.telling.items)):
            self.ages_ms[i] = later(self.ages_ms[i], dt_ms)

    def tells(self) -> bool:
        """Whether the machine tells its state at all."""
        return len(self.table.telling.items) > 0

    def state(self) -> u8:
        """The state as last told, NEVER_HEARD if that is too long ago."""
        return self.state_told if self.told_ms < self.table.lost_ms else NEVER_HEARD

    def understand(self, sealed: Sealed) -> u8:
        """Whether the payload is one that can be."""
        size: u16 = sealed.payload
        if sealed.kind == KIND_TELEMETRY:
            return ACCEPTED if self.fits(sealed) else BAD_FIELD
        if sealed.kind == KIND_REPLY:
            return ACCEPTED if size == REPLY_BYTES and sealed.body[HEAD + 5] <= STRANGER else BAD_FIELD
        # The first byte of a hello or an echo says which way it goes: 0 asks, 1 answers.
        if size > 0 and sealed.body[HEAD] == 0:
            return WRONG_KIND
        if size == 0 or sealed.body[HEAD] != 1:
            return BAD_FIELD
        if sealed.kind == KIND_HELLO:
            page: u8 = sealed.body[HEAD + 1]
            whole_page: bool = (page == WHO and size >= WHO_BYTES) or (page == HOW and size >= HOW_BYTES)
            return ACCEPTED if whole_page else BAD_FIELD
        return ACCEPTED if size >= 2 and size <= MOST_TOKEN + 1 else BAD_FIELD

    def first_code(self, sealed: Sealed) -> u16:
        """The bit at which the codes begin."""
        marks: u16 = (len(self.table.telling.items) + 7) >> 3
        return 8 * (first_mark(sealed) + marks)

    def fits(self, sealed: Sealed) -> bool:
        """Whether this link could mean that telemetry: every bit that means nothing is zero."""
        at: u16 = self.first_code(sealed)
        if sealed.payload + HEAD < at >> 3 or sealed.body[HEAD] >= MEANS_NOTHING:
            return False
        if (sealed.body[HEAD] & STATE_BITS) >= STATES:
            return False
        if (sealed.body[HEAD] & NOTED) != 0:
            noted: u8 = sealed.body[HEAD + 2]
            if noted == 0 or (noted & NOTES_LATE) != 0 or noted >= RADIO_TROUBLES * NOTES_RADIO:
                return False
        for i in range(at - 8 * first_mark(sealed) - len(self.table.telling.items)):
            if there(sealed, len(self.table.telling.items) + i):
                return False
        for i in range(len(self.table.telling.items)):
            item: ItemTable = self.table.telling.items[i]
            if there(sealed, i):
                at += AXES * item.bits if item.tells == TELLS_AXES else item.bits
        if sealed.payload + HEAD != (at + 7) >> 3:
            return False
        return (at & 7) == 0 or (sealed.body[at >> 3] >> (at & 7)) == 0

    def take(self, sealed: Sealed) -> None:
        """A frame that has been accepted."""
        self.heard_ms = 0
        if sealed.kind == KIND_TELEMETRY:
            self.take_telemetry(sealed)
        elif sealed.kind == KIND_REPLY:
            self.code = sealed.body[HEAD]
            self.session = sealed.two(1)
            self.number = sealed.two(3)
            self.status = sealed.body[HEAD + 5]
            self.value_low = sealed.two(6)
            self.value_high = sealed.two(8)
        elif sealed.kind == KIND_HELLO:
            if sealed.body[HEAD + 1] == WHO:
                self.tag = sealed.two(2)
                self.boot_low = sealed.two(10)
                self.boot_high = sealed.two(12)
        else:
            self.length = sealed.payload - 1
            for i in range(self.length):
                self.token[i] = sealed.body[HEAD + 1 + i]

    def take_telemetry(self, sealed: Sealed) -> None:
        """What the machine says of itself."""
        self.told_ms = 0
        self.seq = sealed.seq
        self.state_told = sealed.body[HEAD] & STATE_BITS
        self.followed = (sealed.body[HEAD] & FOLLOWS) != 0
        self.hold_ends = (sealed.body[HEAD] & HOLD_ENDS) != 0
        self.last_command = sealed.body[HEAD + 1]
        noted: u8 = sealed.body[HEAD + 2] if (sealed.body[HEAD] & NOTED) != 0 else 0
        self.own_number = noted & NOTES_OWN
        self.radio = noted // NOTES_RADIO
        at: u16 = self.first_code(sealed)
        for i in range(len(self.table.telling.items)):
            item: ItemTable = self.table.telling.items[i]
            if there(sealed, i):
                self.ages_ms[i] = 0
                parts: u8 = AXES if item.tells == TELLS_AXES else 1
                for part in range(parts):
                    self.codes[item.first + part] = got(sealed.body, at, item.bits)
                    at += item.bits
