"""An infrared link's two ends as tables, and a learned shape as one."""

from typing import Any

from nuvrik.core.infrared.codes import CodeTable, KeyCodeTable
from nuvrik.core.infrared.families import (
    LEARNED,
    NEC,
    NEC_EXTENDED,
    RC5,
    RC6,
    SIRC12,
    SIRC15,
    SIRC20,
)
from nuvrik.core.infrared.shape import WORDS, ShapeTable
from nuvrik.core.loops.receiver import HeardKeyTable, ReceiverTable
from nuvrik.core.loops.remote import RemoteTable
from nuvrik.plan.controls import KeyControl
from nuvrik.plan.form.media import CODE_FORMS, InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.handset import handset_table
from nuvrik.plan.tables.machine import machine_table
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.medium import loop_table, medium_table
from nuvrik.plan.tables.styles import channel_tables

NUMBERS = {
    "nec": NEC,
    "nec_extended": NEC_EXTENDED,
    "rc5": RC5,
    "rc6": RC6,
    "sirc12": SIRC12,
    "sirc15": SIRC15,
    "sirc20": SIRC20,
    "learned": LEARNED,
}
"""The codes by their names in link files."""

UNITS = {"n": (1125, 2), "rc5": (8000, 9), "rc6": (4000, 9), "s": (600, 1)}
"""What a unit lasts in microseconds, as a fraction, by how the code's name begins: half a period of its
published bit, 32 or 16 cycles of its carrier, or a round figure."""

CARRIERS = {
    **dict.fromkeys(("nec", "nec_extended"), 38_000),
    **dict.fromkeys(("rc5", "rc6"), 36_000),
    **dict.fromkeys(("sirc12", "sirc15", "sirc20"), 40_000),
}
"""How fast the lamp is switched within a mark, in Hz."""

USUAL_CARRIER = 38_000
"""What the receivers that are sold most are tuned to; for a code that nobody published."""

FRAMES = {SIRC12: 3, SIRC15: 3, SIRC20: 3}
"""How many frames a press sends at least, where that is more than one."""

NO_SHAPE = {name: 0 for name in ShapeTable.__annotations__ if name != "tail"}


def shape_table(shape: Any) -> ShapeTable:
    """A learned shape: anything with header, zero, one (mark and space each, in microseconds), bits and
    period_us; or None."""
    if shape is None:
        return made(ShapeTable, **NO_SHAPE, tail=[])
    by_space = shape.zero[0] == shape.one[0]
    lengths = 2 * shape.bits + (2 if shape.header[0] else 0) + (1 if by_space else -1)
    return made(
        ShapeTable,
        bits=shape.bits,
        header_mark=shape.header[0],
        header_space=shape.header[1],
        zero_mark=shape.zero[0],
        zero_space=shape.zero[1],
        one_mark=shape.one[0],
        one_space=shape.one[1],
        # A space this long cannot be inside a frame.
        gap_us=2 * max(shape.header[1], shape.zero[1], shape.one[1]),
        # One frame lost on the way, and what remotes stray by.
        repeat_us=5 * shape.period_us // 2,
        tail=[0] * lengths,
    )


def code_table(protocol: str, address: int, shape: Any = None) -> CodeTable:
    """How the codes of an address are sent."""
    form = CODE_FORMS.get(protocol)  # type: ignore[call-overload]
    parts, of = next((unit for start, unit in UNITS.items() if protocol.startswith(start)), (1, 1))
    return made(
        CodeTable,
        protocol=NUMBERS[protocol],
        address=address if form else 0,
        address_bits=form.address_bits if form else 0,
        unit_parts=parts,
        unit_of=of,
        shape=shape_table(shape),
    )


def key_code(code: int) -> KeyCodeTable:
    """The code of a key."""
    return made(KeyCodeTable, words=[code >> 16 * word & 0xFFFF for word in range(WORDS)])


def keys_of(link: Link) -> dict[str, KeyControl]:
    """The keys of a remote, in the order of the link file."""
    return {name: one for name, one in link.controls.items() if isinstance(one, KeyControl)}


def remote_table(link: Link, medium: InfraredMedium) -> RemoteTable:
    """A remote."""
    return made(
        RemoteTable,
        code=code_table(medium.protocol, medium.address, medium.shape),
        codes_sent=[key_code(key.code or 0) for key in keys_of(link).values()],
        frames=FRAMES.get(NUMBERS[medium.protocol], 1),
        period_ms=-(-medium.period_us // 1000),
        carrier_hz=CARRIERS.get(medium.protocol, USUAL_CARRIER),
        medium=medium_table(medium, "handset"),
    )


def receiver_table(link: Link, medium: InfraredMedium) -> ReceiverTable:
    """The machine's end."""
    places = {name: place for place, name in enumerate(link.controls)}
    off = {getattr(control, "off_by", None) for control in link.controls.values()}
    return made(
        ReceiverTable,
        shape=shape_table(medium.shape),
        protocol=NUMBERS[medium.protocol],
        address=medium.address,
        heard=[
            made(HeardKeyTable, code=key_code(key.code or 0), control=places[name], is_off=name in off)
            for name, key in keys_of(link).items()
        ],
        lapse_ms=medium.disarm_after_ms if link.arm_channel else 0,
        handset=handset_table(link),
        machine=machine_table(link),
        channels=channel_tables(link),
        pins=[model.pin_table for model in link.outputs.values()],
        medium=medium_table(medium),
        loop=loop_table(link),
    )
