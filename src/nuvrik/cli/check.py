"""``nuvrik check`` and ``nuvrik new``."""

from pathlib import Path
from typing import Annotated, Any

import typer

from nuvrik.budget.stop import stop_bound
from nuvrik.cli.options import Json, LinkFile, drawn
from nuvrik.cli.words import DONE, NO, Trouble, busy, console, say_json, speaks_plainly, table
from nuvrik.inspection.undetected import measure
from nuvrik.plan.form.channels import ChoiceChannel
from nuvrik.plan.form.media import InfraredMedium, RadioMedium, retries_of, transit_us
from nuvrik.plan.form.models import FailsafeSection, Link
from nuvrik.plan.layout import layout_tag
from nuvrik.plan.load import UnreadableError, parse, read_text
from nuvrik.plan.problems import LinkFileError, Problem, listing, suggestion
from nuvrik.plan.rules.check import problems_in
from nuvrik.plan.rules.radio import side_by_side
from nuvrik.plan.wiring import output_routes
from nuvrik.plan.words import (
    argument_words,
    channel_words,
    route_words,
    stop_words,
    uses_of,
)
from nuvrik.wire.authenticated import key_id
from nuvrik.wire.frames import Encoder
from nuvrik.wire.styles.style import Style

TRIES = 1000
"""How many damaged frames of each sort `check` tries."""

STYLES = {"error": "bold red", "warning": "bold yellow", "note": "cyan"}


def run(file: Path, sheet: Path | None, wiring: Path | None, end: str, as_json: bool) -> int:
    """Check a link file and say what it means; draw its sheets if files for them are named."""
    try:
        link = parse(read_text(file), str(file))
    except UnreadableError:
        raise
    except LinkFileError as error:
        if as_json:
            say_json({"ok": False, "problems": _records(error.problems), "layout": None})
        else:
            _print_problems(str(file), error.problems)
        return NO
    if sheet:
        with busy("drawing the sheet"):
            from nuvrik.figures.sheet import draw_sheet

            draw_sheet(link, sheet)
    if wiring:
        found = _wires(link, end)
        if not found[1]:
            raise Trouble(f"--wiring: {link.name} names no pin of its {end}'s board")
        with busy("drawing the wires"):
            from nuvrik.figures.wiring import draw_wiring

            draw_wiring(link, found[0], end, found[1], wiring)
    problems = problems_in(link)
    if as_json:
        undetected = {found.damage: found.per_million for found in measure(link, TRIES)}
        record = {"ok": True, "problems": _records(problems), "layout": _layout_record(link)}
        say_json(record | {"undetected_per_million": undetected})
    else:
        _print_meaning(link, file)
        _print_problems(str(file), problems)
    return DONE


def run_several(files: list[Path], as_json: bool) -> int:
    """Check several link files that are used in one place."""
    links: dict[str, Link] = {}
    found: dict[str, list[Problem]] = {}
    for file in files:
        try:
            links[str(file)] = parse(read_text(file), str(file))
            found[str(file)] = problems_in(links[str(file)])
        except UnreadableError:
            raise
        except LinkFileError as error:
            found[str(file)] = error.problems
    together = list(side_by_side(links))
    ok = len(links) == len(found) and not any(one.level == "error" for one in together)
    if as_json:
        records = {name: _records(problems) for name, problems in found.items()}
        say_json({"ok": ok, "files": records, "together": _records(together)})
        return DONE if ok else NO
    for name, problems in (found | {"together": together}).items():
        if problems:
            _print_problems(name, problems)
        else:
            console().print(f"{name}: ", ("nothing wrong", "green"))
    return DONE if ok else NO


def _wires(link: Link, end: str) -> tuple[str, list[Any]]:
    """The board on which an end fits, and its wires."""
    from nuvrik.export.boards import ENDS, misfits
    from nuvrik.export.chips import CHIPS
    from nuvrik.export.wiring import wires

    if end not in ENDS[:2]:
        raise Trouble(f'--end: there is no "{end}": {suggestion(end, ENDS[:2])}')
    radio = link.medium.pins_of(end) if isinstance(link.medium, RadioMedium) else None
    fits = (one for one in CHIPS.values() if not any(misfits(link, one, end, packets=radio is not None)))
    chip = next(fits, None)
    return chip.name if chip else "board", list(wires(link, chip, end, radio))


