"""Numbers written into a link file, with everything else in it, comments above all, left as it is."""

import os
import tempfile
from pathlib import Path
from typing import Any

from nuvrik.plan.load import parse, read_text


def edited(text: str, changes: dict[tuple[str, ...], Any]) -> str:
    """The text of a link file with some keys set: path of the key -> value. KeyError for a section
    that is not there."""
    import tomlkit

    document = tomlkit.parse(text)
    for path, value in changes.items():
        place: Any = document
        for part in path[:-1]:
            place = place[part]
        item = tomlkit.item(value)
        if path[-1] in place and hasattr(place[path[-1]], "trivia"):
            # The comment behind a number stays behind it.
            old = place[path[-1]].trivia
            item.trivia.comment, item.trivia.comment_ws = old.comment, old.comment_ws
        place[path[-1]] = item
    return tomlkit.dumps(document)


def write_into(file: Path, changes: dict[tuple[str, ...], Any]) -> None:
    """Set some keys in a link file. It is replaced whole or not at all, and only by a good one:
    :class:`~nuvrik.plan.problems.LinkFileError` says what would be wrong with the new one."""
    text = edited(read_text(file), changes)
    parse(text, f"{file} (as it would be written)")
    descriptor, made = tempfile.mkstemp(dir=file.parent, prefix=f".{file.name}.")
    try:
        with os.fdopen(descriptor, "w", encoding="utf-8", newline="") as target:
            target.write(text)
        Path(made).chmod(file.stat().st_mode)
        Path(made).replace(file)
    except BaseException:
        Path(made).unlink(missing_ok=True)
        raise
