"""The widths that annotations use, and what tables are. This module is the only one here outside the subset.

In Python every width is an int. Each says its name, its type in C and its range, which stand nowhere else:
the subset check, checked mode, the translator and ``plan/tables.py`` read them through ``ranges.py``.
"""

try:
    from typing import Annotated
    from typing import Protocol as Protocol
except ImportError:  # MicroPython has no typing, and looks at no annotation

    class _Plain:
        def __getitem__(self, given: object) -> type:
            return int

    Annotated = _Plain()  # type: ignore[assignment]
    Protocol = object  # type: ignore[assignment]

u8 = Annotated[int, "u8", "uint8_t", 0, 255]
i8 = Annotated[int, "i8", "int8_t", -128, 127]
u16 = Annotated[int, "u16", "uint16_t", 0, 65535]
i16 = Annotated[int, "i16", "int16_t", -32768, 32767]
u32 = Annotated[int, "u32", "uint32_t", 0, 4294967295]
i32 = Annotated[int, "i32", "int32_t", -2147483648, 2147483647]

sign = Annotated[int, "sign", "int8_t", -1, 1]
"""Which way: backward, none, forward."""

few = Annotated[int, "few", "uint8_t", 1, 16]
"""How many bits something has."""

level = Annotated[int, "level", "int16_t", -16384, 16384]
"""-FULL to FULL."""

share = Annotated[int, "share", "int16_t", 0, 16384]
"""0 to FULL: the size of a level."""

reading = Annotated[int, "reading", "int32_t", -65535, 65535]
"""What a sensor or a control reads, in its own units."""

decimal = Annotated[int, "decimal", "int32_t", -1000000000, 1000000000]
"""A number in text, with its decimals."""

fine = Annotated[int, "fine", "int32_t", -16777216, 16777216]
"""A level times FINE."""

span = Annotated[int, "span", "int32_t", -32768, 32768]
"""The distance of two levels, or a weight: -2 * FULL to 2 * FULL."""

wide = Annotated[int, "wide", "int32_t", -1073741824, 1073741824]
"""What div may be given: 31 bits, which MicroPython keeps without an allocation."""

product = Annotated[int, "product", "int32_t", -1073741824, 1073741824]
"""A product that the limits of link files keep this small, where the widths of its factors do not. Checked
mode asserts it; C multiplies in 32 bits."""

amount = Annotated[int, "amount", "uint32_t", 0, 1073741824]
"""A product like that which is never negative."""

whole = Annotated[int, "whole", "uint32_t", 0, 1073741823]
"""A count of 30 bits that goes round."""


class Table:
    """A record of numbers that never change: in flash on a microcontroller.

    Its fields are annotated in the class and given by name. ``plan/tables.py`` sees to it that all of them
    are there and in range; MicroPython keeps no annotations to look them up in.
    """

    def __init__(self, **values: object) -> None:
        for name in values:
            setattr(self, name, values[name])

    def __deepcopy__(self, memo: object) -> "Table":
        # What never changes need not be copied with what does.
        return self
