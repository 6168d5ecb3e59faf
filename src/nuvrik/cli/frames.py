"""``nuvrik encode`` and ``nuvrik inspect``."""

import csv
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO

from nuvrik.cli.words import DONE, NO, Trouble, console, say, say_json, table
from nuvrik.levels import level_of
from nuvrik.plan.load import load
from nuvrik.plan.models import Link
from nuvrik.plan.problems import suggestion
from nuvrik.wire.codes import Value
from nuvrik.wire.decoder import Decoder, Event, Frame
from nuvrik.wire.describe import event_record, event_text, frame_parts
from nuvrik.wire.frames import Encoder
from nuvrik.wire.packing import Field

READ_BYTES = 1 << 16


def run_encode(file: Path, words: list[str], seq: int, as_json: bool) -> int:
    """Encode one command frame; channels not named are at rest or off."""
    link = load(file)
    encoder = Encoder(link)
    given = dict(_assignment(word, encoder.packer.fields) for word in words)
    values: list[Value] = [given.get(field.name, 0) for field in encoder.packer.fields]
    body, parts = frame_parts(link, values, seq)
    wire = encoder.on_wire(body)
    if as_json:
        say_json({"hex": wire.hex(), "seq": seq, "bytes": len(wire)})
    elif not sys.stdout.isatty():
        say(wire.hex())
    else:
        say(wire.hex())
        rows = [(str(p.start // 8), str(p.bits), p.name, p.meaning) for p in parts]
        console().print(table("", [">byte", ">bits", "is", "meaning"], rows))
    return DONE


def _assignment(word: str, fields: tuple[Field, ...]) -> tuple[str, Value]:
    name, equals, text = word.partition("=")
    field = next((field for field in fields if field.name == name), None)
    if not equals:
        raise Trouble(f"{word}: write NAME=VALUE, e.g. {fields[0].name}=0")
    if field is None:
        raise Trouble(f'there is no channel "{name}": {suggestion(name, [field.name for field in fields])}')
    return name, _value(text, field)


def _value(text: str, field: Field) -> Value:
    if text == "none" and field.kind in ("level", "share"):
        return None
    if field.kind in ("level", "share"):
        low = -1 if field.kind == "level" else 0
        if re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)", text) and low <= float(text) <= 1:
            return level_of(float(text))
        raise Trouble(f"{field.name}={text}: a {field.kind} is a number from {low} to 1, or none")
    if field.options:
        if text in field.options:
            return field.options.index(text)
        raise Trouble(f"{field.name}={text}: {suggestion(text, field.options)}")
    most = 1 if field.kind == "flag" else (1 << field.bits) - 1
    if text.isdecimal() and len(text) < 10 and int(text) <= most:
        return int(text)
    raise Trouble(f"{field.name}={text}: a {field.kind} here is a whole number from 0 to {most}")


def run_inspect(file: Path, capture: Path | None, hex_text: str | None, as_json: bool) -> int:
    """Explain a capture event by event. The answer is no if nothing decoded."""
    link = load(file)
    if (capture is None) == (hex_text is None):
        raise Trouble("give a capture FILE, or bytes with --hex, and not both")
    decoder = Decoder(link)
    fields = Encoder(link).packer.fields
    good = refused = 0
    for when, event in _events(link, decoder, capture, hex_text):
        good += isinstance(event, Frame)
        refused += not isinstance(event, Frame)
        at = event.at if when is None else when
        if as_json:
            say_json(event_record(event, fields) | {"at": at})
        else:
            say(f"{at:8}  {event_text(event, fields)}")
    if not as_json:
        say(
            f"{good} frames, {refused} refused"
            + ("" if good or refused else ": nothing that could be a frame")
        )
    return DONE if good else NO


Timed = tuple[float | None, Event]


def _events(link: Link, decoder: Decoder, capture: Path | None, hex_text: str | None) -> Iterator[Timed]:
    """Every event, with its time in ms where the capture has times."""
    if hex_text is not None:
        feed = decoder.feed_datagram if link.medium.datagrams else decoder.feed
        yield from ((None, event) for event in feed(_from_hex(hex_text, "--hex")))
        return
    with sys.stdin.buffer if str(capture) == "-" else Path(str(capture)).open("rb") as data:
        first = data.read(READ_BYTES)
        if first.startswith((b"t_ms", b"\xef\xbb\xbft_ms")):
            yield from _timed_events(link, decoder, first, data, str(capture))
        elif first.strip() and re.fullmatch(rb"[0-9a-fA-F\s]*", first):
            yield from _hex_events(link, decoder, first, data, str(capture))
        else:
            # Raw bytes have no packet edges, so even a packet radio's were framed for a stream.
            while first:
                yield from ((None, event) for event in decoder.feed(first))
                first = data.read(READ_BYTES)


def _lines(first: bytes, data: BinaryIO) -> Iterator[str]:
    rest = first
    while rest:
        *lines, rest = rest.split(b"\n")
        yield from (line.decode("utf-8-sig", "replace") for line in lines)
        more = data.read(READ_BYTES)
        if not more and rest:
            yield rest.decode("utf-8", "replace")
            return
        rest += more


def _hex_events(link: Link, decoder: Decoder, first: bytes, data: BinaryIO, name: str) -> Iterator[Timed]:
    feed = decoder.feed_datagram if link.medium.datagrams else decoder.feed
    for number, line in enumerate(_lines(first, data), 1):
        yield from ((None, event) for event in feed(_from_hex(line, f"{name}, line {number}")))


def _timed_events(link: Link, decoder: Decoder, first: bytes, data: BinaryIO, name: str) -> Iterator[Timed]:
    feed = decoder.feed_datagram if link.medium.datagrams else decoder.feed
    rows = csv.reader(_lines(first, data))
    header = [cell.strip() for cell in next(rows)]
    if header[:2] != ["t_ms", "hex"]:
        raise Trouble(f"{name}, line 1: a timed capture has the columns t_ms,hex")
    for row in rows:
        if not row:
            continue
        try:
            at = float(row[0])
        except ValueError:
            raise Trouble(f"{name}, line {rows.line_num}: t_ms is {row[0][:40]!r}, not a number") from None
        if len(row) < 2:
            raise Trouble(f"{name}, line {rows.line_num}: has no hex column")
        yield from ((at, event) for event in feed(_from_hex(row[1], f"{name}, line {rows.line_num}")))


def _from_hex(text: str, where: str) -> bytes:
    try:
        return bytes.fromhex(text.replace("0x", "").replace(",", " "))
    except ValueError:
        raise Trouble(
            f"{where}: {text.strip()[:40]!r} is not hex: two digits a byte, spaces between bytes"
        ) from None
