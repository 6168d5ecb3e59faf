"""``nuvrik infrared``: timings to codes, a recording of presses to keys, codes to timings."""

import re
import sys
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any, TextIO

import typer

from nuvrik.calibration.remotes import Key, Learned, learn
from nuvrik.cli.inputs.files import opened_text
from nuvrik.cli.options import Json, drawn
from nuvrik.cli.words import DONE, NO, Trouble, console, say, say_json, speaks_plainly, table, tell
from nuvrik.ends.remote import shape_of
from nuvrik.plan.edit import Hex
from nuvrik.plan.form.base import NAME_PATTERN
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.load import data_of, load, read_text
from nuvrik.ports.link_file import write_into
from nuvrik.pulses.codes import Code, learned_press, press
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.shape import Shape
from nuvrik.pulses.timings import Piece, TimingsError, read_timings, write_timings

BAR_FROM_BYTES = 1 << 21
LOOKS_S = 0.05
"""How often a listener's line is looked at while nothing comes, and whether Ctrl-C has."""
TIMINGS_ARE = "timings are microseconds, + for a mark, - for a space"


def run_read(
    file: Path | None, port: str | None, link_file: Path | None, figure: Path | None, as_json: bool
) -> int:
    """Codes in a capture of marks and spaces. The answer is no if there is none."""
    medium = load(link_file).medium if link_file else None
    if link_file and not isinstance(medium, InfraredMedium):
        raise Trouble(f"{link_file}: its medium is {medium.kind if medium else 'none'}, not infrared")
    shape = shape_of(medium) if isinstance(medium, InfraredMedium) else None
    reader = InfraredReader(shape)
    count, codes = 0, 0
    last: Counter[str] = Counter()
    kept: list[int] = []
    with pieces_of(file, port) as pieces:
        for piece in pieces:
            count += len(piece.durations)
            if figure and len(kept) < 100_000:
                kept += piece.durations
            for code in reader.feed(piece.durations):
                codes += _show(code, as_json, last)
                if port:
                    # Who listens wants to see it now, through a pipe too.
                    sys.stdout.flush()
        for code in reader.end():
            codes += _show(code, as_json, last)
    if not as_json:
        unknown = f", {last['unknown']} frames of unknown shape" if last["unknown"] else ""
        # A listener says of a long silence twice how long it has lasted, so those are not counted.
        heard = "" if port else f"{count} durations, "
        say(f"{heard}{codes} codes{unknown}")
    if figure and kept:
        from nuvrik.figures.waveform import draw_waveform

        draw_waveform(kept, figure, shape)
        say(f"{figure}: written") if not as_json else None
    return DONE if codes else NO


def record(code: Code) -> dict[str, Any]:
    """A code as ``infrared read --json`` gives it."""
    return {
        "t_us": code.at_us,
        "code": code.protocol,
        "address": code.address,
        "command": code.command,
        "repeat": code.repeat,
        "toggle": code.toggle,
        "bits": code.bits,
        "carrier_hz": code.carrier_hz,
    }


def _show(code: Code, as_json: bool, seen: Counter[str]) -> int:
    seen[code.protocol] += 1
    if as_json:
        say_json(record(code))
    else:
        say(in_words(code))
    return int(code.protocol != "unknown")


def in_words(code: Code) -> str:
    """A code in a line."""
    when = f"{code.at_us / 1_000_000:11.4f} s  {code.protocol:13}"
    if code.protocol == "unknown":
        return f"{when} {code.bits} marks of no known shape; `nuvrik infrared learn` may make it one"
    if code.command is None:
        return f"{when} a repeat of something that was not heard"
    where = "" if code.address is None else f"address {code.address:3} (0x{code.address:02X})  "
    what = f"{when} {where}command {code.command:3} (0x{code.command:02X})"
    toggle = "" if code.toggle is None else f"  toggle {code.toggle}"
    carrier = f"  {code.carrier_hz / 1000:g} kHz" if code.carrier_hz else ""
    return f"{what}  {code.bits} bits{carrier}{toggle}{'  repeat' if code.repeat else ''}"


