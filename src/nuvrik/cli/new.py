"""``nuvrik new``: a link file to start from."""

import random
import re
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.words import DONE, Trouble, say, speaks_plainly
from nuvrik.plan.form.models import schema_text
from nuvrik.plan.problems import suggestion
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.ports.files import write_file

SCHEMA = "link.schema.json"
"""What the first line of every starter names."""


def write_new(file: Path, like: str) -> int:
    """Copy a starter, give it a pair number of its own, and say what to do next."""
    if like not in starter_names():
        raise Trouble(f'there is no starter "{like}": {suggestion(like, starter_names())}')
    pair = random.SystemRandom().randint(1, 255)
    text = re.sub(r"^pair = \d+", f"pair = {pair}", starter_text(like), count=1, flags=re.MULTILINE)
    try:
        write_file(file, text, new=True)
    except FileExistsError:
        raise Trouble(f"{file}: is there already; choose another name, or move it away") from None
    say(f"{file}: written, like {like}, with pair number {pair}")
    schema = file.with_name(SCHEMA)
    if not schema.exists():
        write_file(schema, schema_text())
        say(f"{schema}: written beside it, so that an editor completes and checks keys")
    say(f"next: nuvrik check {file}")
    return DONE


@speaks_plainly
def command(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="The link file to write.")],
    like: Annotated[str, typer.Option("--like", metavar="NAME", help="The starter to copy.")] = "tug",
) -> int:
    """Write a commented link file to start from.

    It gets a pair number of its own, so that two links made from one starter stay apart.
    """
    return write_new(file, like)
