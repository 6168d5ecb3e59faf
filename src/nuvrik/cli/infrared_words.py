"""The words of ``nuvrik infrared``: read, learn, make."""

from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.options import Json, drawn
from nuvrik.cli.words import speaks_plainly

infrared = typer.Typer(
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


@infrared.command("read")
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
    from nuvrik.cli.infrared import run_read

    return run_read(file, port, link, figure, as_json)


@infrared.command("learn")
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
    from nuvrik.cli.infrared import run_learn

    return run_learn(file, port, names, write, as_json)


@infrared.command("make")
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
    from nuvrik.cli.infrared import run_make

    return run_make(code, link, address, command, key, repeats)
