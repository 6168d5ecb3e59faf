"""Writes the documents that are made from the code: the JSON Schema, the table of keys, the failsafe table.

With --check it changes nothing and fails if one of them is not what the code says.
"""

import inspect
import json
import sys
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

import typer
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from nuvrik.cli import app
from nuvrik.core.machine.states import Happening, State
from nuvrik.core.ramp import Ramp
from nuvrik.export.native import whole_source
from nuvrik.failsafe.why import WORDS, Code
from nuvrik.failsafe.words import cell_words
from nuvrik.plan.form.frame_actions import KeyAction
from nuvrik.plan.form.frame_texts import TextField
from nuvrik.plan.form.models import TAGGED, Board, FailsafeSection, LinkSection, schema_text
from nuvrik.plan.form.requests import Argument, RoutineStep
from nuvrik.plan.load import NAMED
from nuvrik.plan.telemetry import Cue
from nuvrik.wire.decoder import REASONS

DOCS = Path(__file__).parents[1] / "docs"
BEGIN, END = "<!-- made by tools/make_docs.py: {} -->", "<!-- end -->"


def key_tables() -> str:
    """Every key of the link file, section by section."""
    lines: list[str] = []
    plain: dict[str, type[BaseModel]] = {"link": LinkSection, "failsafe": FailsafeSection, "board": Board}
    order = ["link", "medium", "frame", "controls", "channels", "board", "outputs", "mix", "failsafe"]
    order += ["telemetry", "requests"]
    for section in order:
        if section in plain:
            lines += table(f"[{section}]", plain[section], "")
            continue
        tag, models = TAGGED[section]
        named = section in NAMED
        for value, model in models.items():
            title = f"[{section}.NAME]" if named else f"[{section}]"
            lines += table(f'{title} with {tag} = "{value}"', model, tag)
    lines += table("[cues.NAME]", Cue, "")
    lines += table("fields.CHANNEL of a line or of columns", TextField, "")
    lines += table("keys.KEY of style keys", KeyAction, "")
    lines += table("args.NAME of a request", Argument, "")
    lines += table("a step of a routine", RoutineStep, "")
    return "\n".join(lines)


def table(title: str, model: type[BaseModel], tag: str) -> list[str]:
    """One section's keys as a Markdown table."""
    lines = [f"### `{title}`" if "[" in title else f"### {title}", "", meaning_of(model), ""]
    rows = [row(name, field) for name, field in model.model_fields.items() if name != tag]
    return [*lines, "| key | default | meaning |", "|---|---|---|", *rows, ""]


def meaning_of(model: type[BaseModel]) -> str:
    """What a section is, from the first paragraph of its model's docstring."""
    text = " ".join(str(model.__doc__).split("\n\n")[0].split())
    text = text.partition("``: ")[2] or text
    return text[:1].upper() + text[1:]


def row(name: str, field: FieldInfo) -> str:
    """One key."""
    default = (
        "required" if field.is_required() else "-" if field.get_default() is None else f"`{toml(field)}`"
    )
    meaning = field.description or "one of " + ", ".join(
        f'`"{value}"`' for value in get_args(field.annotation)
    )
    return f"| `{field.alias or name}` | {default} | {meaning} |"


def toml(field: FieldInfo) -> str:
    """A default as it would be written in the file."""
    return json.dumps(field.get_default(call_default_factory=True))


def failsafe_table() -> str:
    """The failsafe table in words, from the one that the code runs on."""
    lines = ["| event | " + " | ".join(State) + " |", "|---" * (len(State) + 1) + "|"]
    for event in Happening:
        cells = [cell_words(event, state) for state in State]
        lines.append(f"| {event.value} | " + " | ".join(cells) + " |")
    return "\n".join(lines) + "\n"


