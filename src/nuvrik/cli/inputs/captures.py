"""Captures: bytes from a file, from words, or live from a port; and the events in them."""

import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any, NamedTuple

from nuvrik.cli.inputs.files import number_of
from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.words import Trouble
from nuvrik.openfile import open_bytes
from nuvrik.plan.form.models import Link
from nuvrik.ports.live import TURN_S, WallClock
from nuvrik.ports.sim import SimLine
from nuvrik.recordings.log import AS_PACKETS, AS_STREAM, BACK, THERE
from nuvrik.recordings.table import TableError, csv_rows
from nuvrik.wire.authenticated import Overheard
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Event
from nuvrik.wire.kinds import ALL_KINDS

READ_BYTES = 1 << 16
BAR_FROM_BYTES = 1 << 21

Heard = tuple[float | None, Event]


@dataclass
class Source:
    """Where bytes come from, and the first of them, in case nothing can be made of them."""

    link: Link
    capture: Path | None = None
    hex_text: str | None = None
    port: str | None = None
    for_s: float = 10.0
    first: bytearray = field(default_factory=bytearray)
    packets: bool = False
    """Whether the place of an event is the number of a packet, and not the offset of a byte."""

    def keep(self, data: bytes) -> bytes:
        """Remember the beginning."""
        if len(self.first) < READ_BYTES:
            self.first += data[: READ_BYTES - len(self.first)]
        return data


def events_of(source: Source) -> Iterator[Heard]:
    """Every event, with its time in ms where the capture has times."""
    link = source.link
    decoder = Decoder(link, ALL_KINDS)
    source.packets = link.medium.datagrams
    packets = decoder.taker(stream=not source.packets)
    if source.port is not None:
        yield from _live(source, decoder)
        return
    if source.hex_text is not None:
        data = source.keep(_from_words(source.hex_text, link))
        yield from ((None, event) for event in packets(data))
        return
    name = str(source.capture)
    with opened(source) as data_file:
        first = data_file.read(READ_BYTES)
        if first.startswith((b"t_ms", b"\xef\xbb\xbft_ms")):
            yield from _timed(source, _timed_rows(first, data_file, name))
        elif first.strip() and re.fullmatch(rb"[0-9a-fA-F\s]*", first):
            for number, line in enumerate(_lines(first, data_file), 1):
                chunk = source.keep(_from_hex(line, f"{name}, line {number}"))
                yield from ((None, event) for event in packets(chunk))
        else:
            # Raw bytes have no packet edges, so even a packet radio's were framed for a stream.
            source.packets = False
            while first:
                yield from ((None, event) for event in decoder.feed(source.keep(first)))
                first = data_file.read(READ_BYTES)


def _live(source: Source, decoder: Decoder) -> Iterator[Heard]:
    with open_line(source.link, str(source.port)) as line:
        source.packets = not line.stream
        feed = decoder.taker(stream=line.stream)
        # A simulated machine brings its own time, which passes only here.
        clock = line if isinstance(line, SimLine) else WallClock()
        while (now_ms := clock.now_ms()) < 1000 * source.for_s:
            yield from ((now_ms, event) for event in feed(source.keep(line.read())))
            clock.sleep(TURN_S)


@contextmanager
def opened(source: Source) -> Iterator[Any]:
    """The capture, with a progress bar on stderr if that is a terminal and it is long."""
    if str(source.capture) == "-":
        yield sys.stdin.buffer
        return
    path = Path(str(source.capture))
    size = path.stat().st_size
    if size < BAR_FROM_BYTES or not sys.stderr.isatty():
        with open_bytes(path) as data:
            yield data
        return
    from rich.console import Console
    from rich.progress import open as open_with_bar

    bar = open_with_bar(path, "rb", description="reading", console=Console(stderr=True), transient=True)
    with bar as data:
        yield data


def _lines(first: bytes, data: IO[bytes]) -> Iterator[str]:
    rest = first
    while rest:
        *lines, rest = rest.split(b"\n")
        yield from (line.decode("utf-8-sig", "replace") for line in lines)
        more = data.read(READ_BYTES)
        if not more and rest:
            yield rest.decode("utf-8", "replace")
            return
        rest += more


class Row(NamedTuple):
    """Bytes in a capture with times: when, whether they go to the machine, whether they are a whole packet
    (None: as the medium has it), the bytes, and whether they were noted at the handset (None: who knows)."""

    t_ms: float
    there: bool
    packet: bool | None
    data: bytes
    at_handset: bool | None = None


