"""The packet radio chip nrf24l01 on a board's SPI, exchange by exchange.

**No acknowledgement.** The chip could repeat a packet until it is acknowledged; nothing here asks it to. A
command that is repeated is older than the next one and takes its air, two machines at one address would
acknowledge over each other, and a chip that has given up sends nothing more until somebody notices. What has
arrived is said by the link's own answers.

**Answers go in the other end's silence.** Both ends have one channel. A machine that answered whenever it
had something to say would sooner or later do so just as the next command comes, and keep doing so. So an end
that answers sends within WINDOW_MS after a packet has come; or, if the last ones were lost, a little after
one would have come.

**Nobody there is noticed.** After a dip of its supply the chip is at its defaults and says nothing of it: its
state looks as if nothing had arrived. So what it has been told is read back, a register at a time, and what
is wrong has a number: see RADIO_WELL. Whatever it is, the chip is set up anew, again and again.

Only pipe 1 is on, of six: a line that is dead reads as pipe 0, or as none there is. Nothing waits: the
longest piece is an exchange of 33 bytes. Registers, commands and times are those of the chip's data sheet."""

from nuvrik.core.board import DIGITAL, Board
from nuvrik.core.levels import NOBODY, later
from nuvrik.core.widths import Table, u8, u16

MOST_BOX = 33
"""A command and the most that a packet carries."""

RADIO_WELL = 0
RADIO_ABSENT = 1
RADIO_FORGOT = 2
RADIO_CHANGED = 3
RADIO_REFUSES = 4
RADIO_HANGS = 5
"""What is wrong with the chip: nothing; it does not answer; it has lost all that it was told; one register
has become another; it never kept what it was told, as one that does not know 250,000 bits a second; it was
given a packet and has not sent it."""

RADIO_RESTS = 0
RADIO_STARTS = 1
RADIO_LISTENS = 2
RADIO_SENDS = 3
"""What it is at: left alone for a while, told everything and on its way up, listening, sending."""

CHIP_WRITES = 0x20
CHIP_WIDTH = 0x60
CHIP_READS_PACKET = 0x61
CHIP_TAKES_PACKET = 0xA0
CHIP_TAKES_UNACKNOWLEDGED = 0xB0
CHIP_EMPTIES_OUT = 0xE1
CHIP_EMPTIES_IN = 0xE2
CHIP_ACTIVATE = 0x50
CHIP_ACTIVATE_KEY = 0x73
CHIP_NOTHING = 0xFF
"""Commands: the first byte of an exchange, during which the chip's state comes back."""

CHIP_CONFIG = 0x00
CHIP_RATE = 0x06
CHIP_STATE = 0x07
CHIP_HEARS_AT = 0x0B
CHIP_SENDS_TO = 0x10
CHIP_QUEUES = 0x17
CHIP_LENGTHS = 0x1C
CHIP_FEATURES = 0x1D
"""Registers."""

CONFIG_OFF = 0x0C
CONFIG_SENDS = 0x0E
CONFIG_LISTENS = 0x0F
CONFIG_AT_POWER = 0x08
"""A check of two bytes; and power; and to listen. The last is what it is when power comes, and never ours."""

RATE_COUNTS = 0x2E
"""The bits of that register that mean the same in every make: speed and power."""

STATE_HAS_COME = 0x40
STATE_HAS_GONE = 0x30
STATE_SENT = 0x20
STATE_ALL = 0x70
STATE_PIPES = 0x8E
STATE_PIPE_1 = 0x02
STATE_NO_PIPE = 0x0E
QUEUE_IN_EMPTY = 0x01

FEATURES_VARY = 0x05
LENGTHS_VARY = 0x03