@contextmanager
def pieces_of(file: Path | None, port: str | None) -> Iterator[Iterator[Piece]]:
    """Durations from a file, or from a listener on a port until Ctrl-C; what has come by then is kept."""
    if (file is None) == (port is None):
        raise Trouble("name one: a file of timings (- is stdin), or --port with a listener on it")
    from nuvrik.ports.listener import LiveText, RawTimings, listen, until_interrupted

    descriptor = _stdin_to_wait_for() if str(file) == "-" else None
    if descriptor is not None:
        # What comes is read as it comes, and Ctrl-C ends it with what has come by then.
        try:
            with until_interrupted() as ended:
                yield read_timings(LiveText(descriptor, ended), "stdin")
        except TimingsError as error:
            raise Trouble(str(error)) from None
        return
    if file is not None:
        with opened(file) as text:
            yield read_timings(text, name_of(file))
        return
    from nuvrik.ports.open import OTHER_BAUD
    from nuvrik.ports.port import Port, PortError

    try:
        if str(port).startswith("raw:"):
            with until_interrupted() as ended, RawTimings(str(port).removeprefix("raw:")) as raw:
                tell(f"{port}: press the buttons of the remote; Ctrl-C ends")
                yield raw.pieces(ended)
            return
        with until_interrupted() as ended, Port(str(port), OTHER_BAUD, LOOKS_S) as line:
            tell(f"{port}: press the buttons of the remote; Ctrl-C ends")
            yield listen(line, ended)
    except PortError as error:
        raise Trouble(str(error)) from None


def _stdin_to_wait_for() -> int | None:
    """Standard input, where the system can wait for it."""
    if sys.platform == "win32":
        return None
    try:
        return sys.stdin.fileno()
    except (OSError, ValueError):
        return None


def name_of(file: Path) -> str:
    """What a file of timings is called in messages."""
    return "stdin" if str(file) == "-" else str(file)


@contextmanager
def opened(file: Path) -> Iterator[TextIO]:
    """A file of timings, - for stdin; a progress bar on stderr if that is a terminal and it is long."""
    try:
        if str(file) == "-":
            yield sys.stdin
        elif sys.stderr.isatty() and file.stat().st_size > BAR_FROM_BYTES:
            from rich.console import Console
            from rich.progress import open as open_with_bar

            bar = Console(stderr=True)
            with open_with_bar(file, "r", encoding="utf-8-sig", description="reading", console=bar) as text:
                yield text
        else:
            with opened_text(file, TIMINGS_ARE) as text:
                yield text
    except UnicodeDecodeError:
        raise Trouble(f"{file}: is not text; {TIMINGS_ARE}") from None
    except TimingsError as error:
        raise Trouble(str(error)) from None


def run_learn(
    file: Path | None, port: str | None, names: str | None, link_file: Path | None, as_json: bool
) -> int:
    """A table of keys, put into a link file if one is given. The answer is no if no key was found."""
    given = [name.strip() for name in names.split(",")] if names else []
    with pieces_of(file, port) as pieces:
        try:
            learned = learn(pieces, given)
        except ValueError as error:
            raise Trouble(f"{port or name_of(file or Path('-'))}: {error}") from None
    if as_json:
        shape = learned.shape._asdict() if learned.shape else None
        say_json(
            {"keys": [key._asdict() for key in learned.keys], "shape": shape, "warnings": learned.warnings}
        )
    else:
        _print_learnt(learned)
    if learned.keys and link_file:
        _write(learned, link_file, as_json)
    elif learned.keys and not as_json:
        say("nothing written; add --write LINK to put these into a link file")
    return DONE if learned.keys else NO


def _print_learnt(learned: Learned) -> None:
    out = console()
    columns = ["key", "code", ">address", ">command", ">presses", "while held"]
    rows = [
        (
            key.name,
            key.protocol,
            "-" if key.address is None else f"{key.address}",
            f"{key.command} (0x{key.command:02X})",
            f"{key.presses}",
            "repeats" if key.repeats else "not seen to repeat",
        )
        for key in learned.keys
    ]
    out.print(table("the keys", columns, rows) if rows else "no key was found in it")
    if learned.shape:
        out.print(f"  its shape, in us: {_shape_words(learned.shape)}\n", soft_wrap=True)
    for warning in learned.warnings:
        say(f"  warning  {warning}")


def _shape_words(shape: Shape) -> str:
    header = f"header {shape.header[0]}/{shape.header[1]}, " if shape.header[0] else ""
    return (
        f"{header}0 is {shape.zero[0]}/{shape.zero[1]}, 1 is {shape.one[0]}/{shape.one[1]}, "
        f"{shape.bits} bits, every {shape.period_us}"
    )


