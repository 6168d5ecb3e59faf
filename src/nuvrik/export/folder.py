"""A folder with an export in it: written anew without touching what is the builder's, and looked through.

What was written stands in ``export.json``: each file with its sum, and the link file as it was. It is written
twice, first with ``whole`` false, so that an export that was broken off is known for one."""

import hashlib
import json
import re
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

from nuvrik.ports.files import write_file
from nuvrik.printable import printable

MANIFEST = "export.json"

OURS = re.compile(r"(nuvrik/)?(core/([a-z]+/)?)?[A-Za-z0-9_]+(\.[A-Za-z0-9_]+)?").fullmatch
"""What a generated file may be called: a plain name in this folder, or in one that is ours."""


SECRET = ("link_wlan.py", "link_key.h", "link_key.py")
"""Files that nobody else is to read."""


class Foreign(Exception):
    """A folder that holds something else; says what, and what to do."""


class Kept(NamedTuple):
    """A generated file that somebody has changed: it has been moved to ``beside``."""

    name: str
    beside: str


class Manifest(NamedTuple):
    """What ``export.json`` says. ``what``: target, end, board and the like; ``sums``: of generated files;
    ``link``: the text of the link file."""

    whole: bool
    what: dict[str, Any]
    sums: dict[str, str]
    link: str


def sum_of(data: str | bytes) -> str:
    """What tells one file from another."""
    return hashlib.sha256(data.encode("utf-8") if isinstance(data, str) else data).hexdigest()


def read_manifest(folder: Path) -> Manifest | None:
    """What was exported into a folder, None if nothing was. Foreign if that cannot be told."""
    file = folder / MANIFEST
    if not file.exists():
        return None
    try:
        said = json.loads(file.read_text("utf-8"))
        manifest = Manifest(bool(said["whole"]), dict(said["what"]), dict(said["sums"]), str(said["link"]))
    except (ValueError, KeyError, TypeError):
        raise Foreign(
            f"{file} is damaged; move it away, and what is generated beside it, and export again"
        ) from None
    for name in manifest.sums:
        if not OURS(name) or (folder / name).is_symlink():
            raise Foreign(
                f"{file} names {printable(str(name))[:60]!r}, which no export of ours writes; it is not "
                "touched: move export.json away, and export into a new folder"
            )
    return manifest


def _write_manifest(folder: Path, manifest: Manifest) -> None:
    write_file(folder / MANIFEST, json.dumps(manifest._asdict(), indent=1) + "\n")


def write_export(
    folder: Path, what: dict[str, Any], link: str, files: dict[str, str | bytes], own: dict[str, str]
) -> tuple[list[str], list[Kept]]:
    """Write an export; gives the builder's own files that were written, for the first time, and what had to
    be moved aside. Foreign, before anything is written, if the folder holds something else; OSError."""
    before = may_write(folder, what)
    for name in own.keys() & (before.sums.keys() if before else set()):
        raise Foreign(
            f"{folder / MANIFEST} counts {name} as generated, and that is yours; it is not touched: move "
            "export.json away, and export into a new folder"
        )
    folder.mkdir(parents=True, exist_ok=True)
    sums = {name: sum_of(text) for name, text in files.items()}
    kept = [Kept(name, _move_aside(folder / name)) for name in _edited(folder, before, sums)]
    known = before.sums if before else {}
    _write_manifest(folder, Manifest(False, what, known | sums, link))
    for name, text in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        if name in SECRET:
            # Before anything is in it; whoever writes a file keeps its mode.
            (folder / name).touch(0o600)
            (folder / name).chmod(0o600)
        write_file(folder / name, text)
    new = [name for name in own if not (folder / name).exists()]
    for name in new:
        write_file(folder / name, own[name], new=True)
        if name in SECRET:
            (folder / name).chmod(0o600)
    for name in known.keys() - files.keys():
        (folder / name).unlink(missing_ok=True)
    _write_manifest(folder, Manifest(True, what, sums, link))
    return new, kept


def may_write(folder: Path, what: dict[str, Any]) -> Manifest | None:
    """What was exported into a folder before, None for nothing. Foreign if it holds something else, or
    another export."""
    if folder.exists() and not folder.is_dir():
        raise Foreign(f"{folder} is a file; name a folder")
    before = read_manifest(folder) if folder.exists() else None
    if before is None and folder.exists() and any(folder.iterdir()):
        raise Foreign(f"{folder} holds something else, and no export; name a new folder, or an empty one")
    if before is not None and before.what != what:
        there = ", ".join(f"{key} {value}" for key, value in before.what.items() if what.get(key) != value)
        raise Foreign(f"{folder} holds another export ({there}); name another folder")
    return before


def _edited(folder: Path, before: Manifest | None, sums: dict[str, str]) -> Iterator[str]:
    """Generated files that are neither as they were written nor as they would be now."""
    for name in sorted({**(before.sums if before else {}), **sums}):
        file = folder / name
        if file.exists():
            now = sum_of(file.read_bytes())
            if now not in (sums.get(name), before.sums.get(name) if before else None):
                yield name


def _move_aside(file: Path) -> str:
    for number in range(1, 1000):
        beside = file.with_name(f"{file.name}.edited{number}")
        if not beside.exists():
            break
    file.rename(beside)
    return beside.name


class Looked(NamedTuple):
    """What a look through an export has found: files that are ``missing``, ``edited``, or ``old``: written
    from something else than would be written now."""

    missing: list[str]
    edited: list[str]
    old: list[str]

    @property
    def good(self) -> bool:
        """Whether it is what would be written now."""
        return not (self.missing or self.edited or self.old)


def look_through(folder: Path, manifest: Manifest, files: dict[str, str | bytes]) -> Looked:
    """Compare a folder with what was written into it, and that with what would be written now."""
    missing, edited, old = [], [], []
    for name, was in manifest.sums.items():
        file = folder / name
        if not file.exists():
            missing.append(name)
        elif sum_of(file.read_bytes()) != was:
            edited.append(name)
    for name, text in files.items():
        if manifest.sums.get(name) != sum_of(text):
            old.append(name)
    return Looked(missing, edited, old)


def keys_apart(was: str, now: str) -> Iterator[str]:
    """What differs between two link files, a line a key."""
    before, after = dict(_flat(tomllib.loads(was))), dict(_flat(tomllib.loads(now)))
    for key in dict.fromkeys([*before, *after]):
        if key not in after:
            yield f"{key} was {before[key]}, and is not there any more"
        elif key not in before:
            yield f"{key} = {after[key]} is new"
        elif before[key] != after[key]:
            yield f"{key} was {before[key]}, and is {after[key]}"


def _flat(data: dict[str, Any], path: str = "") -> Iterator[tuple[str, str]]:
    for key, value in data.items():
        if isinstance(value, dict):
            yield from _flat(value, f"{path}{key}.")
        else:
            yield path + key, json.dumps(value)
