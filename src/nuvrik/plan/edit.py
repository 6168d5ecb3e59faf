"""Numbers written into a link file, with everything else in it, comments above all, left as it is."""

from collections.abc import MutableMapping
from typing import Any


class NoSectionError(Exception):
    """Something else stands where a section is wanted: its path says where."""


def edited(text: str, changes: dict[tuple[str, ...], Any]) -> str:
    """The text of a link file with some keys set: path of the key -> value. Sections and their entries
    are made where there are none. Raises NoSectionError where something else stands in their place."""
    for path, value in changes.items():
        text = _with(text, path, value)
    return text


def _with(text: str, path: tuple[str, ...], value: Any) -> str:
    import tomlkit

    document = tomlkit.parse(text)
    place: Any = document
    for depth, part in enumerate(path[:-1]):
        if part not in place:
            place[part] = tomlkit.table(is_super_table=place is document)
        place = place[part]
        if not isinstance(place, MutableMapping):
            raise NoSectionError(".".join(path[: depth + 1]))
    item, key = tomlkit.item(value), path[-1]
    if key in place:
        # The comment behind a number stays behind it.
        old = place.value.item(key).trivia
        item.trivia.comment, item.trivia.comment_ws = old.comment, old.comment_ws
        place[key] = item
    else:
        place[key] = item
        # A new key goes behind the section's last one, not behind the comment that heads the next section.
        body = place.value.body
        entry = body.pop(next(spot for spot, (name, _) in enumerate(body) if name and name.key == key))
        last = max((spot for spot, (name, _) in enumerate(body) if name is not None), default=-1)
        body.insert(last + 1, entry)
    return tomlkit.dumps(document)
