"""``nuvrik inspect``: what the bytes of a capture say, and why they say nothing."""

from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.inputs.captures import BAR_FROM_BYTES, Source, events_of, is_bulk, opened, read_log_of_bytes
from nuvrik.cli.options import Json, LinkFile, drawn
from nuvrik.cli.words import DONE, NO, Trouble, busy, console, say, say_json, speaks_plainly, table
from nuvrik.inspection.against import Compared, compare
from nuvrik.inspection.describe import event_record, event_text
from nuvrik.inspection.diagnosis import diagnose
from nuvrik.inspection.statistics import LinkStats, TwoWays
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load_to_look
from nuvrik.ports.leaving import Signals
from nuvrik.wire.events import REASONS, Event, Frame
from nuvrik.wire.kinds import kind_name
from nuvrik.wire.styles import style_of

FEW = 4
"""Up to so many events from --hex are taken apart byte by byte without being asked."""


@dataclass
class Options:
    """What is to be shown."""

    as_json: bool = False
    each_byte: bool = False
    summary: bool = False
    figure: Path | None = None
    against: Path | None = None


def run(source: Source, options: Options) -> int:
    """Explain a capture event by event. The answer is no if nothing decoded."""
    link = source.link
    if sum(given is not None for given in (source.capture, source.hex_text, source.port)) != 1:
        raise Trouble("give one of a capture FILE, bytes with --hex, and a port with --port")
    if options.against is not None:
        return _run_against(source, options.against, options.as_json)
    if options.summary and not options.figure and is_bulk(source):
        return _run_bulk(source, options)
    stats = TwoWays(link.period_ms)
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
                    say_json(event_record(event, link) | _places(source, when, event) | {"at": at})
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

            draw_capture(link, last, stats.there, options.figure)
    return _conclude(source, stats, kinds, options)


def _places(source: Source, when: float | None, event: Event) -> dict[str, float | None]:
    """Where an event was: the offset of its first byte in a stream, or the number of its packet, and when."""
    return {
        "byte": None if source.packets else event.at,
        "packet": event.at if source.packets else None,
        "t_ms": None if when is None else round(when, 3),
    }


def _conclude(source: Source, stats: TwoWays, kinds: Counter[int], options: Options) -> int:
    findings = [] if stats.accepted else diagnose(source.link, bytes(source.first))
    if options.as_json:
        if options.summary:
            named = {kind_name(kind): count for kind, count in kinds.items()}
            probably = [finding._asdict() for finding in findings]
            say_json({**stats.record(), "kinds": named, "probably": probably})
        return DONE if stats.accepted else NO
    refused = sum(stats.there.refused.values())
    say(f"{stats.accepted} frames, {refused} refused" + (f", {stats.lost} lost" if stats.lost else ""))
    if options.summary:
        _print_summary(stats, kinds)
    for finding in findings:
        say(f"  probably: {finding.what}")
        say(f"      -> {finding.do}")
    return DONE if stats.accepted else NO


def _print_summary(stats: TwoWays, kinds: Counter[int]) -> None:
    out = console()
    rows = [(kind_name(kind), str(count), "") for kind, count in sorted(kinds.items())]
    rows += [(reason, str(count), REASONS[reason]) for reason, count in stats.there.refused.most_common()]
    if rows:
        out.print(table("what came", ["frame or reason", ">how often", ""], rows))
    for way, whose in (stats.there, "the handset"), (stats.back, "the machine"):
        if way.accepted:
            _print_way(way, f" of {whose}" if stats.there.accepted and stats.back.accepted else "")


def _print_way(stats: LinkStats, whose: str) -> None:
    if stats.quality is not None:
        say(f"  of the last frames{whose} that were due, {100 * stats.quality:.1f} % came")
    if stats.longest_silence_ms is not None:
        jitter = "" if stats.jitter_ms is None else f", jitter {stats.jitter_ms:.1f} ms"
        say(f"  longest silence {stats.longest_silence_ms:.0f} ms{jitter}")
        gaps = [(gap, str(count)) for gap, count in stats.gap_rows() if count]
        console().print(table(f"from one accepted frame{whose} to the next", [">gap", ">how often"], gaps))
    for what, count in Counter(notice.what for notice in stats.notices).items():
        say(f"  {what}" + (f" ({count} times)" if count > 1 else ""))


def _say_bytes(link: Link, event: Event) -> None:
    for mark in style_of(link).marks(event):
        text = mark.raw.hex(" ").upper()
        say(f"{'':12}{text:24}  {mark.what}")


# ---- whole captures at once ----