def _records(problems: list[Problem]) -> list[dict[str, str]]:
    return [problem._asdict() for problem in problems]


def _layout_record(link: Link) -> dict[str, Any]:
    encoder = Encoder(link)
    channels = [
        {"name": f.name, "kind": f.kind, "bits": f.bits, "offset": f.offset} for f in encoder.packer.fields
    ]
    return {"tag": f"{layout_tag(link):04X}", "bytes": encoder.longest_body, "channels": channels}


def _print_meaning(link: Link, file: Path) -> None:
    out = console()
    out.print((link.name, "bold"), f", from {file}")
    encoder = Encoder(link)
    wire = encoder.longest_on_wire
    airtime_ms = link.medium.airtime_us(wire) / 1000
    every = f"A command frame every {link.period_ms} ms"
    if isinstance(link.medium, InfraredMedium):
        medium = link.medium
        form = f"{medium.protocol}, address {medium.address}"
        held_ms = medium.period_us / 1000
        out.print(f"  Keys of a remote control, in code {form}; held, one comes every {held_ms:.0f} ms.")
        out.print(f"  {every} inside the receiver, of {wire} bytes: what it makes of the keys.\n")
    else:
        relayed_ms = transit_us(link.medium, wire) / 1000 - airtime_ms - link.medium.delay_ms
        relayed = f", {relayed_ms:.2f} more through the modules at both ends" if relayed_ms else ""
        way = f"{airtime_ms:.2f} ms on the way{retries_of(link.medium, wire).words}{relayed}"
        out.print(f"  {every} over {link.medium.kind}: {wire} bytes, {way}.")
        key = f", authenticated by key {key_id(link.key):04X}" if link.authenticated else ""
        out.print(f"  Pair number {link.frame.pair}, layout tag {encoder.tag:04X}{key}.\n")
    if link.controls:
        columns = ["control", "kind", "what it does", "feeds"]
        out.print(table("what the hand moves", columns, _control_rows(link)))
    else:
        out.print("  No controls: a program sets the channels, see nuvrik.connect().\n")
    out.print(table("what moves", ["output", "driver", "follows", "limits"], _output_rows(link)))
    for sentence in _failsafe_sentences(link):
        out.paragraph(sentence)
    out.print()
    rows = [
        (
            f"{byte}",
            f"{bit}" + (f" to {bit + bits - 1}" if bits > 1 else ""),
            f"{bits}",
            name,
            meaning if name not in link.channels else _channel_text(link, encoder.style, name),
        )
        for byte, bit, bits, name, meaning in encoder.style.rows()
    ]
    columns = [">byte", "from bit", ">bits", "is", "meaning"]
    out.print(table(f"the frame, bit by bit ({encoder.style.said_where})", columns, rows))
    if link.two_way:
        out.print(table("what comes back", ["telemetry", "kind", "what it says", ">every"], _item_rows(link)))
    if link.requests:
        out.print(table("what can be asked for", ["request", "kind", "with", "needs"], _request_rows(link)))
    if not isinstance(link.medium, InfraredMedium):
        _print_undetected(link, encoder, out)


def _item_rows(link: Link) -> list[tuple[str, str, str, str]]:
    return [(name, item.kind, item.words, f"{item.every_ms} ms") for name, item in link.telemetry.items()]


def _request_rows(link: Link) -> list[tuple[str, str, str, str]]:
    rows: list[tuple[str, str, str, str]] = []
    for name, request in link.requests.items():
        given = "; ".join(f"{key}: {argument_words(one)}" for key, one in request.arguments.items())
        rows.append((name, request.kind, given or "-", "ARMED" if request.moving else "-"))
    return rows


def _print_undetected(link: Link, encoder: Encoder, out: Any) -> None:
    """What a damaged frame may do, tried on this very link."""
    with busy("damaging frames"):
        found = measure(link, TRIES)
    tried, accepted = sum(f.tried for f in found), sum(f.accepted for f in found)
    out.print(f"  Of {tried} frames damaged in {len(found)} ways, {accepted or 'none'} would be accepted.")
    out.print(f"  {encoder.style.odds()}.\n", soft_wrap=True)
    if accepted:
        rows = [(f.damage, f"{f.accepted} of {f.tried}", f"{f.per_million:.0f}") for f in found]
        out.print(
            table("damaged frames that would be accepted", ["damage", ">measured", ">in a million"], rows)
        )