POWER_MS = 100
"""From power to the first exchange."""
ABSENT_MS = 50
"""Until a chip that was not there is tried again."""
START_MS = 6
"""From power-down to standby: 1.5 ms, with a poor crystal 4.5."""
SEND_MS = 8
"""Three packets of 32 bytes at the slowest take 3.8 ms."""
CHECK_MS = 16
"""How often a register is read back. All of them are once in a fifth of a second then."""
DEAF_MS = 1000
"""An end that waits for the other has heard nothing for so long: what hears may hang, and setting it up costs
7 ms of nothing."""
WINDOW_MS = 8
MISSED_MS = 3
"""When an end that answers may send, counted from the other's packet; where that did not come, not at once:
it may be late, and would be lost beside the answer."""


class PacketRadioTable(Table):
    """One end's chip. registers: each with what it is to be, one pair after the other. addresses: the five
    bytes at which it hears, the lowest first, and the five to which it sends. most: how many bytes of a
    frame a packet carries at most. length: how many bytes every packet has, of which the first says how
    many count; 0: as many as there are. csn, ce, irq and lamp: pins, NOBODY for none. answers: it sends in
    the other's silence; waits: it expects to hear the other. period_ms: from one packet of the other end to
    the next."""

    registers: list[u8]
    addresses: list[u8]
    most: u8
    length: u8
    csn: u8
    ce: u8
    irq: u8
    lamp: u8
    answers: bool
    waits: bool
    period_ms: u16


