"""What the commands are that drive a link, real or simulated; what they do is imported when one is called."""

from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.options import Json, LinkFile, PortName
from nuvrik.cli.words import speaks_plainly

Sources = Annotated[
    list[str],
    typer.Option(
        "--from",
        metavar="SOURCE",
        help="pad, pad:1, keys, board:PORT, - (CSV lines of a program) or a recording; several, if need be. "
        "NAME=SOURCE gives one the name that the link file has for it.",
    ),
]

HandsetLogFile = Annotated[
    Path | None,
    typer.Option("--log", metavar="FILE", help="Write all that is read, sent and heard here, as CSV."),
]


@speaks_plainly
def drive(
    link: LinkFile,
    port: PortName,
    source: Sources,
    log: HandsetLogFile = None,
    headless: Annotated[bool, typer.Option("--headless", help="Print no status lines.")] = False,
    at_once: Annotated[
        bool, typer.Option("--at-once", help="With --port sim: take no longer than the computing does.")
    ] = False,
) -> int:
    """Be the handset, from whatever hands there are.

    Ctrl-C, or the end of all sources, sends sticks at rest and arm off before it leaves. A terminal does not
    tell when a key is let go, so that with --from keys a key counts as released only a while after its last
    arrival. With --port sim the digits make faults of the rehearsal, and what comes of each is judged.
    """
    from nuvrik.cli.drive import run

    return run(link, port, source, log, headless, at_once)


@speaks_plainly
def panel(
    link: LinkFile,
    port: PortName,
    source: Annotated[
        list[str] | None,
        typer.Option(
            "--from",
            metavar="SOURCE",
            help="Hands at the host besides: pad, board:PORT, as of drive.",
        ),
    ] = None,
    at: Annotated[
        int, typer.Option("--at", metavar="N", min=0, max=65535, help="The number of the web port; 0: any.")
    ] = 0,
    listen: Annotated[
        list[str] | None,
        typer.Option("--listen", metavar="NAME", help="A name or address of this computer, for phones."),
    ] = None,
    cert: Annotated[
        Path | None, typer.Option("--cert", metavar="PEM", help="A certificate: the page comes over TLS.")
    ] = None,
    key: Annotated[
        Path | None, typer.Option("--key", metavar="PEM", help="Its key, if that is not in the same file.")
    ] = None,
    log: HandsetLogFile = None,
    qr: Annotated[bool, typer.Option("--qr", help="Show the link as a code, for a phone.")] = False,
    opens: Annotated[bool, typer.Option("--open/--no-open", help="Open it in a browser here.")] = True,
) -> int:
    """Be the handset from a page in a browser.

    The page drives once it has taken the hand; Space and Esc on it stop. The link that is printed lets in
    whoever has it, until the program ends. Ctrl-C sends sticks at rest and arm off before it leaves.
    """
    from nuvrik.cli.panel import run

    return run(link, port, source or [], at, listen or [], cert, key, log, qr, opens)


@speaks_plainly
def record(
    link: LinkFile,
    source: Sources,
    out: Annotated[
        Path | None, typer.Option("--out", metavar="FILE", help="Write the recording here, as CSV.")
    ] = None,
    for_s: Annotated[float | None, typer.Option("--for-s", min=0, help="End after so many seconds.")] = None,
    assign: Annotated[
        bool, typer.Option("--assign", help="Ask which stick is which, and write it into the link file.")
    ] = False,
) -> int:
    """Record raw readings of any source, ready for calibrate.

    --from page opens a page in a browser, as panel does, and records what is done on it.
    It shows what has been seen of every control as it goes. Nothing is sent and nothing moves. Ctrl-C ends
    it. With --assign it asks for one control after the other, and writes what moved as its source.
    """
    from nuvrik.cli.record import run

    return run(link, source, out, for_s, assign)


@speaks_plainly
def machine(
    link: LinkFile,
    port: PortName,
    log: Annotated[
        Path | None,
        typer.Option("--log", metavar="FILE", help="Write the log here, as CSV, and not to the screen."),
    ] = None,
    why: Annotated[
        bool, typer.Option("--why", help="Say on stderr why each output does what it does.")
    ] = False,
    for_s: Annotated[float | None, typer.Option("--for-s", min=0, help="End after so many seconds.")] = None,
    watchdog: Annotated[
        Path | None, typer.Option("--watchdog", metavar="FILE", help="A watchdog device to keep quiet.")
    ] = None,
    code: Annotated[
        Path | None,
        typer.Option("--code", metavar="FILE", help="Your own functions, for outputs, sensors and requests."),
    ] = None,
    each_byte: Annotated[
        bool, typer.Option("--bytes", help="Log also every byte that comes and goes, for inspect.")
    ] = False,
) -> int:
    """Be the machine: log what each output is told to do.

    It writes a row of CSV whenever something changes. However it ends, it first brings every output to rest.
    With --code it is a machine with motors: a file of Python has tables OUTPUTS, SENSORS and REQUESTS of
    functions by name. A function that raises, or takes longer than 250 ms, stops the machine and is named.
    """
    from nuvrik.cli.machine import run_machine_command

    return run_machine_command(link, port, log, why, for_s, watchdog, code, each_byte)


@speaks_plainly
def ask(
    link: LinkFile,
    words: Annotated[
        list[str] | None,
        typer.Argument(metavar="REQUEST NAME=VALUE...", help="A request, or only CHANNEL=VALUE..."),
    ],
    port: PortName,
    for_s: Annotated[
        float | None, typer.Option("--for-s", min=0, max=3600, help="Set channels for so many seconds (1).")
    ] = None,
    as_json: Json = False,
) -> int:
    """Make one request, or set channels for a while.

    Values are as in the link file: levels -1 to 1, flags on or off, a choice by its name. It arms where that
    is needed, and disarms before it leaves.
    """
    from nuvrik.cli.ask import run

    return run(link, words or [], port, for_s, as_json)


@speaks_plainly
def jog(
    link: LinkFile,
    output: Annotated[
        str, typer.Argument(metavar="OUTPUT", help="An output, a side (left, right), or several: A,B.")
    ],
    port: PortName,
    level: Annotated[
        float, typer.Option("--level", min=0.02, max=0.5, help="How far to move it, 0.02 to 0.5 of full.")
    ] = 0.25,
    for_ms: Annotated[
        int, typer.Option("--for-ms", min=50, max=500, help="For how long, 50 to 500 ms.")
    ] = 300,
    find_start: Annotated[bool, typer.Option("--find-start", help="Raise the duty until it moves.")] = False,
    sweep: Annotated[
        Path | None,
        typer.Option("--sweep", metavar="FILE", help="Write a log of duty and speed, up and down."),
    ] = None,
) -> int:
    """Move an output or a side a little: which way does it turn?

    It asks whether it went the right way, and writes reverse into the link file if not. A servo is moved
    outwards from the centre to find its travel. It arms for each move, and disarms after it. With --sweep,
    and a shaft counter, it measures a motor's speed at each duty, for calibrate --output.
    """
    from nuvrik.cli.jog import run

    return run(link, output, port, level, for_ms, find_start, sweep)
