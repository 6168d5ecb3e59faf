"""Values to codes of so many bits, codes into bytes, and what is over them: the lowest bit first."""

from nuvrik.core.levels import FULL, NO_READING, div
from nuvrik.core.widths import Table, amount, few, i32, level, share, span, u8, u16

IS_LEVEL = 0
IS_SHARE = 1
IS_FLAG = 2
IS_CHOICE = 3
IS_COUNT = 4
"""The kinds of channel."""


class ChannelTable(Table):
    """One channel: its kind, its bits, and the greatest code that means something; of a choice all ones says
    besides that there is none."""

    kind: u8
    bits: few
    most: u16


def mask_of(bits: few) -> u16:
    """All ones, so many."""
    return 0xFFFF >> (16 - bits)


def got(data: list[u8], at: u16, bits: few) -> u16:
    """The code of so many bits from bit at on. Two bytes more than the code's own are read."""
    byte: u8 = at >> 3
    shift: u8 = at & 7
    word: amount = data[byte] + (data[byte + 1] << 8)
    if shift + bits > 16:
        word = word + (data[byte + 2] << 16)
    return (word >> shift) & mask_of(bits)


def put(data: list[u8], at: u16, bits: few, code: u16) -> None:
    """A code of so many bits from bit at on, into bytes that are zero there."""
    byte: u8 = at >> 3
    shift: u8 = at & 7
    word: amount = (code & mask_of(bits)) << shift
    data[byte] = data[byte] | (word & 0xFF)
    if shift + bits > 8:
        data[byte + 1] = (word >> 8) & 0xFF
    if shift + bits > 16:
        data[byte + 2] = (word >> 16) & 0xFF


def level_code(value: level, bits: few) -> u16:
    """The two's complement code of a level, as unsigned bits."""
    most: u16 = mask_of(bits) >> 1
    code: span = div(value * most, FULL)
    if code >= 0:
        return code
    return mask_of(bits) - (-code - 1)


def portion(code: u16, most: u16) -> share:
    """A code as a share of full scale, which most stands for. It is not more than that."""
    return div(code * FULL, most)


def level_from_code(code: u16, bits: few) -> span:
    """The level of a code; NO_READING for the most negative one, which has no positive partner."""
    most: u16 = mask_of(bits) >> 1
    if code <= most:
        return portion(code, most)
    below: u16 = mask_of(bits) - code + 1
    if below > most:
        return NO_READING
    return -portion(below, most)


def share_code(value: share, bits: few) -> u16:
    """The code of a share."""
    most: u16 = mask_of(bits) - 1
    return div(value * most, FULL)


def share_from_code(code: u16, bits: few) -> span:
    """The share of a code; NO_READING for all ones."""
    most: u16 = mask_of(bits) - 1
    return NO_READING if code > most else portion(code, most)


def value_from_code(channel: ChannelTable, code: u16) -> i32:
    """The value of a channel's code."""
    if channel.kind == IS_LEVEL:
        return level_from_code(code, channel.bits)
    if channel.kind == IS_SHARE:
        return share_from_code(code, channel.bits)
    if channel.kind == IS_CHOICE and code == mask_of(channel.bits):
        return NO_READING
    return code


def code_of_value(channel: ChannelTable, value: i32) -> u16:
    """The code of a channel's value; of none, where its kind has a code for that, and else 0."""
    if channel.kind == IS_LEVEL:
        return (mask_of(channel.bits) >> 1) + 1 if value == NO_READING else level_code(value, channel.bits)
    if channel.kind == IS_SHARE:
        return mask_of(channel.bits) if value == NO_READING else share_code(value, channel.bits)
    if channel.kind == IS_CHOICE and value == NO_READING:
        return mask_of(channel.bits)
    if value < 0:
        return 0
    return value & mask_of(channel.bits)


def crc16(crc: u16, byte: u8) -> u16:
    """One byte more of the CRC with polynomial 0x1021, not reflected."""
    # The eight steps of a byte at once: each bit of high comes back in four places.
    high: u8 = (crc >> 8) ^ byte
    high = high ^ (high >> 4)
    return ((crc << 8) & 0xFFFF) ^ ((high << 12) & 0xFFFF) ^ ((high << 5) & 0xFFFF) ^ high


def crc16_back(crc: u16) -> u16:
    """The crc before a byte of zeros: each step undone, the last first."""
    before: u16 = crc
    for i in range(8):
        # The polynomial is odd, so the lowest bit tells whether it was subtracted in this step.
        if (before & 1) != 0:
            before = ((before ^ 0x1021) >> 1) + 32768
        else:
            before = before >> 1
    return before


def crc8(crc: u8, byte: u8) -> u8:
    """One byte more of the CRC with polynomial 0x07, not reflected."""
    after: u16 = crc ^ byte
    for i in range(8):
        after = after << 1
        if after > 255:
            after = after ^ 0x107
    return after


def ends_in_zeros(body: list[u8], at: u16, size: u16) -> bool:
    """Whether what is left of the last of size bytes, from bit at on, is zero: what is not is not ours,
    whatever its check says."""
    if at == 8 * size:
        return True
    used: few = at + 8 - 8 * size
    last: u8 = size - 1
    return (body[last] >> used) == 0
