"""Values and frames in words: what each byte of a frame is, and what each value means."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Any, NamedTuple

from nuvrik.levels import fraction_of
from nuvrik.plan.form.frames import (
    CHECK_DIGITS,
    KeysFrame,
    LineFrame,
    PackedFrame,
    Sealed,
    SlipFrame,
    TrainFrame,
)
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import CHECK_BYTES, HEAD_BYTES, text_forms
from nuvrik.wire.cobs import unstuff
from nuvrik.wire.codes import Value
from nuvrik.wire.events import REASONS, Event, Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.items import item_text
from nuvrik.wire.kinds import COMMAND, kind_name
from nuvrik.wire.messages import STATES, Ask, Echo, Identity, Jog, Query, Reply, Telemetry
from nuvrik.wire.packing import Field, fields_of
from nuvrik.wire.sealed import SHORTEST_BODY, VERSION
from nuvrik.wire.slip import unescape
from nuvrik.wire.text import HEX_MARK, TextCommands
from nuvrik.wire.train import in_slots


class Part(NamedTuple):
    """A run of bits in a body, the lowest at ``start`` (bit 0 is the lowest of byte 0)."""

    start: int
    bits: int
    name: str
    meaning: str


def frame_parts(link: Link, values: Sequence[Value], seq: int) -> tuple[bytes, list[Part]]:
    """The body of a command frame in the link's own style, and what each of its bits is.

    Raises ValueError for values that the style cannot say.
    """
    encoder = Encoder(link)
    body = encoder.command(values, seq)
    if isinstance(link.frame, Sealed):
        return body, _packed_parts(link, encoder, values, seq, body)
    return body, _text_parts(link, encoder.packer.fields, values, body)


def _packed_parts(link: Link, encoder: Encoder, values: Sequence[Value], seq: int, body: bytes) -> list[Part]:
    packer = encoder.packer
    parts = [
        Part(0, 4, "kind", "command"),
        Part(4, 4, "version", "1"),
        Part(8, 8, "pair", str(link.frame.pair)),
        Part(16, 8, "layout tag", f"low byte of {encoder.tag:04X}"),
        Part(24, 8, "sequence", str(seq)),
    ]
    if link.guard_bytes:
        parts.append(Part(8 * HEAD_BYTES, 8, "guard", "the sequence of the telemetry heard last"))
    for value, field in zip(values, packer.fields, strict=True):
        parts.append(Part(8 * HEAD_BYTES + field.offset, field.bits, field.name, value_text(value, field)))
    if packer.size * 8 > packer.bits:
        parts.append(Part(8 * HEAD_BYTES + packer.bits, packer.size * 8 - packer.bits, "padding", "zero"))
    check = body[-CHECK_BYTES:].hex().upper()
    parts.append(Part(8 * (len(body) - CHECK_BYTES), 8 * CHECK_BYTES, "check", f"{check}, high byte first"))
    return parts


def _text_parts(link: Link, fields: Sequence[Field], values: Sequence[Value], body: bytes) -> list[Part]:
    frame = link.frame
    if isinstance(frame, KeysFrame):
        return [Part(0, 8 * len(body), "key", "the key that comes nearest to these values")]
    if isinstance(frame, TrainFrame):
        return [
            Part(16 * n, 16, field.name, f"{us} us: {value_text(value, field)}")
            for n, (us, value, field) in enumerate(zip(in_slots(body), values, fields, strict=True))
        ]
    assert not isinstance(frame, Sealed)
    parts: list[Part] = []
    place = 0

    def add(text: str, name: str, meaning: str) -> None:
        nonlocal place
        if text:
            parts.append(Part(8 * place, 8 * len(text), name, meaning))
        place += len(text)

    add(frame.tag, "tag", repr(frame.tag))
    texts = TextCommands(frame, link.channels).fields(values)
    for number, (text, value, field) in enumerate(zip(texts, values, fields, strict=True)):
        if number and isinstance(frame, LineFrame):
            add(frame.separator, "separator", repr(frame.separator))
        add(text, field.name, f"{text}: {value_text(value, field)}")
    if CHECK_DIGITS[frame.check]:
        add(body[place:].decode("ascii"), "check", f"{frame.check} of all before it")
    return parts


def layout_rows(link: Link) -> list[tuple[int, int, int, str, str]]:
    """Where everything sits in a command: first byte, first bit in it, bits, name, and how it is written.
    In text, at its longest."""
    frame = link.frame
    if isinstance(frame, KeysFrame):
        return [(0, 0, 8, "key", f"one of {len(frame.keys)}")]
    if isinstance(frame, Sealed):
        _, parts = frame_parts(link, [0] * len(link.channels), 0)
        return [(p.start // 8, p.start % 8, p.bits, p.name, p.meaning) for p in parts]
    if isinstance(frame, TrainFrame):
        meaning = f"a slot from {frame.low_us} to {frame.high_us} us, high byte first"
        return [(2 * n, 0, 16, name, meaning) for n, name in enumerate(link.channels)]
    rows, place = [], 0

    def add(length: int, name: str, meaning: str) -> None:
        nonlocal place
        if length:
            rows.append((place, 0, 8 * length, name, meaning))
        place += length

    add(len(frame.tag), "tag", repr(frame.tag))
    for number, (name, form) in enumerate(zip(link.channels, text_forms(frame, link.channels), strict=True)):
        if number and isinstance(frame, LineFrame):
            add(len(frame.separator), "separator", repr(frame.separator))
        scale = 10**form.decimals
        add(form.longest, name, f"from {form.low / scale:g} to {form.high / scale:g}")
    if CHECK_DIGITS[frame.check]:
        add(1 + CHECK_DIGITS[frame.check], "check", f"* and {frame.check} of all before it, in hex digits")
    return rows


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


def event_record(event: Event, link: Link) -> dict[str, Any]:
    """An event as ``inspect --json`` gives it."""
    record: dict[str, Any] = {
        "at": event.at,
        "event": "refused",
        "kind": None,
        "seq": event.seq,
        "channels": None,
        "reason": None,
    }
    if isinstance(event, Frame):
        record.update(event="frame", kind=kind_name(event.kind))
        if event.kind == COMMAND:
            pairs = zip(fields_of(link.channels), event.values, strict=True)
            record["channels"] = {field.name: value_number(value, field) for field, value in pairs}
        elif event.values:
            record["says"] = message_text(event.values, link)
    else:
        record["reason"] = event.reason
    return record | {"hex": event.raw.hex()}


def event_text(event: Event, link: Link) -> str:
    """An event in one line of words."""
    if not isinstance(event, Frame):
        return f"refused  {event.reason}: {REASONS[event.reason]}"
    what = f"{kind_name(event.kind):9}" + (f" seq {event.seq:3}" if event.seq is not None else "")
    if event.kind != COMMAND:
        return f"{what}  {message_text(event.values, link)}".rstrip()
    fields = fields_of(link.channels)
    values = [f"{f.name} {value_text(v, f)}" for f, v in zip(fields, event.values, strict=True)]
    return "  ".join([what, *values])


def message_text(message: object, link: Link) -> str:
    """What a frame of any kind but a command says, in words."""
    match message:
        case Jog(output, level, for_ms):
            return f"jog {list(link.outputs)[output]} to {fraction_of(level):+.3f} for {for_ms} ms"
        case Ask(code, boot, session, number, arguments):
            said = f" with {', '.join(map(str, arguments))}" if arguments else ""
            return (
                f"{list(link.requests)[code]}{said}: number {number} of session {session}, to boot {boot:08X}"
            )
        case Reply(_, session, number, status, value):
            return f"{status.name.lower().replace('_', ' ')}, {value}: number {number} of session {session}"
        case Query(session):
            return "who is there?" + (f" session {session}" if session else "")
        case Identity():
            return f"{message.name}, layout {message.tag:04X}, up {message.up_s} s, boot {message.boot:08X}"
        case Echo(answer, token):
            return ("back: " if answer else "there: ") + token.hex(" ")
        case Telemetry(state, accepted, items):
            said = "  ".join(
                f"{name} {item_text(link.telemetry[name], codes)}" for name, codes in items.items()
            )
            after = "" if accepted is None else f", accepted command {accepted}"
            return f"{STATES[state]}{after}  {said}".rstrip()
    return ""


class Mark(NamedTuple):
    """Some bytes of a frame as it came over the wire, and what they are."""

    raw: bytes
    what: str


def byte_marks(link: Link, event: Event) -> list[Mark]:
    """Every byte of an event marked with what it is, as far as can be told."""
    raw, frame = bytes(event.raw), link.frame
    if isinstance(frame, KeysFrame):
        return [Mark(raw, "key" if isinstance(event, Frame) else "no key of this link")]
    if isinstance(frame, TrainFrame):
        return _train_marks(link, event, raw)
    if isinstance(frame, PackedFrame) and not link.medium.datagrams:
        body = unstuff(raw)
        if body is None:
            return [Mark(raw, "zero-distances that do not add up, so nothing more can be told")]
        # COBS moves nothing: behind the first code, every byte stands where it stood.
        marks, place = [Mark(raw[:1], "distance to the first zero")], 1
        for mark in _sealed_marks(link, event, bytes(body)):
            marks.append(Mark(raw[place : place + len(mark.raw)], mark.what))
            place += len(mark.raw)
        return [*marks, Mark(b"\0", "end of frame")]
    if isinstance(frame, SlipFrame) and not link.medium.datagrams:
        slipped = unescape(raw)
        if slipped is None:
            return [Mark(raw, "an escape before a byte that needs none")]
        return [*_sealed_marks(link, event, slipped), Mark(b"\xc0", "end of frame")]
    if isinstance(frame, Sealed):
        return _sealed_marks(link, event, raw)
    return _text_marks(link, event, raw)


def _sealed_marks(link: Link, event: Event, body: bytes) -> list[Mark]:
    if len(body) < SHORTEST_BODY:
        return [Mark(body, "too short for head and check")]
    head, payload, check = body[:HEAD_BYTES], body[HEAD_BYTES:-CHECK_BYTES], body[-CHECK_BYTES:]
    version = head[0] >> 4
    wrong = {} if isinstance(event, Frame) else {event.reason: " (this is what is wrong)"}
    marks = [
        Mark(
            head[:1],
            f"version {version}, kind {kind_name(head[0] & 15)}"
            + (wrong.get("version", "") if version != VERSION else wrong.get("wrong_kind", "")),
        ),
        Mark(head[1:2], f"pair {head[1]}{wrong.get('wrong_pair', '')}"),
        Mark(head[2:3], f"layout tag, low byte{wrong.get('wrong_layout', '')}"),
        Mark(
            head[3:4],
            f"sequence {head[3]}{wrong.get('repeated', '')}{wrong.get('out_of_order', '')}",
        ),
    ]
    if payload:
        what = _payload_text(link, event, head[0] & 15)
        marks.append(Mark(payload, what + wrong.get("bad_field", "")))
    return [*marks, Mark(check, f"check{wrong.get('check', '')}")]


def _payload_text(link: Link, event: Event, kind: int) -> str:
    if not isinstance(event, Frame):
        return "payload"
    if kind != COMMAND:
        return message_text(event.values, link)
    fields = fields_of(link.channels)
    pairs = zip(fields, event.values, strict=True)
    return "  ".join(f"{field.name} {value_text(value, field)}" for field, value in pairs)


def _train_marks(link: Link, event: Event, raw: bytes) -> list[Mark]:
    if not isinstance(event, Frame):
        return [Mark(raw, "not as many slots as channels, or one that no channel can have")]
    slots = zip(in_slots(raw), event.values, fields_of(link.channels), strict=True)
    return [
        Mark(raw[2 * n : 2 * n + 2], f"{field.name} {value_text(value, field)}, a slot of {us} us")
        for n, (us, value, field) in enumerate(slots)
    ]


def _text_marks(link: Link, event: Event, raw: bytes) -> list[Mark]:
    frame = link.frame
    assert not isinstance(frame, Sealed | KeysFrame | TrainFrame)
    ending = [] if link.medium.datagrams else [Mark(frame.end.encode(), "end of frame")]
    if raw.startswith(HEX_MARK):
        said = message_text(event.values, link) if isinstance(event, Frame) else event.reason
        return [Mark(raw[:1], "begins a line of hex digits"), Mark(raw[1:], said), *ending]
    if not isinstance(event, Frame) or event.kind != COMMAND:
        what = "the text of a stop" if isinstance(event, Frame) else REASONS[event.reason]
        return [Mark(raw, what), *ending]
    tag, digits = len(frame.tag), CHECK_DIGITS[frame.check]
    until = len(raw) - (1 + digits if digits else 0)
    between: list[Mark] = []
    if isinstance(frame, LineFrame):
        texts = raw[tag:until].split(frame.separator.encode())
        between = [Mark(frame.separator.encode(), "separator")]
    else:
        forms = text_forms(frame, link.channels)
        places = [tag + sum(form.longest for form in forms[:n]) for n in range(len(forms) + 1)]
        texts = [raw[a:b] for a, b in pairwise(places)]
    marks = [Mark(raw[:tag], "tag")] if tag else []
    fields = fields_of(link.channels)
    for number, (text, value, field) in enumerate(zip(texts, event.values, fields, strict=True)):
        marks += between if number else []
        marks.append(Mark(text, f"{field.name} {value_text(value, field)}"))
    return [*marks, *([Mark(raw[until:], f"check, {frame.check}")] if digits else []), *ending]
