"""``nuvrik inspect``: what the bytes of a capture say, and why they say nothing."""

import re
import sys
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

from nuvrik.cli.inputs import number_of
from nuvrik.cli.live import open_line
from nuvrik.cli.words import DONE, NO, Trouble, busy, console, say, say_json, table
from nuvrik.openfile import TableError, csv_rows, open_bytes
from nuvrik.plan.frames import Sealed
from nuvrik.plan.load import load
from nuvrik.plan.models import Link
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import TURN_S, WallClock
from nuvrik.ports.sim import SimLine
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.describe import byte_marks, event_record, event_text
from nuvrik.wire.diagnosis import diagnose
from nuvrik.wire.events import REASONS, Event, Frame
from nuvrik.wire.kinds import ALL_KINDS, kind_name
from nuvrik.wire.statistics import LinkStats

READ_BYTES = 1 << 16
BAR_FROM_BYTES = 1 << 21
FEW = 4
"""Up to so many events from --hex are taken apart byte by byte without being asked."""

Heard = tuple[float | None, Event]


@dataclass
class Options:
    """What is to be shown."""

    as_json: bool = False
    each_byte: bool = False
    summary: bool = False
    figure: Path | None = None


@dataclass
class Source:
    """Where bytes come from, and the first of them, in case nothing can be made of them."""

    link: Link
    capture: Path | None = None
    hex_text: str | None = None
    port: str | None = None
    for_s: float = 10.0
    first: bytearray = field(default_factory=bytearray)

    def keep(self, data: bytes) -> bytes:
        """Remember the beginning."""
        if len(self.first) < READ_BYTES:
            self.first += data[: READ_BYTES - len(self.first)]
        return data


def run(source: Source, options: Options) -> int:
    """Explain a capture event by event. The answer is no if nothing decoded."""
    link = source.link
    if sum(given is not None for given in (source.capture, source.hex_text, source.port)) != 1:
        raise Trouble("give one of a capture FILE, bytes with --hex, and a port with --port")
    if options.summary and not options.figure and _is_bulk(source):
        return _run_bulk(source, options)
    stats = LinkStats(link.period_ms)
    kinds: Counter[int] = Counter()
    last: Frame | None = None
    each_byte = options.each_byte or (source.hex_text is not None and not options.as_json)
    with Signals(final=True):
        try:
            for shown, (when, event) in enumerate(events_of(source)):
                notice = stats.take(event, when)
                if isinstance(event, Frame):
                    kinds[event.kind] += 1
                    last = event if event.kind == 0 else last
                at = event.at if when is None else round(when, 3)
                if options.as_json and not options.summary:
                    say_json(event_record(event, link) | {"at": at})
                elif not options.as_json and not options.summary:
                    say(f"{at:8}  {event_text(event, link)}")
                    if notice:
                        say(f"{'':8}  notice   {notice.what}")
                    if each_byte and (options.each_byte or shown < FEW):
                        _say_bytes(link, event)
        except KeyboardInterrupt:
            if source.port is None:
                raise
    if options.figure:
        with busy("drawing the figure"):
            from nuvrik.figures.capture import draw_capture

            draw_capture(link, last, stats, options.figure)
    return _conclude(source, stats, kinds, options)


def _conclude(source: Source, stats: LinkStats, kinds: Counter[int], options: Options) -> int:
    findings = [] if stats.good else diagnose(source.link, bytes(source.first))
    if options.as_json:
        if options.summary:
            named = {kind_name(kind): count for kind, count in kinds.items()}
            probably = [finding._asdict() for finding in findings]
            say_json({**stats.record(), "kinds": named, "probably": probably})
        return DONE if stats.good else NO
    refused = sum(stats.refused.values())
    say(f"{stats.good} frames, {refused} refused" + (f", {stats.lost} lost" if stats.lost else ""))
    if options.summary:
        _print_summary(stats, kinds)
    for finding in findings:
        say(f"  probably: {finding.what}")
        say(f"      -> {finding.do}")
    return DONE if stats.good else NO


def _print_summary(stats: LinkStats, kinds: Counter[int]) -> None:
    out = console()
    rows = [(kind_name(kind), str(count), "") for kind, count in sorted(kinds.items())]
    rows += [(reason, str(count), REASONS[reason]) for reason, count in stats.refused.most_common()]
    if rows:
        out.print(table("what came", ["frame or reason", ">how often", ""], rows))
    if stats.quality is not None:
        say(f"  of the last frames that were due, {100 * stats.quality:.1f} % came")
    if stats.longest_silence_ms is not None:
        jitter = "" if stats.jitter_ms is None else f", jitter {stats.jitter_ms:.1f} ms"
        say(f"  longest silence {stats.longest_silence_ms:.0f} ms{jitter}")
        gaps = [(gap, str(count)) for gap, count in stats.gap_rows() if count]
        out.print(table("from one good frame to the next", [">gap", ">how often"], gaps))
    for what, count in Counter(notice.what for notice in stats.notices).items():
        say(f"  {what}" + (f" ({count} times)" if count > 1 else ""))


