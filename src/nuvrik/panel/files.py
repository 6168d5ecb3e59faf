"""The files of the page: the same for every link, read once."""

from importlib.resources import files
from typing import NamedTuple

KINDS = {".html": "text/html", ".css": "text/css", ".js": "text/javascript"}


class StaticFile(NamedTuple):
    """One file, and what it is."""

    kind: str
    data: bytes


def static_files() -> dict[str, StaticFile]:
    """By path. Anything else is not there."""
    found = {}
    for one in files("nuvrik.panel").joinpath("static").iterdir():
        ending = "." + one.name.rpartition(".")[2]
        if ending in KINDS:
            found[f"/{one.name}"] = StaticFile(KINDS[ending], one.read_bytes())
    found["/"] = found["/index.html"]
    return found
