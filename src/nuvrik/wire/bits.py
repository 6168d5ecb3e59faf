"""Bits put together and taken apart: lowest first, zeros up to the next whole byte.

Everything that travels bit by bit and is not a command goes through here, and so does the slow way of packing
a command; ``packing`` writes the same out for one set of channels, because that runs for every frame.
"""

from collections.abc import Iterable, Sequence


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


def got(data: bytes, widths: Sequence[int]) -> list[int] | None:
    """The codes of fields of these widths; None where there are too few or too many bytes, or where what is
    left over is not zero."""
    total = sum(widths)
    packed = int.from_bytes(data, "little")
    if len(data) != whole_bytes(total) or packed >> total:
        return None
    codes = []
    for bits in widths:
        codes.append(packed & ((1 << bits) - 1))
        packed >>= bits
    return codes


def whole_bytes(bits: int) -> int:
    """How many bytes hold so many bits."""
    return (bits + 7) // 8
