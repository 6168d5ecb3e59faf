"""What is wrong with a link file, in words that say what to do about it."""

import re
from collections.abc import Iterable, Iterator
from typing import Any, Literal, NamedTuple, get_args, get_origin

from pydantic import BaseModel, ValidationError

from nuvrik.plan.form.base import NAME_PATTERN

Severity = Literal["error", "warning", "note"]


class Problem(NamedTuple):
    """One thing to know about a link file.

    ``level`` is error (it cannot be used), warning (it can, at a price) or note; ``where`` is the key
    path, ``what`` is what is the matter with it, ``do`` is what to do.
    """

    level: Severity
    where: str
    what: str
    do: str

    @property
    def line(self) -> str:
        """Where, what, and what to do, in a line."""
        return f"{self.where}: {self.what}" + (f"; {self.do}" if self.do else "")


class LinkFileError(Exception):
    """A link file that cannot be used. ``file`` is its name, ``problems`` every error found in it."""

    def __init__(self, file: str, problems: Iterable[Problem]) -> None:
        self.file = file
        self.problems = list(problems)
        super().__init__(self._text())

    def _text(self) -> str:
        count = len(self.problems)
        lines = [f"{self.file}: {count} problem{'s' if count != 1 else ''}"]
        for problem in self.problems:
            place = f"{problem.where}: " if problem.where else ""
            lines.append(f"  {place}{problem.what}")
            lines.append(f"      -> {problem.do}")
        return "\n".join(lines)


def listing(names: Iterable[str]) -> str:
    """Names as a person lists them: ``a, b or c``; ``(none)`` for none."""
    given = list(names)
    if not given:
        return "(none)"
    return given[0] if len(given) == 1 else ", ".join(given[:-1]) + " or " + given[-1]


NOW_CALLED = {
    "ahead": "forward",
    "astern": "backward",
    "hold_ms": "released_after_ms",
    "lapse_ms": "disarm_after_ms",
    "lead_end": "lead_in",
    "lead_zero": "lead_in",
    "neutral": "at_rest",
    "neutral_band": "rest_band",
    "range": "distance",
    "slew_ms": "ramp_ms",
    "speed_ms": "ramp_ms",
    "stop": "ramp",
    "straighten": "duty_curve",
    "times": "multiplied_by",
}
"""Words of earlier link files, and what they are called now. A word counts as an old one only where it is not
known any more and its new name is."""


def suggestion(word: str, allowed: Iterable[str], none: str = "take it out") -> str:
    """What to do about an unknown word: the name that it has now, the one that was probably meant, or all
    that are known; ``none`` where none is."""
    import difflib

    known = list(allowed)
    if word not in known and NOW_CALLED.get(word) in known:
        return f'it is now called "{NOW_CALLED[word]}"'
    close = difflib.get_close_matches(word, known, n=1, cutoff=0.6)
    if close:
        return f'did you mean "{close[0]}"?'
    return f"use {listing(known)}" if known else none


def renamed(words: Iterable[str], allowed: Iterable[str]) -> str:
    """What some words are called now, in words that follow others; "" where none of them has a new name."""
    known = list(allowed)
    old = [word for word in words if word not in known and NOW_CALLED.get(word) in known]
    return "".join(f'; "{word}" is now called "{NOW_CALLED[word]}"' for word in old)


def shown(value: Any) -> str:
    """A value from the file as it would be typed there, shortened if it is long."""
    text = {True: "true", False: "false"}[value] if isinstance(value, bool) else repr(value)
    text = text.replace("'", '"') if isinstance(value, str | list) else text
    return text if len(text) <= 40 else text[:37] + "..."


def keys_of(model: type[BaseModel]) -> dict[str, str]:
    """Every key of a model as it is written in the file, with its description."""
    return {
        field.alias or name: (
            field.description or f"one of {listing(map(shown, get_args(field.annotation)))}"
            if get_args(field.annotation)
            else field.description or ""
        )
        for name, field in model.model_fields.items()
    }


def problems_of(error: ValidationError, model: type[BaseModel], where: str) -> list[Problem]:
    """The errors that pydantic found in one entry, in our words."""
    found = [_plain(dict(detail), model, where) for detail in error.errors(include_url=False)]
    # Where a key may be one of two types, pydantic tells what is wrong with it as either; the first,
    # simpler one is what was probably meant.
    return list({problem.where: problem for problem in reversed(found)}.values())[::-1]


