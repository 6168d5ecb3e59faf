"""Numbers written into a link file, with everything else in it, comments above all, left as it is."""

from collections.abc import MutableMapping
from typing import Any


class NoSectionError(Exception):
    """Something else stands where a section is wanted: its path says where."""


class Hex(int):
    """A whole number that is written in hexadecimal, as codes are in every table of them."""


def edited(text: str, changes: dict[tuple[str, ...], Any]) -> str:
    """The text of a link file with some keys set: path of the key -> value. Sections and their entries
    are made where there are none. Raises NoSectionError where something else stands in their place."""
    for path, value in changes.items():
        text = _with(text, path, value)
    return text


def _with(text: str, path: tuple[str, ...], value: Any) -> str:
    import tomlkit
    from tomlkit.items import Array, Integer, Trivia

    document = tomlkit.parse(text)
    place: Any = document
    for depth, part in enumerate(path[:-1]):
        if part not in place:
            place[part] = tomlkit.table(is_super_table=place is document)
        place = place[part]
        if not isinstance(place, MutableMapping):
            raise NoSectionError(".".join(path[: depth + 1]))
    key = path[-1]
    old = place.get(key)
    if isinstance(old, Array) and isinstance(value, list) and len(old) == len(value):
        # Number by number, so that comments between them stay.
        for at, one in enumerate(value):
            old[at] = one
        return tomlkit.dumps(document)
    item = Integer(value, Trivia(), f"0x{value:02X}") if isinstance(value, Hex) else tomlkit.item(value)
    if old is not None:
        # The comment behind a number stays behind it.
        trivia = getattr(old, "trivia", None)
        if trivia is not None:
            item.trivia.comment, item.trivia.comment_ws = trivia.comment, trivia.comment_ws
        place[key] = item
    else:
        place[key] = item
        _move_up(place, key)
    return tomlkit.dumps(document)


def _move_up(place: Any, key: str) -> None:
    """A new key goes behind the section's last one, not behind the comment that heads the next section. (A
    section that is written in dotted keys has no lines of its own, and nothing to be moved.)"""
    body = getattr(getattr(place, "value", None), "body", None)
    if body is None:
        return
    entry = body.pop(next(spot for spot, (name, _) in enumerate(body) if name and name.key == key))
    last = max((spot for spot, (name, _) in enumerate(body) if name is not None), default=-1)
    body.insert(last + 1, entry)