def why_table() -> str:
    """Why nothing moves: every code with its words."""
    lines = ["| code | who | words |", "|---|---|---|"]
    for code, words in WORDS.items():
        who = "-" if not code else "machine" if code < Code.LEAVING else "handset"
        said = words.format(name="*name*", count="*number*", enough="`good_frames`", place="*place*")
        lines.append(f"| {code:d} {code.name} | {who} | {said} |")
    return "\n".join(lines) + "\n"


def reason_table() -> str:
    """Why frames are refused, in the order in which it is tested."""
    return "| reason | meaning |\n|---|---|\n" + "".join(
        f"| `{name}` | {text} |\n" for name, text in REASONS.items()
    )


def command_pages() -> str:
    """Every command with what may be given to it, from the command line itself."""
    lines = [
        "# Commands",
        "",
        "`nuvrik COMMAND --help` says the same. Exit codes: 0 done; 1 the answer is no (problems found, a",
        "rehearsal failed, nothing decoded); 2 it could not run. Ctrl-C disarms first, then ends with 0.",
        "What `--json` prints is in [files.md](files.md).",
        "",
    ]
    for name, command in sorted(_commands(typer.main.get_command(app), ("nuvrik",))):
        lines += [f"## `{name}`", "", *(command.help or "").strip().split("\n"), ""]
        rows = [_option_row(one) for one in command.params if one.name != "help"]
        lines += ["| | default | meaning |", "|---|---|---|", *rows, ""] if rows else []
    return "\n".join(lines)


def _commands(command: Any, path: tuple[str, ...]) -> Iterator[tuple[str, Any]]:
    for name in command.list_commands(None):
        one = command.get_command(None, name)
        if hasattr(one, "list_commands"):
            yield from _commands(one, (*path, name))
        else:
            yield " ".join((*path, name)), one


def _option_row(one: Any) -> str:
    """An argument or an option."""
    option = one.opts[0].startswith("-")
    value = one.metavar or ("" if not option or getattr(one, "is_flag", False) else "N")
    named = f"{one.opts[0]} {value}".strip() if option else value
    given = None if callable(one.default) else one.default
    default = (
        "required" if one.required else f"`{given}`" if given is not None and given is not False else "-"
    )
    return f"| `{named}` | {default} | {getattr(one, 'help', '') or ''} |"


def beside() -> str:
    """One method of core, and what it comes to in C."""
    python = textwrap.dedent(inspect.getsource(Ramp.towards))
    source = whole_source()
    begin = source.index("bool nuvrik_ramp_towards")
    made = source[source.rindex("/**", 0, begin) : source.index("\n}\n", begin) + 2]
    return f"```python\n{python.rstrip()}\n```\n\n```c\n{made}\n```\n"


def spliced(text: str, name: str, made: str) -> str:
    """A document with its part of that name replaced."""
    begin = BEGIN.format(name)
    head, _, rest = text.partition(begin)
    _, _, tail = rest.partition(END)
    return f"{head}{begin}\n\n{made}\n{END}{tail}"


def documents() -> dict[Path, str]:
    """Every generated document with the text it should have."""
    made = {
        DOCS / "link.schema.json": schema_text(),
        DOCS / "commands.md": command_pages(),
    }
    for file, name, text in (
        (DOCS / "link-file.md", "keys", key_tables()),
        (DOCS / "failsafe.md", "table", failsafe_table()),
        (DOCS / "failsafe.md", "why", why_table()),
        (DOCS / "core.md", "beside", beside()),
        (DOCS / "wire-format.md", "reasons", reason_table()),
    ):
        made[file] = spliced(made.get(file) or file.read_text("utf-8"), name, text)
    return made


def main() -> int:
    stale = [
        file for file, text in documents().items() if not file.exists() or file.read_text("utf-8") != text
    ]
    if "--check" in sys.argv[1:]:
        for file in stale:
            print(f"{file} is not what the code says: run `make docs`", file=sys.stderr)
        return 1 if stale else 0
    for file in stale:
        file.write_text(documents()[file], "utf-8")
        print(f"{file} written")
    return 0


if __name__ == "__main__":
    sys.exit(main())
