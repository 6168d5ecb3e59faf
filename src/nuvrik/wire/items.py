"""Items of telemetry to codes and back: what a sensor reads, as bits, as a value with its unit."""

from nuvrik.core.machine.telling import NOTHING_THERE
from nuvrik.levels import FULL, clamp
from nuvrik.plan.form.backward import (
    AnyItem,
    DemandItem,
    DigitalItem,
    DistanceItem,
    ShaftItem,
    VectorItem,
    VoltsItem,
)
from nuvrik.wire.codes import level_from_code, share_from_code

Raw = int | tuple[int, int, int] | None
"""A reading at the machine; three of them for a vector; None: nothing there."""

Value = float | bool | tuple[float, float, float] | None


MOST_RAW = 70_000
"""Beyond every range that an item may have; what is further out is as far out."""


def raw_numbers(item: AnyItem, raw: Raw) -> tuple[int, ...]:
    """A reading as core takes it: three numbers for a vector, else one, NOTHING_THERE for None. TypeError for
    one that is of another kind than the item, and for an item that is commanded and has no sensor."""
    if isinstance(item, DemandItem) or (isinstance(item, ShaftItem) and not item.sensor):
        raise TypeError("it is commanded: no sensor reads it")
    if isinstance(item, VectorItem):
        if not isinstance(raw, tuple) or len(raw) != 3 or not all(isinstance(axis, int) for axis in raw):
            raise TypeError(f"a vector is three whole numbers, not {raw!r}")
        return tuple(clamp(axis, -MOST_RAW, MOST_RAW) for axis in raw)
    if raw is None:
        return (NOTHING_THERE,)
    if not isinstance(raw, int):
        raise TypeError(f"a reading is a whole number, not {raw!r}")
    # A count goes round; the other end works out how far it went from the last it heard.
    return (raw & 0xFFFF if isinstance(item, ShaftItem) else clamp(raw, -MOST_RAW, MOST_RAW),)


def value_of(item: AnyItem, codes: tuple[int, ...]) -> tuple[Value, str]:
    """The value that codes stand for, and its unit."""
    if isinstance(item, DigitalItem):
        return bool(codes[0]), ""
    if isinstance(item, DemandItem):
        level = level_from_code(codes[0], item.bits)
        low, high = item.range or (-1.0, 1.0)
        unit = item.unit or ("" if item.range else "of full")
        return (None if level is None else low + (high - low) * (level / FULL + 1) / 2), unit
    assert not isinstance(item, ShaftItem)
    low, high = item.range
    if isinstance(item, VectorItem):
        levels = [level_from_code(code, item.bits) or 0 for code in codes]
        x, y, z = (low + (high - low) * (level / FULL + 1) / 2 for level in levels)
        return (x, y, z), item.unit or ""
    unit = "V" if isinstance(item, VoltsItem) else "m" if isinstance(item, DistanceItem) else item.unit or ""
    share = share_from_code(codes[0], item.bits)
    return (None if share is None else low + (high - low) * share / FULL), unit


def item_text(item: AnyItem, codes: tuple[int, ...]) -> str:
    """An item for a person to read: ``11.40 V``, ``nothing there``, ``on``, ``312 counts``."""
    if isinstance(item, ShaftItem):
        return f"{codes[0]} counts"
    value, unit = value_of(item, codes)
    return value_words(value, unit) + (" (commanded)" if isinstance(item, DemandItem) else "")


def value_words(value: Value, unit: str) -> str:
    """A value with its unit."""
    if value is None:
        return "nothing there"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        return f"{' '.join(f'{axis:+.2f}' for axis in value)} {unit}".rstrip()
    return f"{value:.2f} {unit}".rstrip()