def _say_bytes(link: Link, event: Event) -> None:
    for mark in byte_marks(link, event):
        text = mark.raw.hex(" ").upper()
        say(f"{'':12}{text:24}  {mark.what}")


# ---- where events come from ----


def events_of(source: Source) -> Iterator[Heard]:
    """Every event, with its time in ms where the capture has times."""
    link = source.link
    decoder = Decoder(link, ALL_KINDS)
    packets = decoder.taker(stream=not link.medium.datagrams)
    if source.port is not None:
        yield from _live(source, decoder)
        return
    if source.hex_text is not None:
        data = source.keep(_from_words(source.hex_text, link))
        yield from ((None, event) for event in packets(data))
        return
    name = str(source.capture)
    with _opened(source) as data_file:
        first = data_file.read(READ_BYTES)
        if first.startswith((b"t_ms", b"\xef\xbb\xbft_ms")):
            for at, chunk in _timed_rows(first, data_file, name):
                yield from ((at, event) for event in packets(source.keep(chunk)))
        elif first.strip() and re.fullmatch(rb"[0-9a-fA-F\s]*", first):
            for number, line in enumerate(_lines(first, data_file), 1):
                chunk = source.keep(_from_hex(line, f"{name}, line {number}"))
                yield from ((None, event) for event in packets(chunk))
        else:
            # Raw bytes have no packet edges, so even a packet radio's were framed for a stream.
            while first:
                yield from ((None, event) for event in decoder.feed(source.keep(first)))
                first = data_file.read(READ_BYTES)


def _live(source: Source, decoder: Decoder) -> Iterator[Heard]:
    with open_line(source.link, str(source.port)) as line:
        feed = decoder.taker(stream=line.stream)
        # A simulated machine brings its own time, which passes only here.
        clock = line if isinstance(line, SimLine) else WallClock()
        while (now_ms := clock.now_ms()) < 1000 * source.for_s:
            yield from ((now_ms, event) for event in feed(source.keep(line.read())))
            clock.sleep(TURN_S)


@contextmanager
def _opened(source: Source) -> Iterator[Any]:
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


def _timed_rows(first: bytes, data: BinaryIO, name: str) -> Iterator[tuple[float, bytes]]:
    rows = csv_rows(_lines(first, data))
    try:
        if next(rows, (1, []))[1][:2] != ["t_ms", "hex"]:
            raise Trouble(f"{name}, line 1: a timed capture has the columns t_ms,hex")
        for number, row in rows:
            if not any(row):
                continue
            where = f"{name}, line {number}"
            if len(row) < 2:
                raise Trouble(f"{where}: has no hex column")
            yield number_of(row[0], f"{where}: t_ms"), _from_hex(row[1], where)
    except TableError as error:
        raise Trouble(f"{name}, {error}") from None


def _from_words(text: str, link: Link) -> bytes:
    """What --hex gives: hex digits; or, where frames are text, the text itself, with its end or without."""
    if isinstance(link.frame, Sealed):
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


# ---- whole captures at once ----


def _is_bulk(source: Source) -> bool:
    """Whether it is a file of raw bytes in frames that can be decoded column by column."""
    if source.capture is None or str(source.capture) == "-" or source.link.frame.style != "packed":
        return False
    if not source.capture.is_file():
        return False
    with open_bytes(source.capture) as data:
        first = data.read(READ_BYTES)
    return b"\0" in first


def _run_bulk(source: Source, options: Options) -> int:
    from nuvrik.wire.bulk import BulkDecoder

    decoder, stats = BulkDecoder(source.link), LinkStats(source.link.period_ms)
    kinds: Counter[int] = Counter()
    with _opened(source) as data_file:
        while data := data_file.read(BAR_FROM_BYTES):
            bulk = decoder.feed(source.keep(data))
            kinds += bulk.kinds
            stats.good += sum(bulk.kinds.values())
            stats.refused += bulk.refused
            stats.lost += bulk.lost
    return _conclude(source, stats, kinds, options)


def run_inspect(
    file: Path,
    capture: Path | None,
    hex_text: str | None,
    port: str | None,
    for_s: float,
    options: Options,
) -> int:
    """What the command line says, as a source and options."""
    return run(Source(load(file), capture, hex_text, port, for_s), options)
