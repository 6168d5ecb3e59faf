"""A stand-in for the packet radio chip nrf24l01, register by register, and the air between several.

It is made from the chip's data sheet, as the driver is, so it cannot find what both have read wrongly;
docs/radio.md lists what only hardware can say. Where the sheet leaves something open, or makes differ, it is
strict: a register that is written while the chip hears or sends stays as it was, and a packet that nobody
should be able to hear is not heard.

Times are microseconds of whoever drives it: every call says when it is. It runs on MicroPython too, and
does without what that has not."""

from typing import Any

POWER_US = 100_000
START_US = 1_500
SETTLE_US = 130
FIFO = 3
LONGEST_US = 4_000

DEFAULTS = {
    0x00: 0x08,
    0x01: 0x3F,
    0x02: 0x03,
    0x03: 0x03,
    0x04: 0x03,
    0x05: 0x02,
    0x06: 0x0E,
    0x08: 0,
    0x09: 0,
}
DEFAULTS.update({0x0C: 0xC3, 0x0D: 0xC4, 0x0E: 0xC5, 0x0F: 0xC6, 0x1C: 0, 0x1D: 0})
DEFAULTS.update(dict.fromkeys(range(0x11, 0x17), 0))
"""What its registers are when power comes; addresses, state and queues stand elsewhere."""

WRITABLE = {
    0x00: 0x7F,
    0x01: 0x3F,
    0x02: 0x3F,
    0x03: 0x03,
    0x04: 0xFF,
    0x05: 0x7F,
    0x06: 0xBE,
    0x1C: 0x3F,
    0x1D: 0x07,
}
WRITABLE.update(dict.fromkeys(range(0x0C, 0x10), 0xFF))
WRITABLE.update(dict.fromkeys(range(0x11, 0x17), 0x3F))
"""The bits of each that can be written."""

RATES = {0x20: 250_000, 0x00: 1_000_000, 0x08: 2_000_000}

RX_DR, TX_DS, MAX_RT = 0x40, 0x20, 0x10


class Sent:
    """One packet on the air, from its preamble to its end."""

    def __init__(self, by: "RadioChip", start_us: float, end_us: float, how: Any, payload: bytes) -> None:
        self.by, self.start_us, self.end_us, self.how, self.payload = by, start_us, end_us, how, payload


class Ether:
    """The air. ``lost``: asked for each packet and each chip that could hear it, with the time; True: it is
    not heard. What overlaps on one channel spoils each other."""

    def __init__(self, lost: Any = None) -> None:
        self.lost = lost
        self.chips: list[RadioChip] = []
        self.sent: list[Sent] = []
        self._past: list[Sent] = []
        self.collided = self.delivered = self.dropped = 0

    def send(self, sent: Sent) -> None:
        """A packet is on its way from now on."""
        self.sent.append(sent)

    def pass_time(self, us: float) -> None:
        """Deliver what has ended by now."""
        ended = [one for one in self.sent if one.end_us <= us]
        for one in sorted(ended, key=lambda each: each.end_us):
            self._deliver(one)
        if ended:
            # What could still be overlapped by something is kept for as long as a packet may last.
            self.sent = [one for one in self.sent if one.end_us > us]
            self._past = [one for one in self._past if one.end_us > us - LONGEST_US] + ended

    def _deliver(self, sent: Sent) -> None:
        others = self.sent + self._past
        spoiled = any(
            one is not sent
            and one.how[0] == sent.how[0]
            and one.start_us < sent.end_us
            and sent.start_us < one.end_us
            for one in others
        )
        # An end that sends hears nothing meanwhile: what the other sends then is lost as well.
        self.collided += spoiled
        for chip in self.chips:
            if spoiled or chip is sent.by or not chip.could_hear(sent):
                continue
            if self.lost is not None and self.lost(sent.end_us):
                self.dropped += 1
            else:
                self.delivered += 1
                chip.arrive(sent)


