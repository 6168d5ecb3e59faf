"""Options that several commands have, and what may be given to them."""

from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import typer

from nuvrik.cli.words import COULD_NOT, leave

PICTURES = (".png", ".svg", ".pdf")


def drawn(option: str, what: str) -> Any:
    """An option that names a picture to be drawn."""
    return typer.Option(option, metavar="PNG", callback=_picture, help=what)


def _picture(path: Path | None) -> Path | None:
    return _ending_in(PICTURES, "a picture", path)


def page(path: Path | None) -> Path | None:
    return _ending_in((".html", ".htm"), "a page", path)


def _ending_in(endings: tuple[str, ...], what: str, path: Path | None) -> Path | None:
    """A slip of the hand must not write over a link file."""
    if path is not None and path.suffix.lower() not in endings:
        raise typer.BadParameter(f"{path}: the name of {what} ends in {', '.join(endings)}")
    return path


OLD_OPTIONS = {"--lean-us": "--mark-stretch-us"}
"""Options of before, and what they are called now."""

OLD_BUDGET = ("--clock-hz", "--uart", "--pwm", "--servo", "--instead-hz", "--other-clock-hz")
"""Options that `budget` had, which now belong to a command of their own."""


def refuse_old_options(words: Sequence[str]) -> None:
    """End the program, in words that help, where an option is given that has another name now."""
    options = [word.partition("=")[0] for word in words]
    for option in options:
        if option in OLD_OPTIONS:
            leave(f"{option} is now called {OLD_OPTIONS[option]}", COULD_NOT)
        if options[:1] == ["budget"] and option in OLD_BUDGET:
            leave(f"budget {option}: the sums of a clock are now called nuvrik clock --hz HZ", COULD_NOT)


Json = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]

LinkFile = Annotated[Path, typer.Argument(metavar="LINK", help="The link file.")]
PortName = Annotated[
    str,
    typer.Option(
        "--port",
        metavar="PORT",
        help="A device; socket://HOST:PORT or udp://HOST:PORT, without HOST to listen; spi:DEVICE,ce=LINE; "
        "or sim.",
    ),
]
Board = Annotated[
    str,
    typer.Option(
        "--board",
        metavar="BOARD",
        help="In C sketch, atmega328p, atmega2560, cortex_m3, posix or blank; in MicroPython rp2040, esp32, "
        "esp32s3, esp32c3, any or posix.",
    ),
]

From = Annotated[Path | None, typer.Option("--from", metavar="RECORDING", help="A pilot's recording, CSV.")]
Loss = Annotated[float, typer.Option("--loss", help="Share of frames lost one by one, 0 to 1.")]
Burst = Annotated[float, typer.Option("--burst-loss", help="Share of frames lost in bursts, 0 to 0.95.")]
BurstFrames = Annotated[float, typer.Option("--burst-frames", help="Mean length of a burst, in frames.")]
BitErrors = Annotated[float, typer.Option("--bit-errors", help="Share of bits inverted, 0 to 1.")]

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
