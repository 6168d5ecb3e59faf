"""``nuvrik budget LINK``: the sums of one link."""

import math
from pathlib import Path
from typing import Annotated, Any

import typer

from nuvrik.budget.compare import Row, compare
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.line import Budget, budget
from nuvrik.budget.seen import conditions_seen
from nuvrik.budget.trips import Way, hours_words, mean_hours, timeout_for
from nuvrik.cli.inputs.captures import Source, events_of
from nuvrik.cli.inputs.files import conditions_of
from nuvrik.cli.options import Burst, BurstFrames, Json, LinkFile, Loss, drawn
from nuvrik.cli.words import DONE, Trouble, busy, console, say, say_json, speaks_plainly, table
from nuvrik.export.chips import CHIPS
from nuvrik.plan.form.media import InfraredMedium, PulsesMedium, retries_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.problems import suggestion

HOURS = (1.0, 100.0, 10_000.0)
"""For these mean times between false trips the shortest timeout is given."""


class Options:
    """What is asked for besides the sums."""

    def __init__(
        self,
        capture: Path | None,
        compared: bool,
        figure: Path | None,
        as_json: bool,
        board: str | None = None,
        page: bool = False,
    ) -> None:
        self.page = page
        self.capture, self.compared, self.figure, self.as_json = capture, compared, figure, as_json
        self.board = board


def run(file: Path, medium: dict[str, float], options: Options) -> int:
    """Do the sums of a link."""
    link = load(file)
    conditions = conditions_of(medium)
    if options.capture is not None:
        conditions = _seen(link, options)
    sums = budget(link, conditions)
    if options.page:
        sums = sums._replace(stop=sums.stop.with_page(link))
    rows = list(_compared(link)) if options.compared else []
    on_board = _on_board(link, options.board) if options.board else None
    if options.as_json:
        board = {"board": {"name": options.board, **on_board._asdict()}} if on_board else {}
        say_json(record(link, sums, rows) | board)
    else:
        _print(link, sums, conditions)
        if on_board:
            _print_board(link, options.board, on_board)
        _print_steps(sums)
        if rows:
            _print_rows(rows)
    if options.figure:
        from nuvrik.figures.budget import draw_comparison, draw_timeouts

        with busy("drawing"):
            if rows:
                draw_comparison(link, rows, options.figure)
            else:
                draw_timeouts(link, conditions, options.figure)
        if not options.as_json:
            say(f"{options.figure}: written")
    return DONE


def _on_board(link: Link, board: str) -> Any:
    from nuvrik.export.pace import BOARDS, pace

    if board not in BOARDS:
        raise Trouble(f'--board: there is no "{board}": {suggestion(board, BOARDS)}')
    if isinstance(link.medium, InfraredMedium | PulsesMedium):
        raise Trouble(f"--board: of {link.medium.kind} nothing comes in frames, so nothing is estimated")
    with busy("driving it, and counting"):
        return pace(link, board)


def _print_board(link: Link, board: str | None, found: Any) -> None:
    tick, share = found.tick_ms, 100 * found.busy_ms / found.tick_ms
    language = "C" if board in CHIPS else "MicroPython"
    say(
        f"  board       {board} in {language}: about {found.busy_ms:.2g} ms of each tick of {tick} ms, "
        f"{share:.0f} %, as estimated"
    )
    if found.radio_ms:
        of_radio = 100 * found.radio_ms / tick
        say(f"  its radio   about {found.radio_ms:.2g} ms of that, {of_radio:.1f} % of the board's time")
    if found.leaves_little:
        what = "leaves little time for code of your own" if found.fits else "does not fit"
        wants = math.ceil(2 * found.busy_ms / 10) * 10
        rate = f" and rate_hz = {1000 // wants}" if link.period_ms < wants else ""
        say(f"              warning: it {what}; tick_ms = {wants}{rate} would do, or --to c")


def _compared(link: Link) -> list[Row]:
    if isinstance(link.medium, InfraredMedium):
        raise Trouble("--compare: an infrared link sends codes, not frames in some style")
    with busy("damaging frames in every style"):
        return list(compare(link))


def _seen(link: Link, options: Options) -> Conditions:
    source = Source(link, capture=options.capture)
    conditions, arrived, lost = conditions_seen(event for _, event in events_of(source))
    if not arrived:
        raise Trouble(f"{options.capture}: no frame with a sequence number is in it, so no loss can be seen")
    if not options.as_json:
        say(f"{options.capture}: {arrived} frames arrived and {lost} did not: {conditions.in_words()}")
    return conditions