def _control_rows(link: Link) -> list[tuple[str, str, str, str]]:
    return [
        (name, str(control.kind), control.words, ", ".join(uses_of(link, name)) or "nothing")
        for name, control in link.controls.items()
    ]


def _output_rows(link: Link) -> list[tuple[str, str, str, str]]:
    routes = output_routes(link)
    rows = []
    for name, output in link.outputs.items():
        driver, keeps = output.words
        rows.append((name, driver, route_words(routes[name]), keeps))
    return rows


RECOVER = {
    "rearm": "when frames return, nothing moves until arm has been switched off and on again",
    "at_rest": "when frames return, it moves again once the sticks are at rest",
    "resume": "when frames return, it moves again at once, wherever the sticks are",
}


def _failsafe_sentences(link: Link) -> list[str]:
    rules: FailsafeSection = link.failsafe
    bound = stop_bound(link).in_words()
    arm = f'the channel "{rules.arm}" is on' if link.arm_channel else "the sticks have been at rest"
    if isinstance(link.medium, InfraredMedium):
        quiet = (
            f" Arm goes off after {link.medium.disarm_after_ms / 1000:g} s without a code from this remote."
        )
        return [
            f"Nothing moves unless {arm}." + (quiet if link.arm_channel else ""),
            *_lapse_sentences(link),
            "When the codes of a key stop coming, for whatever reason, the key counts as released: every "
            f"motor is at rest within {bound} of the beginning of the last code.",
            *stop_words(link),
        ]
    return [
        f"Nothing moves unless {arm} in a fresh, matching frame.",
        f"Without a drive frame for {rules.timeout_ms} ms every motor runs down: it is at rest within "
        f"{bound} of the sending of the last accepted frame.",
        f"After {rules.good_frames} good frames in a row: {RECOVER[rules.recover]}.",
        *stop_words(link),
    ]


def _lapse_sentences(link: Link) -> list[str]:
    """What then stays as it is."""
    held = [n for n, o in link.outputs.items() if getattr(o, "on_loss", "") == "hold"]
    if not held or not link.arm_channel:
        return []
    return [f"Then {', '.join(held)} stay as they are, until an arm key, an off key or a stop."]


def _channel_text(link: Link, style: Style, name: str) -> str:
    channel = link.channels[name]
    words = f"{channel.kind} from {channel_words(link, name)}"
    if isinstance(channel, ChoiceChannel):
        words += f": {listing(channel.options)}"
    words += style.finely(name)
    return words


def _print_problems(file: str, problems: list[Problem]) -> None:
    out = console()
    if not problems:
        out.print(("Nothing wrong with it.", "green"))
        return
    counts = {level: sum(p.level == level for p in problems) for level in STYLES}
    said = ", ".join(f"{n} {level}{'s' * (n > 1)}" for level, n in counts.items() if n)
    out.print(f"{file}: {said}")
    for problem in problems:
        place = f"{problem.where}: " if problem.where else ""
        level = (f"{problem.level:8}", STYLES[problem.level])
        out.print("  ", level, f"{place}{problem.what}", soft_wrap=True)
        out.print(f"            -> {problem.do}", soft_wrap=True)


@speaks_plainly
def command(
    link: LinkFile,
    others: Annotated[
        list[Path] | None,
        typer.Argument(
            metavar="[LINK]...", help="Others that are used in the same place.", show_default=False
        ),
    ] = None,
    sheet: Annotated[
        Path | None,
        drawn("--sheet", "Write the driver's sheet as a picture."),
    ] = None,
    wiring: Annotated[
        Path | None,
        drawn("--wiring", "Write the builder's sheet, every pin and its wire, as a picture."),
    ] = None,
    end: Annotated[
        str, typer.Option("--end", metavar="END", help="Whose wires: machine or handset.")
    ] = "machine",
    tables: Annotated[
        bool, typer.Option("--tables", help="Print the whole numbers that the machine runs on instead.")
    ] = False,
    as_json: Json = False,
) -> int:
    """Say what a link file means, and what is wrong with it.

    Of several that are used in one place, it says how they get on with one another.
    """
    if others:
        return run_several([link, *others], as_json)
    if tables:
        from nuvrik.cli.tables import run_tables

        return run_tables(link, as_json)
    return run(link, sheet, wiring, end, as_json)