def _decoders(link: Link) -> dict[bool, Decoder]:
    """One for each way: what goes there and what comes back have numbers of their own. With a key, what is
    known of both ends is one thing."""
    overheard = Overheard(link) if link.authenticated else None
    return {there: Decoder(link, ALL_KINDS, session=overheard) for there in (True, False)}


def _timed(source: Source, rows: Iterator[Row]) -> Iterator[Heard]:
    """The events in timed rows."""
    decoders = _decoders(source.link)
    for row in rows:
        if row.packet is not None:
            source.packets = row.packet
        events = decoders[row.there].taker(stream=not source.packets)(source.keep(row.data))
        yield from ((row.t_ms, event) for event in events)


class Log(NamedTuple):
    """The events of a timed capture or a log, in both directions, and at which end it was noted."""

    there: list[tuple[float, Event]]
    back: list[tuple[float, Event]]
    at_handset: bool | None


def read_log_of_bytes(link: Link, capture: Path) -> Log:
    """Both directions of a timed capture, or of the log of a live run. Trouble for anything else."""
    made: dict[bool, list[tuple[float, Event]]] = {True: [], False: []}
    decoders = _decoders(link)
    at_handset = None
    with open_bytes(capture) as data:
        for row in _timed_rows(data.read(READ_BYTES), data, str(capture)):
            packets = link.medium.datagrams if row.packet is None else row.packet
            events = decoders[row.there].taker(stream=not packets)(row.data)
            made[row.there] += [(row.t_ms, event) for event in events]
            at_handset = row.at_handset
    return Log(made[True], made[False], at_handset)


def _timed_rows(first: bytes, data: IO[bytes], name: str) -> Iterator[Row]:
    rows = csv_rows(_lines(first, data))
    try:
        columns = _byte_columns(next(rows, (1, []))[1], name)
        for number, row in rows:
            if not any(row):
                continue
            where = f"{name}, line {number}"
            if len(row) <= max(columns):
                raise Trouble(f"{where}: has no {'hex ' if len(columns) == 1 else ''}column of bytes")
            t_ms = number_of(row[0], f"{where}: t_ms")
            for place, (there, packet, at_handset) in columns.items():
                # In a row of a log packets stand one by one; a row of a capture is one.
                for piece in row[place].split() if len(columns) > 1 and packet else [row[place]]:
                    if piece:
                        yield Row(t_ms, there, packet, _from_hex(piece, where), at_handset)
    except TableError as error:
        raise Trouble(f"{name}, {error}") from None


def _byte_columns(names: list[str], name: str) -> dict[int, tuple[bool, bool | None, bool | None]]:
    """By place: whether a column's bytes go to the machine, whether they are packets, and at which end they
    were noted."""
    if names[:2] == ["t_ms", "hex"]:
        return {1: (True, None, None)}
    found: dict[int, tuple[bool, bool | None, bool | None]] = {
        names.index(column): (way is THERE, ending == AS_PACKETS, column == way[0] + ending)
        for way in (THERE, BACK)
        for ending in (AS_STREAM, AS_PACKETS)
        for column in (one + ending for one in way)
        if column in names
    }
    if not found:
        if names[:3] == ["t_ms", "state", "why"]:
            raise Trouble(f"{name}: is a machine's log without bytes; nuvrik machine --bytes logs them too")
        raise Trouble(f"{name}, line 1: a timed capture has the columns t_ms,hex")
    return found


def _from_words(text: str, link: Link) -> bytes:
    """What --hex gives: hex digits; or, where frames are text, the text itself, with its end or without."""
    if link.frame.sealed:
        return _from_hex(text, "--hex")
    try:
        return _from_hex(text, "--hex")
    except Trouble:
        end = getattr(link.frame, "end", "")
        return (text.removesuffix(end) + end).encode("utf-8", "replace")


def _from_hex(text: str, where: str) -> bytes:
    try:
        return bytes.fromhex(text.replace("0x", "").replace(",", " "))
    except ValueError:
        raise Trouble(
            f"{where}: {text.strip()[:40]!r} is not hex: two digits a byte, spaces between bytes"
        ) from None


def is_bulk(source: Source) -> bool:
    """Whether it is a file of raw bytes in frames that can be decoded column by column."""
    if source.capture is None or str(source.capture) == "-" or source.link.frame.style != "packed":
        return False
    if source.link.authenticated:
        return False
    if not source.capture.is_file():
        return False
    with open_bytes(source.capture) as data:
        first = data.read(READ_BYTES)
    return b"\0" in first