def record(link: Link, sums: Budget, rows: list[Row]) -> dict[str, Any]:
    """The sums as ``budget --json`` gives them."""
    made = {
        "frame_bytes": sums.frame_bytes,
        "wire_bytes": sums.wire_bytes,
        "airtime_ms": sums.airtime_ms,
        "load": {"there": sums.load, "back": sums.load_back},
        "max_rate_hz": sums.max_rate_hz,
        "latency_ms": {"typical": sums.typical_ms, "worst": sums.worst_ms},
        "stop_ms": {"worst": sums.stop.worst_ms, "terms": sums.stop.terms},
        "false_trip": {"mean_hours": None if math.isinf(sums.mean_hours) else sums.mean_hours},
        "payload_left": sums.payload_left,
        "steps": [one._asdict() for one in sums.steps],
    }
    return made | ({"compare": [row._asdict() for row in rows]} if rows else {})


def _print(link: Link, sums: Budget, conditions: Conditions) -> None:
    period = link.period_ms
    say(f"{link.name}: a frame every {period} ms over {link.medium.kind}, {conditions.in_words()}")
    beam = isinstance(link.medium, InfraredMedium)
    if not beam:
        left = "" if sums.payload_left is None else f"; {sums.payload_left} more would fit in a packet"
        say(f"  frame       {sums.frame_bytes} bytes, {sums.wire_bytes} on the wire{left}")
        back = f", {100 * sums.load_back:.2g} % by what comes back" if sums.load_back else ""
        busy_share = f"the medium is busy {100 * sums.load:.2g} % of the time{back}"
        tries = retries_of(link.medium, sums.wire_bytes).words
        say(f"  airtime     {sums.airtime_ms:.2f} ms{tries}: {busy_share}")
        say(f"  rate        {link.rate_hz} a second; at most {sums.max_rate_hz:.0f} would fit")
        say(f"  latency     {sums.typical_ms:g} ms typically, {sums.worst_ms:g} ms at worst, hand to motor")
    since = "a page that drives was asked last" if sums.stop.page_ms else "the last accepted frame"
    say(f"  stop        at worst {sums.stop.in_words()} after {since}")
    _print_trips(link, sums, conditions, beam)
    if not link.guard_bytes and not beam:
        say("  delay       a constant delay cannot be noticed: that takes telemetry and delay_guard_ms")


def _print_steps(sums: Budget) -> None:
    if sums.steps:
        rows = [(one.channel, f"{100 * one.share:.2g} %", one.means or "-") for one in sums.steps]
        console().print(table("\nthe finest difference", ["channel", ">of full", "in its own units"], rows))


def _print_trips(link: Link, sums: Budget, conditions: Conditions, beam: bool) -> None:
    if beam:
        return
    timeout, way = link.failsafe.timeout_ms, Way.of(link)
    if math.isinf(sums.mean_hours):
        say("  false trips none without loss (try --loss, --burst-loss or --from)")
        return
    say(f"  false trips one in {hours_words(sums.mean_hours)} on average, with the timeout of {timeout} ms")
    for hours in HOURS:
        able = timeout_for(conditions, way, hours)
        if able is not None:
            reached = mean_hours(conditions, way, able)
            say(f"              {able} ms: one false trip in {hours_words(reached)}")


def _print_rows(rows: list[Row]) -> None:
    columns = [
        "style",
        ">bytes",
        ">on the wire",
        ">airtime",
        ">most a second",
        ">accepted of a million damaged",
    ]
    columns += [">frames a lost byte costs"]
    cells = [
        (
            row.style,
            f"{row.frame_bytes}",
            f"{row.wire_bytes}",
            f"{row.airtime_ms:.2f} ms",
            f"{row.max_rate_hz:.0f}",
            f"{row.undetected:.0f}",
            f"{row.lost_mean:.2f}, at most {row.lost_most}",
        )
        for row in rows
    ]
    console().print(table("\nthe same channels in every style", columns, cells))


@speaks_plainly
def command(
    link: LinkFile,
    compare: Annotated[
        bool, typer.Option("--compare", help="Show the same channels in every frame style.")
    ] = False,
    capture: Annotated[
        Path | None, typer.Option("--from", metavar="CAPTURE", help="Take loss and bursts from a capture.")
    ] = None,
    loss: Loss = 0.0,
    burst_loss: Burst = 0.0,
    burst_frames: BurstFrames = 5.0,
    figure: Annotated[
        Path | None,
        drawn("--figure", "Write a picture of the odds of a false trip; with --compare, of the styles."),
    ] = None,
    board: Annotated[
        str | None,
        typer.Option("--board", metavar="BOARD", help="Estimate whether a tick fits on this chip."),
    ] = None,
    page: Annotated[bool, typer.Option("--panel", help="A page drives: its part of the stop too.")] = False,
    as_json: Json = False,
) -> int:
    """Do the sums of a link.

    It prints bytes, airtime, latency, the worst stop, and the odds of a false trip.
    """
    medium = {"loss": loss, "burst_loss": burst_loss, "burst_frames": burst_frames}
    return run(link, medium, Options(capture, compare, figure, as_json, board, page))