UNION_BRANCHES = ("constrained-str", "list[constrained-str]")
"""What pydantic puts into a path for a key that may be a name or a list of names."""

_WANTED_TYPES = {
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
    "string": "text in quotes",
    "list": "a list in [ ]",
    "dict": "a table in { }",
    "model": "a table in { }",
}

_BOUNDS = {
    "greater_than_equal": ("at least", "ge"),
    "greater_than": ("more than", "gt"),
    "less_than_equal": ("at most", "le"),
    "less_than": ("less than", "lt"),
}


def _plain(detail: dict[str, Any], model: type[BaseModel], where: str) -> Problem:
    kind: str = detail["type"]
    loc: tuple[Any, ...] = tuple(
        part for part in detail["loc"] if part != "[key]" and part not in UNION_BRANCHES
    )
    ctx: dict[str, Any] = detail.get("ctx", {})
    place = ".".join([where, *map(str, loc)]) if where else ".".join(map(str, loc))
    known = keys_of(model)
    key = str(loc[0]) if loc else ""
    meaning = known[key] if known.get(key) else f"the keys here are {listing(known)}"
    value = shown(detail.get("input"))

    if kind == "extra_forbidden":
        nested = _nested_model(model, loc[:-1])
        return Problem(
            "error", place, "is not a known key", suggestion(str(loc[-1]), keys_of(nested) if nested else ())
        )
    if kind == "missing":
        return Problem("error", place, "is missing", f"add it; {meaning}")
    if kind == "value_error":
        # Our own validators write "key: what is wrong", so that the key can be named.
        key, _, what = str(ctx["error"]).partition(": ")
        nested = _nested_model(model, loc)
        meaning = (keys_of(nested) if nested else {}).get(key, "")
        return Problem("error", f"{place}.{key}", what, meaning or "change it")
    if kind in _BOUNDS:
        words, limit = _BOUNDS[kind]
        return Problem("error", place, f"is {value}; it must be {words} {ctx[limit]}", meaning)
    if kind in ("too_short", "too_long"):
        bound = ctx.get("min_length", ctx.get("max_length"))
        words = "at least" if kind == "too_short" else "at most"
        return Problem("error", place, f"is {value}; it must have {words} {bound} entries", meaning)
    if kind in ("string_too_short", "string_too_long"):
        return Problem("error", place, f"is {value}, which is the wrong length", meaning)
    if kind == "string_pattern_mismatch" and ctx["pattern"] != NAME_PATTERN:
        return Problem("error", place, f"is {value}, which cannot be", meaning)
    if kind == "string_pattern_mismatch":
        return Problem("error", place, f"is {value}, which is not a name", NAME_RULE)
    if kind == "literal_error":
        expected = re.findall(r"'([^']+)'", ctx["expected"])
        if NOW_CALLED.get(str(detail.get("input"))) in expected:
            return Problem("error", place, f"is {value}", suggestion(str(detail["input"]), expected))
        return Problem("error", place, f"is {value}; it must be {ctx['expected']}".replace("'", '"'), meaning)
    if kind == "finite_number":
        return Problem("error", place, f"is {value}; it must be an ordinary number", meaning)
    for start, words in _WANTED_TYPES.items():
        if kind.startswith(start):
            return Problem("error", place, f"is {value}; it must be {words}", meaning)
    return Problem("error", place, f"is {value}: {detail['msg']}", meaning)


NAME_RULE = "names are lower-case letters, digits and _, starting with a letter, at most 32 long"


def _nested_model(model: type[BaseModel], loc: tuple[Any, ...]) -> type[BaseModel] | None:
    """The model of the table at ``loc`` inside ``model``, None where it is no model."""
    parts = iter(loc)
    for part in parts:
        field = model.model_fields.get(str(part))
        if field is None:
            return None
        inner = next(iter(_models_in(field.annotation)), None)
        if inner is None:
            return None
        if get_origin(field.annotation) is dict:
            next(parts, None)  # a table of such tables: the next part is a name
        model = inner
    return model


def _models_in(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for option in get_args(annotation):
        yield from _models_in(option)
