"""``nuvrik export``: firmware for a microcontroller, or a life for any other implementation."""

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer

from nuvrik.cli.options import Board, LinkFile
from nuvrik.cli.words import DONE, NO, Trouble, busy, console, say, speaks_plainly
from nuvrik.plan.form.media import InfraredMedium, Packets, UdpMedium, chip_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load, parse, read_text
from nuvrik.plan.problems import Problem, listing, suggestion
from nuvrik.ports.files import write_file

C, MICROPYTHON = "c", "micropython"
TARGETS = (C, MICROPYTHON)


@dataclass
class Options:
    """What is to be written, and whereto."""

    to: str
    end: str
    board: str
    out: Path | None
    packets: bool
    wire: bool
    one_way: bool
    readable: bool
    precompiled: bool
    verify: Path | None
    vectors: Path | None
    seed: int
    steps: int


def run_export(file: Path, options: Options) -> int:
    """Write firmware or vectors, or look through what was written."""
    if options.verify is not None:
        return _verify(file, options.verify)
    if options.vectors is not None:
        return _write_vectors(file, options.vectors, options.seed, options.steps)
    if options.out is None:
        raise Trouble("say whereto: --out DIR for firmware, --vectors FILE for a random life as JSON")
    return _write_firmware(file, options, options.out)


# ---- firmware ----


def _write_firmware(file: Path, options: Options, folder: Path) -> int:
    from nuvrik.export.boards import BRIDGE
    from nuvrik.export.firmware import SKETCH_FILE
    from nuvrik.export.folder import Foreign, may_write, write_export

    _known(options)
    text = read_text(file)
    link = parse(text, str(file))
    if _driven(link, options):
        options.packets = True
    if options.end == BRIDGE or (options.to == MICROPYTHON and isinstance(link.medium, UdpMedium)):
        # A bridge is there for packets, and datagrams are some.
        options.packets = True
    if options.one_way:
        _one_way(link, options.end)
    found = [*_misfits(link, file.name, options), *_unread(link, options)]
    problems = [one for one in found if one.level == "error"]
    if problems:
        return _does_not_fit(link, options.board, problems)
    what = _what(options)
    try:
        may_write(folder, what)
    except (Foreign, OSError) as error:
        raise Trouble(str(error)) from None
    made = _made(link, file.name, what)
    if SKETCH_FILE in made.own:
        made.own[f"{folder.resolve().name}.ino"] = made.own.pop(SKETCH_FILE)
    room, problems = _looked_for_room(made, options)
    if problems:
        return _does_not_fit(link, options.board, problems)
    try:
        new, kept = write_export(folder, what, text, made.files, made.own)
    except Foreign as error:
        raise Trouble(str(error)) from None
    except OSError as error:
        raise Trouble(f"{error.filename or folder}: cannot be written: {error.strerror}") from None
    say(
        f"{folder}: {link.name}, the {options.end}'s end for {options.board}: {len(made.files)} files written"
    )
    if room:
        say(f"  {room}")
    for name in new:
        say(f"{folder / name}: yours, written this once")
    for edited in kept:
        say(f"{folder / edited.name}: had been edited; what you had is now {edited.beside}")
    for one in found:
        say(f"{one.level}: {one.line}")
    say(f"next: {_next(options, folder)}")
    return DONE


def _driven(link: Link, options: Options) -> bool:
    """Whether it goes by a radio chip that core drives."""
    medium = chip_of(link.medium)
    if medium is None:
        return False
    if options.packets:
        raise Trouble(f"--packets is for a driver of your own; {link.name} has one, the {medium.driver}'s")
    return not options.wire and options.board != "posix"


def _known(options: Options) -> None:
    """Trouble for a word that is none."""
    from nuvrik.export.boards import BOARDS, ENDS
    from nuvrik.export.python_chips import PYTHON_BOARDS

    if options.to not in TARGETS:
        raise Trouble(f'--to: there is no "{options.to}": {suggestion(options.to, TARGETS)}')
    known = BOARDS if options.to == C else PYTHON_BOARDS
    options.board = options.board or known[0]
    for given, ones, option in ((options.end, ENDS, "--end"), (options.board, known, "--board")):
        if given not in ones:
            raise Trouble(f'{option}: there is no "{given}" for {options.to}: {suggestion(given, ones)}')
    if options.to == C and (options.readable or options.precompiled):
        raise Trouble("--readable and --precompiled are for --to micropython")
    if options.precompiled and (options.readable or options.board == "posix"):
        raise Trouble("--precompiled: byte code is for chips, and nobody can read it")


def _what(options: Options) -> dict[str, Any]:
    """What is exported, as export.json keeps it."""
    what: dict[str, Any] = {"to": options.to, "end": options.end, "board": options.board}
    what["packets"] = options.packets
    return what | {name: True for name in ("one_way", "readable", "precompiled") if getattr(options, name)}


