"""Bits put together: lowest first, zeros up to the next whole byte.

Everything that travels bit by bit and is not a command goes through here, and so does the slow way of packing
a command; ``packing`` writes the same out for one set of channels, because that runs for every frame.
"""

from collections.abc import Iterable


def put(fields: Iterable[tuple[int, int]]) -> bytes:
    """Codes with their numbers of bits, one behind the other.

    >>> put([(5, 3), (1, 1)]).hex()
    '0d'
    """
    packed = offset = 0
    for code, bits in fields:
        # Cut to its width, so that a code that is too wide cannot spoil its neighbour.
        packed |= (code & ((1 << bits) - 1)) << offset
        offset += bits
    return packed.to_bytes(whole_bytes(offset), "little")


def whole_bytes(bits: int) -> int:
    """How many bytes hold so many bits."""
    return (bits + 7) // 8
