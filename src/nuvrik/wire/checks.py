"""The checks that a frame may carry.

``crc16`` is CRC-16 with polynomial 0x1021, initial value 0xFFFF, not reflected, no final XOR (its check
value over ``123456789`` is 29B1); the standard library has it as ``binascii.crc_hqx``. ``crc8`` has
polynomial 0x07, initial value 0, not reflected, no final XOR, as in the SMBus specification 3.0
(check value F4). ``sum8`` is the sum of all bytes modulo 256, ``xor8`` their exclusive or.
"""

from binascii import crc_hqx
from collections.abc import Callable
from functools import reduce
from operator import xor

from nuvrik.plan.form.frame_base import TextCheck
from nuvrik.plan.layout import CRC_INITIAL

CRC8_POLYNOMIAL = 0x07


def _crc8_of(byte: int) -> int:
    for _ in range(8):
        byte = (byte << 1) ^ (CRC8_POLYNOMIAL if byte & 0x80 else 0)
    return byte & 0xFF


CRC8_TABLE = bytes(_crc8_of(byte) for byte in range(256))


def crc8(data: bytes) -> int:
    """CRC-8 over ``data``."""
    # A table of 256 bytes: a chip that has no room for it works the same out bit by bit.
    register = 0
    for byte in data:
        register = CRC8_TABLE[register ^ byte]
    return register


def crc16(data: bytes) -> int:
    """CRC-16 over ``data``."""
    return crc_hqx(data, CRC_INITIAL)


def sum8(data: bytes) -> int:
    """The sum of the bytes, modulo 256."""
    return sum(data) & 0xFF


def xor8(data: bytes) -> int:
    """The exclusive or of the bytes."""
    return reduce(xor, data, 0)


CHECKS: dict[TextCheck, Callable[[bytes], int]] = {"xor8": xor8, "sum8": sum8, "crc8": crc8, "crc16": crc16}
"""What works out each check."""
