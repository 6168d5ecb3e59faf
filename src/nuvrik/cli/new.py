"""``nuvrik new``: a link file to start from."""

import random
import re
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.words import DONE, Trouble, say, speaks_plainly
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import schema_text
from nuvrik.plan.keys import Key, new_key, write_key
from nuvrik.plan.load import examine, parse
from nuvrik.plan.problems import Problem, suggestion
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.ports.files import write_file
from nuvrik.wire.authenticated import key_id

SCHEMA = "link.schema.json"
"""What the first line of every starter names."""


TOLD = """
[telemetry.leak]                     # added: with a key something has to come back, if only this
kind = "digital"
every_ms = 200
"""

GUARDS_MS = (300, 500, 700, 1000, 2000, 4000)
"""How old what a command is made from may be; the least that the link has time for is taken."""


def with_key(text: str, file: Path, key_file: Path) -> str:
    """A link file that names a key, and has all that it then needs. Trouble where it cannot have one."""
    plain = parse(text)
    if not plain.frame.sealed or isinstance(plain.medium, InfraredMedium):
        why = f'frames of style "{plain.frame.style}" over {plain.medium.kind} have no room for a tag'
        raise Trouble(f'--with-key: {why}; "packed" and "slip" have')
    text = text.replace("[frame]\n", f'[frame]\nkey_file = "{key_file.name}"\n', 1)
    if "\n[telemetry" not in text:
        text += TOLD
    guarded = "delay_guard_ms" in text
    problems: list[Problem] = []
    for guard_ms in GUARDS_MS:
        line = "" if guarded else f"delay_guard_ms = {guard_ms}\n"
        tried = text.replace("[failsafe]\n", "[failsafe]\n" + line, 1)
        problems = [one for one in examine(tried, str(file))[1] if one.level == "error"]
        if not problems:
            return tried
    raise Trouble(f"--with-key: {problems[0].line}")


def write_new(file: Path, like: str, authenticated: bool) -> int:
    """Copy a starter, give it a pair number of its own and perhaps a key, and say what to do next."""
    if like not in starter_names():
        raise Trouble(f'there is no starter "{like}": {suggestion(like, starter_names())}')
    pair = random.SystemRandom().randint(1, 255)
    text = re.sub(r"^pair = \d+", f"pair = {pair}", starter_text(like), count=1, flags=re.MULTILINE)
    key_file = file.with_suffix(".key")
    if authenticated:
        key = _new_key(key_file, file)
        try:
            text = with_key(text, file, key_file)
        except BaseException:
            key_file.unlink()
            raise
    try:
        write_file(file, text, new=True)
    except FileExistsError:
        raise Trouble(f"{file}: is there already; choose another name, or move it away") from None
    say(f"{file}: written, like {like}, with pair number {pair}")
    if authenticated:
        say(f"{key_file}: its key, id {key_id(key):04X}; whoever has it drives, so show it to nobody")
    schema = file.with_name(SCHEMA)
    if not schema.exists():
        write_file(schema, schema_text())
        say(f"{schema}: written beside it, so that an editor completes and checks keys")
    say(f"next: nuvrik check {file}")
    return DONE


def _new_key(key_file: Path, file: Path) -> Key:
    """A key, written where none is yet, and only where the link file may be written too."""
    if file.exists():
        raise Trouble(f"{file}: is there already; choose another name, or move it away")
    key = new_key()
    try:
        write_key(key_file, key)
    except FileExistsError:
        raise Trouble(f"{key_file}: is there already; it may be the key of a machine: move it away") from None
    except OSError as error:
        raise Trouble(f"{key_file}: cannot be written: {(error.strerror or str(error)).lower()}") from None
    return key


@speaks_plainly
def command(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="The link file to write.")],
    like: Annotated[str, typer.Option("--like", metavar="NAME", help="The starter to copy.")] = "tug",
    authenticated: Annotated[
        bool, typer.Option("--with-key", help="Write a key beside it: only ends that have it are obeyed.")
    ] = False,
) -> int:
    """Write a commented link file to start from.

    It gets a pair number of its own, so that two links made from one starter stay apart.
    """
    return write_new(file, like, authenticated)
