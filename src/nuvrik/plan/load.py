"""From a TOML file to a checked ``nuvrik.plan.form.models.Link``, or every problem at once.

Each entry is validated on its own, so that one bad entry does not hide the problems of the others,
and the rules between entries (``plan.check``) run on whatever is known.
"""

import tomllib
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from nuvrik.openfile import open_bytes
from nuvrik.plan.form.base import Section, is_name
from nuvrik.plan.form.frames import AnyFrame
from nuvrik.plan.form.models import TAGGED, Board, FailsafeSection, Link, LinkSection
from nuvrik.plan.keys import Key, KeyFileError, read_key
from nuvrik.plan.problems import (
    NAME_RULE,
    LinkFileError,
    Problem,
    Severity,
    listing,
    problems_of,
    shown,
    suggestion,
)
from nuvrik.plan.rules.check import cross_check
from nuvrik.plan.rules.draft import Draft
from nuvrik.plan.telemetry import Cue

MAX_FILE_BYTES = 1_000_000
"""A link file is a page or two; anything beyond this is some other file."""

PLAIN: dict[str, type[Section]] = {"link": LinkSection, "failsafe": FailsafeSection, "board": Board}
PLAIN_ENTRIES: dict[str, type[Section]] = {"cues": Cue}
NAMED = ("controls", "channels", "outputs", "telemetry", "requests", "cues")
REQUIRED = ("link", "medium", "frame", "channels", "failsafe")


def load(path: str | Path) -> Link:
    """Read and check a link file.

    Raises ``LinkFileError``, with every problem found, if it cannot be used; ``OSError`` is
    turned into one as well, so that there is one thing to catch.
    """
    return parse(read_text(path), str(path))


def load_to_look(path: str | Path) -> Link:
    """The same for somebody who only looks: the key of the link need not be there."""
    return parse(read_text(path), str(path), needs_key=False)


def parse(text: str, file: str = "link file", *, needs_key: bool = True) -> Link:
    """Check the text of a link file. ``file`` is the name used in messages, and its key stands beside it."""
    link, problems = examine(text, file, needs_key=needs_key)
    errors = [problem for problem in problems if problem.level == "error"]
    if link is None or errors:
        raise LinkFileError(file, errors)
    return link


def read_text(path: str | Path) -> str:
    """The text of a link file; ``LinkFileError`` where there is none to be had."""
    path = Path(path)
    try:
        with open_bytes(path) as file:
            data = file.read(MAX_FILE_BYTES + 1)
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise UnreadableError(str(path), [_whole(f"cannot be read: {reason}", NEW_HINT)]) from None
    if len(data) > MAX_FILE_BYTES:
        what = f"is larger than {MAX_FILE_BYTES // 1_000_000} MB, so it is not a link file"
        raise UnreadableError(str(path), [_whole(what, "a link file is a page or two of TOML; " + NEW_HINT)])
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        what = "is text in UTF-16; a link file is UTF-8"
        raise UnreadableError(str(path), [_whole(what, "save it as UTF-8 text")])
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        what = f"is not text: byte {error.start} (line {line}) is not UTF-8"
        raise UnreadableError(str(path), [_whole(what, "save it as UTF-8 text; " + NEW_HINT)]) from None


class UnreadableError(LinkFileError):
    """The link file is not there, may not be read, or is some other kind of file."""


NEW_HINT = "`nuvrik new FILE --like tug` writes a good one to start from"


def data_of(text: str, file: str) -> dict[str, Any]:
    """What is written in a link file, as it is. Raises LinkFileError if that is no TOML."""
    if not text.strip():
        raise LinkFileError(file, [_whole("is empty", NEW_HINT)])
    try:
        return tomllib.loads(text)
    except RecursionError:
        what, do = "is nested too deeply to be a link file", "take the brackets out"
        raise LinkFileError(file, [_whole(what, do)]) from None
    except ValueError as error:  # TOMLDecodeError, or an integer with thousands of digits
        what, do = f"is not valid TOML: {error}", "mend that line; text goes in quotes, lists in [ ]"
        raise LinkFileError(file, [_whole(what, do)]) from None


