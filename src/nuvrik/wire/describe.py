"""Values and frames in words: what each bit of a frame is, and what each value means."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from nuvrik.levels import fraction_of
from nuvrik.plan.layout import CHECK_BYTES, HEAD_BYTES
from nuvrik.plan.models import Link
from nuvrik.wire.codes import Value
from nuvrik.wire.decoder import REASONS, Event, Frame
from nuvrik.wire.frames import COMMAND, Encoder, kind_name
from nuvrik.wire.packing import Field
from nuvrik.wire.requests import Jog


class Part(NamedTuple):
    """A run of bits in a body, the lowest at ``start`` (bit 0 is the lowest of byte 0)."""

    start: int
    bits: int
    name: str
    meaning: str


def frame_parts(link: Link, values: Sequence[Value], seq: int) -> tuple[bytes, list[Part]]:
    """The body of a command frame, and what each of its bits is."""
    encoder = Encoder(link)
    body = encoder.command(values, seq)
    packer = encoder.packer
    parts = [
        Part(0, 4, "kind", "command"),
        Part(4, 4, "version", "1"),
        Part(8, 8, "pair", str(link.frame.pair)),
        Part(16, 8, "layout tag", f"low byte of {encoder.tag:04X}"),
        Part(24, 8, "sequence", str(seq)),
    ]
    for value, field in zip(values, packer.fields, strict=True):
        parts.append(Part(8 * HEAD_BYTES + field.offset, field.bits, field.name, value_text(value, field)))
    if packer.size * 8 > packer.bits:
        parts.append(Part(8 * HEAD_BYTES + packer.bits, packer.size * 8 - packer.bits, "padding", "zero"))
    check = body[-CHECK_BYTES:].hex().upper()
    parts.append(Part(8 * (len(body) - CHECK_BYTES), 8 * CHECK_BYTES, "check", f"{check}, high byte first"))
    return body, parts


def value_text(value: Value, field: Field) -> str:
    """A value for a person to read: ``+0.350``, ``on``, ``walk``, ``no reading``."""
    if value is None:
        return "no reading"
    if field.kind == "level":
        return f"{fraction_of(value):+.3f}"
    if field.kind == "share":
        return f"{fraction_of(value):.3f}"
    if field.kind == "flag":
        return "on" if value else "off"
    return field.options[value] if field.options else str(value)


def value_number(value: Value, field: Field) -> float | int | None:
    """A value for a program to read: a fraction of full scale, a flag as 0 or 1, None as it is."""
    if value is None or field.kind not in ("level", "share"):
        return value
    return round(fraction_of(value), 6)


def event_record(event: Event, fields: Sequence[Field]) -> dict[str, Any]:
    """An event as ``inspect --json`` gives it."""
    record: dict[str, Any] = {
        "at": event.at,
        "event": "reject",
        "kind": None,
        "seq": None,
        "channels": None,
        "reason": None,
    }
    if isinstance(event, Frame):
        record.update(event="frame", kind=kind_name(event.kind), seq=event.seq)
        if event.kind == COMMAND:
            pairs = zip(fields, event.values, strict=True)
            record["channels"] = {field.name: value_number(value, field) for field, value in pairs}
    else:
        record["reason"] = event.reason
    return record | {"hex": event.raw.hex()}


def event_text(event: Event, fields: Sequence[Field]) -> str:
    """An event in one line of words."""
    if not isinstance(event, Frame):
        return f"refused  {event.reason}: {REASONS[event.reason]}"
    what = f"{kind_name(event.kind):8} seq {event.seq:3}"
    if isinstance(event.values, Jog):
        jog = event.values
        return f"{what}  jog output {jog.output} to {fraction_of(jog.level):+.3f} for {jog.for_ms} ms"
    values = [f"{f.name} {value_text(v, f)}" for f, v in zip(fields, event.values, strict=False)]
    return "  ".join([what, *values])
