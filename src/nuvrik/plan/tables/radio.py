"""What a radio chip is told, as a table: docs/radio.md says why it is told that."""

from itertools import pairwise

from nuvrik.core.levels import NOBODY
from nuvrik.core.loops.packet_radio import (
    CHIP_FEATURES,
    CHIP_LENGTHS,
    CHIP_RATE,
    FEATURES_VARY,
    LENGTHS_VARY,
    PacketRadioTable,
)
from nuvrik.plan.form.media import RadioMedium, RadioPins, chip_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.made import made

ACKNOWLEDGES, PIPES, WIDTH_OF_ADDRESS, REPEATS, CHANNEL, LENGTH_1 = 0x01, 0x02, 0x03, 0x04, 0x05, 0x12
"""Registers, by the numbers of the chip's data sheet."""

FIVE_BYTES, PIPE_1 = 3, 2

RATES = {250_000: 0x20, 1_000_000: 0x00, 2_000_000: 0x08}
POWERS = {-18: 0, -12: 2, -6: 4, 0: 6}

EDGES = (0x36, 0xC9, 0x6A, 0x5B)
"""Bytes with edges enough that noise does not imitate them."""

TO_MACHINE, TO_HANDSET = 0x4D, 0x92
"""The byte of an address that says whither, so that handsets do not hear handsets."""

IMITATED = (0x00, 0xFF, 0x55, 0xAA)
"""What an address must not begin with: noise, and the preamble before it."""

FEWEST_EDGES = 8


def radio_table(link: Link, end: str) -> PacketRadioTable:
    """The chip of an end; one that nobody asks anything of where the link has none."""
    medium = chip_of(link.medium)
    if medium is None:
        return NO_RADIO
    machine = end in ("machine", "radio-bench")
    pins = medium.pins_of(end) or RadioPins(csn=NOBODY, ce=NOBODY)
    heard, sent = (TO_MACHINE, TO_HANDSET) if machine else (TO_HANDSET, TO_MACHINE)
    number = number_on_air(medium.address or link.frame.pair)
    both_ways = bool(link.telemetry or link.requests)
    return made(
        PacketRadioTable,
        registers=_registers(medium),
        addresses=[heard, *number, sent, *number],
        most=medium.payload_max,
        length=medium.packet_bytes,
        csn=pins.csn,
        ce=pins.ce,
        irq=NOBODY if pins.irq is None else pins.irq,
        lamp=NOBODY if pins.lamp is None else pins.lamp,
        answers=machine,
        waits=machine or both_ways,
        period_ms=link.period_ms,
    )


def _registers(medium: RadioMedium) -> list[int]:
    """Each register with what it is to be, in the order in which they are written."""
    fixed = medium.packet_bytes
    pairs = {
        ACKNOWLEDGES: 0 if fixed else LENGTHS_VARY,
        PIPES: PIPE_1,
        WIDTH_OF_ADDRESS: FIVE_BYTES,
        REPEATS: 0,
        CHANNEL: medium.channel,
        CHIP_RATE: RATES[medium.bitrate] | POWERS[medium.power_dbm],
        LENGTH_1: fixed,
        # Lengths that vary have to be asked for first.
        CHIP_FEATURES: 0 if fixed else FEATURES_VARY,
        CHIP_LENGTHS: 0 if fixed else LENGTHS_VARY,
    }
    return [number for pair in pairs.items() for number in pair]


def number_on_air(address: int) -> list[int]:
    """The four bytes of a link's address, the lowest first; the last is the first on the air.

    >>> [hex(byte) for byte in number_on_air(0x5A)]
    ['0x6c', '0xc9', '0x6a', '0x5b']
    """
    return [edges ^ (address >> 8 * at) & 0xFF for at, edges in enumerate(EDGES)]


def imitated(address: int) -> bool:
    """Whether noise imitates an address too well."""
    on_air = number_on_air(address)
    bits = "".join(f"{byte:08b}" for byte in reversed(on_air))
    edges = sum(one != other for one, other in pairwise(bits))
    return on_air[-1] in IMITATED or edges < FEWEST_EDGES


NO_RADIO = made(
    PacketRadioTable,
    registers=[],
    addresses=[],
    most=0,
    length=0,
    csn=NOBODY,
    ce=NOBODY,
    irq=NOBODY,
    lamp=NOBODY,
    answers=False,
    waits=False,
    period_ms=1,
)