class RadioChip:
    """One chip. ``absent``: what every byte reads as, None for a chip that is there; ``deaf``, ``hung``: it
    hears nothing, it never says that it has sent; ``off_by``: so many channels beside the one it is told;
    ``older``: the make that does not know 250,000 bits a second, and lengths that vary only once it is
    told."""

    def __init__(self, ether: Ether, *, older: bool = False, now_us: float = 0) -> None:
        self.ether, self.older = ether, older
        ether.chips.append(self)
        self.absent: int | None = None
        self.deaf = self.hung = False
        self.off_by = 0
        self.refused = 0
        self.power(now_us)

    def power(self, us: float, takes_us: float = POWER_US) -> None:
        """Power comes: everything is as it is then. It answers after ``takes_us``, 0 for a dip that was so
        short that nobody else has seen it."""
        self.registers = dict(DEFAULTS)
        self.hears_at = [bytes([0xE7] * 5), bytes([0xC2] * 5)]
        self.sends_to = bytes([0xE7] * 5)
        self.state = 0
        self.came: list[bytes] = []
        self.goes: list[bytes] = []
        self.ready_us = us + takes_us
        self.ce_high = False
        self.csn_high = True
        self.active = not self.older
        self.listens_us: float | None = None
        self.up_us: float | None = None
        self._sending: Sent | None = None
        self._said: list[int] = []
        self._answer: list[int] = []

    # ---- wires ----

    def csn(self, high: bool, us: float) -> None:
        """The wire that selects it."""
        self._go_on(us)
        if self.csn_high and not high:
            self._said, self._answer = [], []
        elif high and not self.csn_high and self._said:
            self._end(us)
        self.csn_high = high

    def ce(self, high: bool, us: float) -> None:
        """The wire that lets it work."""
        self._go_on(us)
        self.ce_high = high
        self._follow(us)

    def exchange(self, byte: int, us: float) -> int:
        """One byte to it, and the one that comes back meanwhile."""
        self._go_on(us)
        if self.absent is not None:
            return self.absent
        if self.csn_high or us < self.ready_us:
            return 0xFF
        if not self._said:
            self._answer = [self._state()] + self._reads(byte)  # noqa: RUF005
        at = len(self._said)
        self._said.append(byte)
        return self._answer[at] if at < len(self._answer) else 0

    def irq(self, us: float) -> bool:
        """Its own wire: True while it is high, and there is no news."""
        self._go_on(us)
        if self.absent is not None:
            return True
        return not self.state & ~self.registers[0] & (RX_DR | TX_DS | MAX_RT)

    # ---- commands ----

    def _state(self) -> int:
        pipe = 1 if self.came else 7
        return self.state | pipe << 1 | (len(self.goes) >= FIFO)

    def _queues(self) -> int:
        rx = (0x01 if not self.came else 0) | (0x02 if len(self.came) >= FIFO else 0)
        return rx | (0x10 if not self.goes else 0) | (0x20 if len(self.goes) >= FIFO else 0)

    def _reads(self, command: int) -> list[int]:
        if command < 0x20:
            if command == 0x07:
                return [self._state()]
            if command == 0x17:
                return [self._queues()]
            if command in (0x0A, 0x0B):
                return list(self.hears_at[command - 0x0A])
            if command == 0x10:
                return list(self.sends_to)
            if command in (0x1C, 0x1D) and not self.active:
                return [0]
            return [self.registers.get(command, 0)]
        if command == 0x60 and self.active:
            return [len(self.came[0]) if self.came else 0]
        if command == 0x61:
            return list(self.came[0]) if self.came else []
        return []

    def _end(self, us: float) -> None:
        """An exchange has ended: carry out what it said."""
        command, *given = self._said
        if self.absent is not None or us < self.ready_us:
            return
        if 0x20 <= command < 0x40:
            if given:
                self._write(command & 0x1F, given, us)
        elif command == 0x61:
            self.came = self.came[1:]
        elif command in (0xA0, 0xB0):
            allowed = command == 0xA0 or (self.active and self.registers[0x1D] & 1)
            if given and allowed and len(self.goes) < FIFO:
                self.goes.append(bytes(given[:32]))
                self._follow(us)
        elif command == 0xE1:
            self.goes = []
        elif command == 0xE2:
            self.came = []
        elif command == 0x50 and given == [0x73] and self.older:
            self.active = not self.active

    def _write(self, at: int, given: list[int], us: float) -> None:
        if at == 0x07:
            self.state &= ~(given[0] & (RX_DR | TX_DS | MAX_RT))
            return
        working = self.ce_high and self.registers[0] & 2
        if working and at != 0:
            self.refused += 1
            return
        if at in (0x0A, 0x0B):
            self.hears_at[at - 0x0A] = bytes(given[:5])
        elif at == 0x10:
            self.sends_to = bytes(given[:5])
        elif at in WRITABLE and (at < 0x1C or self.active):
            value = given[0] & WRITABLE[at]
            if at == 6 and self.older:
                value &= ~0x20
            self.registers[at] = value
            if at == 0 and not value & 2:
                self.up_us = None
            elif at == 0 and self.up_us is None:
                self.up_us = us + START_US
            self._follow(us)

    # ---- the radio ----

    @property
    def how(self) -> tuple[Any, ...]:
        """What both ends must have alike, the channel first; and the address behind it."""
        registers = self.registers
        varies = bool(registers[0x1D] & 4 and registers[0x1C] & 1)
        check = registers[0] & 0x0C if not registers[1] else 0x0C
        return (
            registers[5] + self.off_by,
            registers[6] & 0x28,
            check,
            bool(registers[1]),
            varies,
            registers[3],
        )

    def _follow(self, us: float) -> None:
        """Hear, send or rest, as CONFIG and CE have it."""
        config = self.registers[0]
        up = bool(config & 2) and self.up_us is not None
        hears = up and self.ce_high and bool(config & 1)
        if not hears:
            self.listens_us = None
        elif self.listens_us is None:
            self.listens_us = max(us, self.up_us or 0) + SETTLE_US
        if up and self.ce_high and not config & 1 and self.goes and self._sending is None:
            payload = self.goes[0]
            # Both bits together mean nothing.
            rate = RATES.get(self.registers[6] & 0x28, 250_000)
            bits = 8 * (1 + 5 + len(payload) + 2) + (9 if self.registers[1] else 0)
            start = max(us, self.up_us or 0) + SETTLE_US
            end = start + bits * 1e6 / rate
            self._sending = Sent(self, start, end, self.how + (self.sends_to,), payload)  # noqa: RUF005
            if self.absent is None and not self.hung:
                self.ether.send(self._sending)

    def _go_on(self, us: float) -> None:
        sending = self._sending
        if sending is not None and us >= sending.end_us:
            self._sending = None
            if not self.hung:
                self.goes = self.goes[1:]
                self.state |= TX_DS
                self._follow(sending.end_us)
        self.ether.pass_time(us)

    def could_hear(self, sent: Sent) -> bool:
        """Whether it listened for all of a packet, to its channel, its address, at its speed and length."""
        if self.absent is not None or self.deaf or self.listens_us is None or self.listens_us > sent.start_us:
            return False
        registers = self.registers
        if self.how + (self.hears_at[1],) != sent.how or not registers[2] & 2:  # noqa: RUF005
            return False
        varies = self.how[4]
        return bool(varies) or registers[0x12] == len(sent.payload)

    def arrive(self, sent: Sent) -> None:
        """A packet is whole."""
        if len(self.came) < FIFO:
            self.came.append(sent.payload)
            self.state |= RX_DR
