"""One value to one code of n bits, and back.

Values are integers throughout: a level is -FULL to FULL, a share 0 to FULL, a flag 0 or 1, a choice
the index of its option, a count whatever it is, modulo 2**bits. None is *no reading*, or no choice;
levels, shares and choices have a code for it, the others do not.
"""

from functools import lru_cache

from nuvrik.core.frames import bits as core
from nuvrik.core.frames.bits import level_code, share_code
from nuvrik.core.levels import NO_READING
from nuvrik.levels import FULL
from nuvrik.plan.form.channels import SCALED

Value = int | None


class Unsaid(Exception):
    """A value that a style has no way of saying."""


def level_from_code(code: int, bits: int) -> Value:
    """The level of a code; None for the most negative code, which is *no reading*."""
    return _value(core.level_from_code(code, bits))


def share_from_code(code: int, bits: int) -> Value:
    """The share of a code; None for all ones, which is *no reading*."""
    return _value(core.share_from_code(code, bits))


def _value(given: int) -> Value:
    return None if given == NO_READING else given


def value_range(kind: str, options: int = 2) -> tuple[int, int]:
    """The least and the greatest value of a level, a share, a flag or a choice."""
    return (-FULL if kind == "level" else 0, FULL if kind in SCALED else options - 1)


def encode(value: Value, kind: str, bits: int, options: int = 2) -> int:
    """The code of any value of any kind of channel.

    Raises ValueError for a value that is out of range or no whole number.
    """
    if value is None:
        return {"level": 1 << (bits - 1), "share": (1 << bits) - 1, "choice": (1 << bits) - 1}.get(kind, 0)
    if not isinstance(value, int):
        raise ValueError(f"{value!r} is not a whole number")
    if kind == "count":
        return value & ((1 << bits) - 1)
    least, most = value_range(kind, options)
    if not least <= value <= most:
        raise ValueError(f"{value} is not from {least} to {most}")
    return (
        level_code(value, bits) if kind == "level" else share_code(value, bits) if kind == "share" else value
    )


@lru_cache(maxsize=32)
def decode_table(kind: str, bits: int) -> tuple[Value, ...]:
    """What each of the 2**bits codes of a level, a share or a choice means, for decoding by one look-up."""
    if kind == "choice":
        return (*range((1 << bits) - 1), None)
    decode = level_from_code if kind == "level" else share_from_code
    return tuple(decode(code, bits) for code in range(1 << bits))


@lru_cache(maxsize=32)
def encode_table(kind: str, bits: int) -> tuple[int, ...]:
    """The code of each level or share, for encoding by one look-up. A negative level is found from
    the end, as Python's indices do: the table has exactly one place for each level."""
    least, most = value_range(kind)
    return tuple(encode(value, kind, bits) for value in (*range(most + 1), *range(least, 0)))