class PacketRadio:
    """One chip. trouble: what is wrong with it now; last: what was wrong last, and news: that it has
    been since somebody put that down. quiet_ms: how long it has heard nothing, or been set up; since: how
    many ms ago the other end has sent, or would have, and on_time: it did. hears: something has come
    lately."""

    def __init__(self, table: PacketRadioTable, board: Board) -> None:
        self.table: PacketRadioTable = table
        self.board: Board = board
        self.box: list[u8] = [0] * MOST_BOX
        self.state: u8 = RADIO_RESTS
        self.state_ms: u16 = 0
        self.rest_ms: u16 = POWER_MS
        self.check_ms: u16 = 0
        self.quiet_ms: u16 = 0
        self.since: u16 = 0
        self.on_time: bool = False
        self.hears: bool = False
        self.looked: bool = False
        self.at: u8 = 0
        self.trouble: u8 = RADIO_WELL
        self.last: u8 = RADIO_WELL
        self.news: bool = False
        self.lamp_at: u16 = 0

    def begin(self) -> None:
        """At power-up: it is not spoken to, and does nothing."""
        self.board.pin(self.table.csn, True)
        self.board.pin(self.table.ce, False)

    def pass_time(self, dt_ms: u16) -> None:
        """A turn begins, so long after the one before."""
        if dt_ms == 0:
            return
        self.looked = False
        self.state_ms = later(self.state_ms, dt_ms)
        self.check_ms = later(self.check_ms, dt_ms)
        self.quiet_ms = later(self.quiet_ms, dt_ms)
        self.since = later(self.since, dt_ms)
        if self.since >= self.table.period_ms:
            self.on_time = False
            self.since -= self.table.period_ms
            if self.since >= self.table.period_ms:
                self.since = 0
        if self.table.lamp != NOBODY:
            self.lamp_at = (self.lamp_at + (dt_ms & 1023)) & 2047
            # As many flashes in two seconds as the trouble's number; steady while something comes.
            flashes: bool = self.lamp_at >> 8 < self.trouble and self.lamp_at & 128 == 0
            self.board.pin(self.table.lamp, self.hears if self.trouble == RADIO_WELL else flashes)

    # ---- exchanges ----

    def exchange(self, count: u8) -> None:
        """Exchange the first bytes of box with the chip."""
        self.board.pin(self.table.csn, False)
        self.board.spi(self.box, count)
        self.board.pin(self.table.csn, True)

    def command(self, code: u8) -> u8:
        """A command alone: the chip's state."""
        self.box[0] = code
        self.exchange(1)
        return self.box[0]

    def read(self, address: u8) -> u8:
        """What a register holds; the state is in box."""
        self.box[0] = address
        self.exchange(2)
        return self.box[1]

    def write(self, address: u8, value: u8) -> None:
        """Write a register."""
        self.box[0] = CHIP_WRITES | address
        self.box[1] = value
        self.exchange(2)

    def write_address(self, address: u8, first: u8) -> None:
        """Write one of the two addresses."""
        self.box[0] = CHIP_WRITES | address
        for i in range(5):
            self.box[i + 1] = self.table.addresses[first + i]
        self.exchange(6)

    # ---- setting it up, and looking after it ----

    def set_up(self) -> None:
        """Tell it everything."""
        self.board.pin(self.table.ce, False)
        self.write(CHIP_CONFIG, CONFIG_OFF)
        if self.table.length == 0 and self.read(CHIP_FEATURES) == 0:
            # The older chip has lengths that vary only once it is told so; told twice, it has them no more.
            self.write(CHIP_FEATURES, FEATURES_VARY)
            if self.read(CHIP_FEATURES) == 0:
                self.box[0] = CHIP_ACTIVATE
                self.box[1] = CHIP_ACTIVATE_KEY
                self.exchange(2)
        for i in range(len(self.table.registers) // 2):
            self.write(self.table.registers[2 * i], self.table.registers[2 * i + 1])
        self.write_address(CHIP_HEARS_AT, 0)
        self.write_address(CHIP_SENDS_TO, 5)
        self.command(CHIP_EMPTIES_OUT)
        self.command(CHIP_EMPTIES_IN)
        self.write(CHIP_STATE, STATE_ALL)
        self.write(CHIP_CONFIG, CONFIG_LISTENS)
        self.enter(RADIO_STARTS)

    def enter(self, state: u8) -> None:
        """Be at something else."""
        self.state = state
        self.state_ms = 0

    def listen(self) -> None:
        """From now on it hears."""
        self.board.pin(self.table.ce, True)
        self.enter(RADIO_LISTENS)

    def fail(self, trouble: u8, rest_ms: u16) -> None:
        """Something is wrong: set it up anew, after a while."""
        self.trouble = trouble
        self.last = trouble
        self.news = True
        self.again(rest_ms)

    def again(self, rest_ms: u16) -> None:
        """Set it up anew, after a while."""
        self.board.pin(self.table.ce, False)
        self.hears = False
        self.quiet_ms = 0
        self.rest_ms = rest_ms
        self.enter(RADIO_RESTS)

    def holds(self, at: u8) -> bool:
        """Whether a register is what it was told to be; behind the last of them, the address."""
        if 2 * at < len(self.table.registers):
            address: u8 = self.table.registers[2 * at]
            counts: u8 = RATE_COUNTS if address == CHIP_RATE else 0xFF
            return self.read(address) & counts == self.table.registers[2 * at + 1] & counts
        self.box[0] = CHIP_HEARS_AT
        self.exchange(6)
        for i in range(5):
            if self.box[i + 1] != self.table.addresses[i]:
                return False
        return True

    def is_ours(self) -> bool:
        """Whether it is at what it was told to be at, and answers at all. Otherwise that has been noted."""
        config: u8 = self.read(CHIP_CONFIG)
        if config == CONFIG_LISTENS:
            return True
        if self.box[0] == 0 or self.box[0] == 0xFF:
            self.fail(RADIO_ABSENT, ABSENT_MS)
        elif config == CONFIG_AT_POWER:
            self.fail(RADIO_FORGOT, 0)
        else:
            self.fail(RADIO_CHANGED, ABSENT_MS)
        return False

    def start(self) -> None:
        """It has been told everything, and has had its time: whether it has kept it."""
        if not self.is_ours():
            return
        for i in range(len(self.table.registers) // 2 + 1):
            if not self.holds(i):
                self.fail(RADIO_REFUSES, ABSENT_MS)
                return
        self.trouble = RADIO_WELL
        self.listen()

    def check(self) -> None:
        """Read back two registers."""
        self.check_ms = 0
        if not self.is_ours():
            return
        if not self.holds(self.at):
            self.fail(RADIO_CHANGED, 0)
            return
        self.at = self.at + 1 if 2 * self.at < len(self.table.registers) else 0
        if self.table.waits and self.quiet_ms >= DEAF_MS:
            self.again(0)

    def tend(self) -> None:
        """Whatever is due with the chip itself; once a turn."""
        if self.state == RADIO_RESTS:
            if self.state_ms >= self.rest_ms:
                self.set_up()
        elif self.state == RADIO_STARTS:
            if self.state_ms >= START_MS:
                self.start()
        elif self.state == RADIO_SENDS:
            self.see_it_off()
        elif self.check_ms >= CHECK_MS:
            self.check()

    # ---- packets ----

    def has_news(self) -> bool:
        """Whether to look at the chip now: when its own wire says so; without one, once a millisecond. A wire
        that is off costs time and no packets: what has come is seen when registers are read back."""
        if self.table.irq != NOBODY and self.board.input(self.table.irq, DIGITAL) == 0:
            return True
        if self.looked or (self.table.irq != NOBODY and self.check_ms != 0):
            return False
        self.looked = True
        return True

    def packet(self, into: list[u8]) -> u8:
        """A packet that has come: how many bytes of it have been put there, 0 for none."""
        if self.state != RADIO_LISTENS or not self.has_news():
            return 0
        pipe: u8 = self.command(CHIP_NOTHING) & STATE_PIPES
        if pipe == STATE_NO_PIPE:
            return 0
        if pipe != STATE_PIPE_1:
            self.check()
            return 0
        count: u8 = 0
        if self.read(CHIP_QUEUES) & QUEUE_IN_EMPTY == 0:
            count = self.fetch(into)
        self.write(CHIP_STATE, STATE_HAS_COME)
        return count

    def fetch(self, into: list[u8]) -> u8:
        """Take the first packet out of the chip."""
        length: u8 = self.table.length
        first: u8 = 2
        if length == 0:
            length = self.read(CHIP_WIDTH)
            first = 1
            if length > self.table.most:
                # Somebody else's, or spoiled: there is no room for it.
                self.command(CHIP_EMPTIES_IN)
                return 0
        self.box[0] = CHIP_READS_PACKET
        self.exchange(length + 1)
        count: u8 = length
        if self.table.length != 0:
            count = self.box[1]
        if count == 0 or count > self.table.most:
            return 0
        for i in range(count):
            into[i] = self.box[first + i]
        self.looked = False
        self.hears = True
        self.quiet_ms = 0
        self.since = 0
        self.on_time = True
        return count

    def free(self) -> bool:
        """Whether it would send a packet now."""
        if self.state != RADIO_LISTENS:
            return False
        if not self.table.answers:
            return True
        # Nobody knows when the other sends of whom nothing has come for long; nor would it be heard.
        return self.hears and self.since < WINDOW_MS and (self.on_time or self.since >= MISSED_MS)

    def give(self, packet: list[u8], count: u16) -> None:
        """Send a packet, when it is free."""
        self.board.pin(self.table.ce, False)
        self.write(CHIP_CONFIG, CONFIG_SENDS)
        self.write(CHIP_STATE, STATE_HAS_GONE)
        first: u8 = 1
        if self.table.length != 0:
            first = 2
            self.box[1] = count & 0xFF
        self.box[0] = CHIP_TAKES_PACKET if self.table.length != 0 else CHIP_TAKES_UNACKNOWLEDGED
        for i in range(count):
            self.box[first + i] = packet[i]
        self.exchange(self.table.length + 1 if self.table.length != 0 else count + 1)
        # It stays high until the packet has gone: no pulse has to be timed.
        self.board.pin(self.table.ce, True)
        self.enter(RADIO_SENDS)

    def see_it_off(self) -> None:
        """A packet is being sent: whether it has gone."""
        if self.has_news() and self.command(CHIP_NOTHING) & STATE_SENT != 0:
            self.write(CHIP_STATE, STATE_HAS_GONE)
            self.board.pin(self.table.ce, False)
            self.write(CHIP_CONFIG, CONFIG_LISTENS)
            self.listen()
        elif self.state_ms > SEND_MS:
            self.fail(RADIO_HANGS, 0)
