"""A link file changed in place: replaced whole or not at all, and only by a good one."""

import os
import tempfile
from pathlib import Path
from typing import Any

from nuvrik.plan.edit import edited
from nuvrik.plan.load import parse, read_text


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
