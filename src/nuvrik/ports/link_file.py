"""A link file changed in place: replaced whole or not at all, and only by a good one."""

from pathlib import Path
from typing import Any

from nuvrik.plan.edit import NoSectionError, edited
from nuvrik.plan.load import data_of, parse, read_text
from nuvrik.plan.problems import LinkFileError, Problem
from nuvrik.ports.files import write_file


def write_into(file: Path, changes: dict[tuple[str, ...], Any]) -> None:
    """Set some keys in a link file. It is replaced whole or not at all, and only by a good one:
    ``nuvrik.plan.problems.LinkFileError`` says what would be wrong with the new one."""
    before = read_text(file)
    data_of(before, str(file))  # a hand may have edited it since it was loaded
    try:
        text = edited(before, changes)
    except NoSectionError as error:
        problem = Problem("error", str(error), "is not a section", f"write [{error}], or take it out")
        raise LinkFileError(str(file), [problem]) from None
    parse(text, f"{file} (as it would be written)")
    write_file(file, text, over=True)
