"""What the commands are that drive a link, real or simulated; what they do is imported when one is called."""

from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.options import LinkFile, PortName
from nuvrik.cli.words import speaks_plainly


@speaks_plainly
def drive(
    link: LinkFile,
    port: PortName,
    source: Annotated[Path, typer.Option("--from", metavar="RECORDING", help="A pilot's recording, CSV.")],
    headless: Annotated[bool, typer.Option("--headless", help="Print no status line.")] = False,
) -> int:
    """Be the handset: play a recording into a port.

    Ctrl-C, or the end of the recording, sends sticks at rest and arm off before it leaves.
    """
    from nuvrik.cli.live import run_drive

    return run_drive(link, port, source, headless)


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
) -> int:
    """Be the machine: log what each output is told to do.

    It writes a row of CSV whenever something changes. However it ends, it first brings every output to rest.
    """
    from nuvrik.cli.live import run_machine_command

    return run_machine_command(link, port, log, why, for_s, watchdog)


@speaks_plainly
def jog(
    link: LinkFile,
    output: Annotated[str, typer.Argument(metavar="OUTPUT", help="The output to move.")],
    port: PortName,
    level: Annotated[
        float, typer.Option("--level", min=0.02, max=0.5, help="How far to move it, 0.02 to 0.5 of full.")
    ] = 0.25,
    for_ms: Annotated[
        int, typer.Option("--for-ms", min=50, max=500, help="For how long, 50 to 500 ms.")
    ] = 300,
    find_start: Annotated[bool, typer.Option("--find-start", help="Raise the duty until it moves.")] = False,
) -> int:
    """Move one output a little, to see which way it turns.

    It asks whether the output went the right way, and writes reverse into the link file if not. A servo is
    moved outwards from the centre to find its travel. It arms for each move, and disarms after it.
    """
    from nuvrik.cli.jog import run

    return run(link, output, port, level, for_ms, find_start)