def _next(options: Options, folder: Path) -> str:
    if options.board == "sketch":
        return f"open {folder} in your sketch editor, and read {folder / 'README.md'}"
    if options.to == C:
        return f"make -C {folder}, and read {folder / 'README.md'}"
    return f"read {folder / 'README.md'}"


def _does_not_fit(link: Link, board: str, problems: list[Problem]) -> int:
    out = console()
    out.print((link.name, "bold"), f" does not fit on {board}; nothing has been written:")
    for one in problems:
        out.paragraph(f"  {one.line}")
    return NO


def _looked_for_room(made: Any, options: Options) -> tuple[str, list[Problem]]:
    """How much of a chip it takes, in words, and what does not fit."""
    from nuvrik.export.chips import CHIPS
    from nuvrik.export.memory import overfull, taken

    board = options.board
    if options.to != C or board not in CHIPS:
        return "", []
    with busy("building it, to see whether it fits"):
        found = taken(made.files | made.own)
    if found is None:
        return "whether it fits has not been looked at: there is no avr-gcc here", []
    chip = CHIPS[board]
    larger = next((name for name, one in CHIPS.items() if one.ram > chip.ram), "")
    words = f"it takes {found.flash} of {chip.flash} bytes of flash, and {found.ram} of {chip.ram} of RAM"
    return words, overfull(chip, found, larger)


def _one_way(link: Link, end: str) -> None:
    from nuvrik.export.boards import MACHINE, wants_answers

    if end != MACHINE:
        raise Trouble("--one-way: it is the machine that answers or does not; say --end machine")
    wants = " and ".join(wants_answers(link))
    if wants:
        raise Trouble(f"--one-way: {link.name} has {wants}, and there would be no way back")


def _misfits(link: Link, file: str, options: Options) -> list[Problem]:
    from nuvrik.export.boards import (
        BRIDGE,
        HANDSET,
        LISTENER,
        MACHINE,
        RADIO_BENCHES,
        SKETCH,
        misfits,
        sketch_misfits,
    )
    from nuvrik.export.chips import CHIPS
    from nuvrik.export.python_chips import misfits_of

    board, end = options.board, options.end
    if link.authenticated and end in (MACHINE, HANDSET):
        _has_key(link, options)
    if end == LISTENER and not isinstance(link.medium, InfraredMedium):
        raise Trouble(f"--end listener: {link.name} is no remote control's link; it has nothing to listen to")
    if end in RADIO_BENCHES and not options.packets:
        raise Trouble(f"--end {end}: {link.name} names no radio chip that is driven for it")
    if end == BRIDGE and isinstance(link.medium, InfraredMedium):
        raise Trouble(f"{link.name} is a remote control's link; a bridge hands packets on")
    if end == BRIDGE and not (isinstance(link.medium, Packets) and link.frame.sealed):
        raise Trouble(f"{link.name} needs no bridge: its frames are no packets of a module")
    if options.to == MICROPYTHON:
        return list(misfits_of(_wanted(link, file, _what(options))))
    if board == SKETCH:
        return list(sketch_misfits(link, end, packets=options.packets))
    if board not in CHIPS:
        return []
    return list(misfits(link, CHIPS[board], end, packets=options.packets))


def _has_key(link: Link, options: Options) -> None:
    """Trouble for what cannot have a key so far."""
    if options.one_way:
        raise Trouble(f"--one-way: {link.name} has a key, and its ends have to meet first")
    from nuvrik.export.chips import CHIPS

    if options.to == C and options.board != "posix" and options.board not in CHIPS:
        raise Trouble(
            f"{link.name} has a key, which C for {options.board} cannot have: nothing is known of it that "
            f"is never there twice; posix, {listing(CHIPS)} and every board with MicroPython have that"
        )


def _unread(link: Link, options: Options) -> list[Problem]:
    """A handset that reads nothing compiles, and stays silent for ever."""
    from nuvrik.export.boards import HANDSET, uses_of_inputs

    if options.end != HANDSET or uses_of_inputs(link, HANDSET):
        return []
    what = "none has a pin, so this board reads none and sends nothing"
    call = "nuvrik_read()" if options.to == C else "own.read()"
    do = f"give each a pin in the link file, or readings from your own code, by {call}"
    return [Problem("warning", "controls", what, do)]


def _wanted(link: Link, file: str, what: dict[str, Any]) -> Any:
    from nuvrik.export.wanted import Wanted

    packets, answers = bool(what["packets"]), not what.get("one_way", False)
    return Wanted(link, file, what["board"], packets, what["end"], answers)