def examine(text: str, file: str, *, needs_key: bool = True) -> tuple[Link | None, list[Problem]]:
    """The link, if it could be made at all, and every problem, warning and note about it. Where a key is not
    needed, one that cannot be had is only worth a note."""
    data = data_of(text, file)
    problems: list[Problem] = []
    parts: dict[str, Any] = {}
    for key in data:
        if key not in Link.model_fields:
            problems.append(
                Problem("error", key, "is not a known section", suggestion(key, Link.model_fields))
            )
    for key in Link.model_fields:
        if key in data:
            parts[key] = _section(key, data[key], problems)
        elif key in REQUIRED:
            meaning = Link.model_fields[key].description
            problems.append(Problem("error", key, "is missing", f"add [{key}]" + _because(meaning)))
    problems += cross_check(Draft.of(parts))
    secret = _key(parts.get("frame"), Path(file).parent, problems, "error" if needs_key else "note")
    if any(problem.level == "error" for problem in problems):
        return None, problems
    link = Link(**parts)
    return (link.with_key(secret) if secret else link), problems


def _key(frame: AnyFrame | None, folder: Path, problems: list[Problem], level: Severity) -> Key | None:
    """The key that a frame names, from the file beside the link file."""
    if frame is None or frame.key_name is None:
        return None
    try:
        return read_key(folder / frame.key_name)
    except KeyFileError as error:
        problems.append(Problem(level, "frame.key_file", error.what, error.do))
        return None


def _section(key: str, data: Any, problems: list[Problem]) -> Any:
    """One section as models: None (or an entry None) where it has problems, which are added."""
    if not isinstance(data, dict):
        problems.append(Problem("error", key, f"is {shown(data)}; it must be a section", f"write [{key}]"))
        return None
    if key in PLAIN:
        return _entry(PLAIN[key], data, key, problems)
    if key not in NAMED:
        return _tagged(key, data, key, problems)
    entries: dict[str, Section | None] = {}
    for name, entry in data.items():
        where = f"{key}.{name}"
        if not is_name(name):
            problems.append(Problem("error", where, "is not a good name", NAME_RULE))
        elif name == "none":
            problems.append(
                Problem("error", where, 'may not be a name: arm = "none" means no arm', "rename it")
            )
        if not isinstance(entry, dict):
            problems.append(
                Problem("error", where, f"is {shown(entry)}; it must be a section", f"write [{where}]")
            )
            entry = None
        if entry is None:
            entries[name] = None
        elif key in TAGGED:
            entries[name] = _tagged(key, entry, where, problems)
        else:
            entries[name] = _entry(PLAIN_ENTRIES[key], entry, where, problems)
    if key == "channels" and not entries:
        problems.append(Problem("error", key, "names no channel", "add one, e.g. [channels.throttle]"))
    return entries


def _tagged(section: str, data: dict[str, Any], where: str, problems: list[Problem]) -> Section | None:
    tag, models = TAGGED[section]
    value = data.get(tag)
    if isinstance(value, str) and value in models:
        return _entry(models[value], data, where, problems)
    place = f"{where}.{tag}"
    if value is None:
        problems.append(Problem("error", place, "is missing", f"add {tag} = {listing(map(shown, models))}"))
    else:
        do = suggestion(value, models) if isinstance(value, str) else f"use {listing(map(shown, models))}"
        problems.append(Problem("error", place, f"is {shown(value)}, which is not a known {tag}", do))
    return None


def _entry(model: type[Section], data: dict[str, Any], where: str, problems: list[Problem]) -> Section | None:
    try:
        return model.model_validate(data)
    except ValidationError as error:
        problems += problems_of(error, model, where)
        return None


def _whole(what: str, do: str) -> Problem:
    return Problem("error", "", what, do)


def _because(meaning: str | None) -> str:
    return f": {meaning}" if meaning else ""
