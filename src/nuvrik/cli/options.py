"""Options that several commands have, and what may be given to them."""

from pathlib import Path
from typing import Annotated, Any

import typer

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


Json = Annotated[bool, typer.Option("--json", help="Print JSON instead of tables.")]