def _made(link: Link, file: str, what: dict[str, Any]) -> Any:
    from nuvrik.export.firmware import firmware
    from nuvrik.export.micropython import How, NotThere, micropython

    wanted = _wanted(link, file, what)
    if what["to"] == C:
        return firmware(wanted)
    try:
        with busy("leaving out what this link does without"):
            return micropython(wanted, How(bool(what.get("readable")), bool(what.get("precompiled"))))
    except NotThere as error:
        raise Trouble(str(error)) from None


# ---- what was written ----


def _verify(file: Path, folder: Path) -> int:
    from nuvrik.export.folder import Foreign, keys_apart, look_through, read_manifest
    from nuvrik.plan.tables.ends import build_tags

    try:
        manifest = read_manifest(folder)
    except (Foreign, OSError) as error:
        raise Trouble(str(error)) from None
    if manifest is None:
        raise Trouble(f"{folder}: there is no export in it (no export.json)")
    text = read_text(file)
    link = parse(text, str(file))
    out = console()
    if not manifest.whole:
        out.print(f"{folder}: the export was broken off half-way; export again")
        return NO
    looked = look_through(folder, manifest, _made(link, file.name, manifest.what).files)
    if looked.good:
        out.print(f"{folder}: is what {file} means, file by file")
        return DONE
    for name in looked.missing:
        out.print("  ", ("missing", "red"), f"  {name}")
    for name in looked.edited:
        out.print("  ", ("edited", "red"), f"   {name}: your changes go aside at the next export")
    was = parse(manifest.link, f"{folder}'s link file")
    sections = build_tags(was).apart(build_tags(link))
    if sections:
        out.print(f"  {file} means something else now, in: ", (", ".join(sections), "bold"))
        for line in keys_apart(manifest.link, text):
            out.print(f"    {line}")
    elif looked.old:
        out.print(f"  {file} means the same, but these would be written otherwise: {', '.join(looked.old)}")
    out.print("export again, and flash the board")
    return NO


# ---- vectors ----


def _write_vectors(file: Path, vectors: Path, seed: int, steps: int) -> int:
    link = load(file)
    if isinstance(link.medium, InfraredMedium):
        raise Trouble(
            f"{link.name} is a remote control's link; vectors are of frames, and its receiver sees codes"
        )
    from nuvrik.cli.tables import record
    from nuvrik.export.traces.driver import Life
    from nuvrik.export.traces.runners import lived

    life = Life(link, seed)
    head = {"link": link.name, "seed": seed, "stream": life.stream, "outputs": life.kinds}
    lines = [json.dumps(head | {"tables": record(life.table)})]
    lines += [json.dumps(one) for one in lived(life, steps)]
    write_file(vectors, "\n".join(lines) + "\n")
    say(f"{vectors}: written, {steps} steps of a life, one a line")
    return DONE


@speaks_plainly
def command(
    link: LinkFile,
    to: Annotated[str, typer.Option("--to", metavar="LANGUAGE", help="c or micropython.")] = "c",
    end: Annotated[
        str,
        typer.Option(
            "--end",
            metavar="END",
            help="machine, handset, bridge, listener, radio-bench or radio-bench-handset.",
        ),
    ] = "machine",
    board: Board = "",
    out: Annotated[Path | None, typer.Option("--out", metavar="DIR", help="Write firmware there.")] = None,
    packets: Annotated[
        bool, typer.Option("--packets", help="Frames go to a radio module's driver, of your own, as packets.")
    ] = False,
    wire: Annotated[
        bool, typer.Option("--wire", help="Over the board's serial line in place of its radio, to try it.")
    ] = False,
    one_way: Annotated[
        bool, typer.Option("--one-way", help="The machine only listens: no answers, and less room taken.")
    ] = False,
    readable: Annotated[
        bool,
        typer.Option("--readable", help="MicroPython: core as it is, with its comments; takes more room."),
    ] = False,
    precompiled: Annotated[
        bool, typer.Option("--precompiled", help="MicroPython: as byte code, which takes the least room.")
    ] = False,
    verify: Annotated[
        Path | None,
        typer.Option("--verify", metavar="DIR", help="Is what was written there still what the link means?"),
    ] = None,
    vectors: Annotated[
        Path | None,
        typer.Option("--vectors", metavar="FILE", help="Write a random life of the machine as JSON lines."),
    ] = None,
    seed: Annotated[int, typer.Option("--seed", help="Which life.")] = 0,
    steps: Annotated[int, typer.Option("--steps", min=1, max=1_000_000, help="How long it is.")] = 5000,
) -> int:
    """Write firmware for either end, in C or in MicroPython.

    What is generated says so, and is made anew each time; main.c or main.py is yours, and is written once.
    """
    how = to, end, board, out, packets, wire, one_way, readable, precompiled
    return run_export(link, Options(*how, verify, vectors, seed, steps))