def _write(learned: Learned, link_file: Path, as_json: bool) -> None:
    medium = data_of(read_text(link_file), str(link_file)).get("medium")
    kind = medium.get("kind") if isinstance(medium, dict) else None
    if kind != "infrared":
        raise Trouble(
            f'{link_file}: its medium is {kind}; write kind = "infrared" and a protocol there first'
        )
    protocol, address = Counter((key.protocol, key.address) for key in learned.keys).most_common(1)[0][0]
    changes: dict[tuple[str, ...], Any] = {("medium", "protocol"): protocol}
    if address is not None:
        changes["medium", "address"] = address
    if learned.shape:
        changes["medium", "shape"] = {
            name: list(value) if isinstance(value, tuple) else value
            for name, value in learned.shape._asdict().items()
        }
    mine: list[Key] = []
    for key in learned.keys:
        if (key.protocol, key.address) != (protocol, address):
            continue
        if not re.match(NAME_PATTERN, key.name):
            raise Trouble(f'"{key.name}" cannot be the name of a control: small letters, digits and _ only')
        changes["controls", key.name, "kind"] = "key"
        changes["controls", key.name, "code"] = Hex(key.command)
        mine.append(key)
    write_into(link_file, changes)
    if not as_json:
        say(f"{link_file}: {len(mine)} keys of {protocol} written, comments kept")


def run_make(
    what: str | None,
    link_file: Path | None,
    address: int,
    command: int | None,
    key: str | None,
    repeats: int,
) -> int:
    """Timings of a press, as text."""
    if link_file is not None:
        say(write_timings(_press_of_link(link_file, key, repeats)))
        return DONE
    if command is None or what is None:
        raise Trouble(
            "give a code and its --command, or a link file with --link and one of its keys with --key"
        )
    try:
        say(write_timings(press(what, address, command, repeats)))
    except ValueError as error:
        raise Trouble(str(error)) from None
    return DONE


def _press_of_link(link_file: Path, key: str | None, repeats: int) -> list[int]:
    from nuvrik.plan.controls import KeyControl
    from nuvrik.plan.problems import suggestion

    link = load(link_file)
    medium = link.medium
    if not isinstance(medium, InfraredMedium):
        raise Trouble(f"{link_file}: its medium is {medium.kind}, not infrared")
    codes = {name: c.code for name, c in link.controls.items() if isinstance(c, KeyControl)}
    code = codes.get(key or "")
    if code is None:
        raise Trouble(f'{link_file}: there is no key "{key or ""}": {suggestion(key or "", codes)}')
    shape = shape_of(medium)
    if shape:
        return learned_press(shape, code, repeats)
    return press(medium.protocol, medium.address, code, repeats)


command = typer.Typer(
    help="Read, learn and make the codes of remote controls.",
    no_args_is_help=True,
    rich_markup_mode=None,
)
Timings = Annotated[
    Path | None, typer.Argument(metavar="TIMINGS", help="Microseconds, + mark, - space; - is stdin.")
]
Listener = Annotated[
    str | None,
    typer.Option(
        "--port", metavar="PORT", help="Hear a listener, or raw:DEVICE of the system, until Ctrl-C."
    ),
]


@command.command("read")
@speaks_plainly
def infrared_read(
    file: Timings = None,
    port: Listener = None,
    link: Annotated[
        Path | None, typer.Option("--link", metavar="LINK", help="Read the learned shape of this link too.")
    ] = None,
    figure: Annotated[
        Path | None,
        drawn("--figure", "Write a picture of the first code, bit by bit."),
    ] = None,
    as_json: Json = False,
) -> int:
    """Find the codes in timings.

    What is damaged, and what is noise, is read as no code; a shape that nobody published is called unknown.
    """
    return run_read(file, port, link, figure, as_json)


@command.command("learn")
@speaks_plainly
def infrared_learn(
    file: Timings = None,
    port: Listener = None,
    names: Annotated[
        str | None, typer.Option("--names", metavar="A,B,...", help="Names, in the order of the presses.")
    ] = None,
    write: Annotated[
        Path | None, typer.Option("--write", metavar="LINK", help="Put the keys into this link file.")
    ] = None,
    as_json: Json = False,
) -> int:
    """Make a table of keys from a recording of presses.

    Press each button a few times.
    A line "# NAME" in the recording names the button pressed from there on.
    """
    return run_learn(file, port, names, write, as_json)


@command.command("make")
@speaks_plainly
def infrared_make(
    code: Annotated[
        str | None, typer.Argument(metavar="[CODE]", help="nec, nec_extended, rc5, rc6, sirc12, 15 or 20.")
    ] = None,
    address: Annotated[int, typer.Option("--address", help="The address.")] = 0,
    command: Annotated[int | None, typer.Option("--command", help="The command.")] = None,
    link: Annotated[
        Path | None, typer.Option("--link", metavar="LINK", help="Make a key of this link instead.")
    ] = None,
    key: Annotated[str | None, typer.Option("--key", metavar="NAME", help="The key of that link.")] = None,
    repeats: Annotated[
        int, typer.Option("--repeats", min=0, max=1000, help="How long it is held, in more frames.")
    ] = 0,
) -> int:
    """Print the timings of a press, in microseconds."""
    return run_make(code, link, address, command, key, repeats)