def _run_bulk(source: Source, options: Options) -> int:
    from nuvrik.inspection.bulk import BulkDecoder

    decoder, both = BulkDecoder(source.link), TwoWays(source.link.period_ms)
    stats = both.there
    kinds: Counter[int] = Counter()
    with opened(source) as data_file:
        while data := data_file.read(BAR_FROM_BYTES):
            bulk = decoder.feed(source.keep(data))
            kinds += bulk.kinds
            stats.accepted += sum(bulk.kinds.values())
            stats.refused += bulk.refused
            stats.lost += bulk.lost
    return _conclude(source, both, kinds, options)


def run_inspect(
    file: Path,
    capture: Path | None,
    hex_text: str | None,
    port: str | None,
    for_s: float,
    options: Options,
) -> int:
    """What the command line says, as a source and options."""
    return run(Source(load_to_look(file), capture, hex_text, port, for_s), options)


# ---- two logs of one run ----


def _run_against(source: Source, other: Path, as_json: bool) -> int:
    """Lay two logs side by side. The answer is no if they have no frame in common."""
    if source.capture is None:
        raise Trouble("--against compares two files: give the first one too")
    ours, theirs = (read_log_of_bytes(source.link, file) for file in (source.capture, other))
    names = [str(source.capture), str(other)]
    if ours.at_handset is False and theirs.at_handset is not False:
        ours, theirs, names = theirs, ours, names[::-1]
    ways = {"there": compare(ours.there, theirs.there), "back": compare(theirs.back, ours.back)}
    if as_json:
        say_json({way: _compared_record(found) for way, found in ways.items()})
    else:
        for (way, found), (sender, hearer) in zip(ways.items(), (names, names[::-1]), strict=True):
            if found.sent or found.strange:
                _say_compared(way, found, sender, hearer)
    return DONE if any(found.arrived for found in ways.values()) else NO


def _compared_record(found: Compared) -> dict[str, object]:
    return {
        **{key: value for key, value in found._asdict().items() if key not in ("delays_ms", "gaps")},
        "lost": found.lost,
        "delay_ms": {"p50": found.delay_ms(0.5), "p99": found.delay_ms(0.99), "most": found.delay_ms(1)},
        "gaps": [gap._asdict() for gap in found.gaps],
    }


def _say_compared(way: str, found: Compared, sender: str, hearer: str) -> None:
    say(f"{way}: {found.sent} frames in {sender}, {found.arrived} of them in {hearer}, {found.lost} lost")
    if found.offset_ms is None:
        say("  no frame is in both: are they of one run?")
        return
    p50, p99, most = (found.delay_ms(share) for share in (0.5, 0.99, 1))
    slower = f"half by up to {p50:.0f} ms, 99 % by up to {p99:.0f} ms, all by up to {most:.0f} ms"
    say(f"  slower than the quickest: {slower}")
    say(f"  clock of {hearer} ahead by {found.offset_ms:.0f} ms, less what the quickest frame took")
    if found.refused:
        say(f"  {found.refused} refused in {hearer}")
    if found.strange:
        say(f"  {found.strange} in {hearer} that are not in {sender}: somebody else's?")
    for gap in found.gaps[:10]:
        say(f"  none arrived from {gap.from_ms / 1000:.2f} to {gap.to_ms / 1000:.2f} s: {gap.frames} frames")
    if len(found.gaps) > 10:
        say(f"  and {len(found.gaps) - 10} more gaps")


@speaks_plainly
def command(
    link: LinkFile,
    file: Annotated[
        Path | None,
        typer.Argument(metavar="[FILE]", help="A capture: raw bytes, hex, or CSV t_ms,hex; - is stdin."),
    ] = None,
    hex_text: Annotated[
        str | None, typer.Option("--hex", metavar="HEX", help="Bytes to look at, in hex.")
    ] = None,
    port: Annotated[
        str | None, typer.Option("--port", metavar="PORT", help="Listen on a port instead.")
    ] = None,
    for_s: Annotated[float, typer.Option("--for-s", min=0, help="How many seconds to listen.")] = 10.0,
    each_byte: Annotated[bool, typer.Option("--each-byte", help="Say what every byte is.")] = False,
    summary: Annotated[
        bool, typer.Option("--summary", help="Print only counts, and not each frame.")
    ] = False,
    figure: Annotated[
        Path | None,
        drawn("--figure", "Write a picture of a frame, and of the gaps between frames."),
    ] = None,
    against: Annotated[
        Path | None,
        typer.Option("--against", metavar="FILE", help="Lay the log of the other end beside FILE."),
    ] = None,
    as_json: Json = False,
) -> int:
    """Turn bytes into values, and say of every refused frame why.

    If nothing decodes, it says what is probably the matter: another speed, an inverted line, another file.
    """
    options = Options(as_json, each_byte, summary, figure, against)
    return run_inspect(link, file, hex_text, port, for_s, options)
