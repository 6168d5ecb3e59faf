"""Texts that are filled in."""

from pathlib import Path
from typing import Any


def filled(folder: Path, name: str, words: dict[str, Any]) -> str:
    """The template of a file, with words in it; an unknown word is an error."""
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    made = Environment(
        loader=FileSystemLoader(folder),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        keep_trailing_newline=True,
    )
    return made.get_template(f"{name}.jinja").render(words)
