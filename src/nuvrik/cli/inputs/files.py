"""Files that several commands read, and what is said where they cannot be."""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TextIO

from nuvrik.budget.conditions import Conditions
from nuvrik.cli.words import Trouble
from nuvrik.openfile import NotText, open_text
from nuvrik.plan.form.models import Link
from nuvrik.recordings.recording import Recording, parse_recording
from nuvrik.recordings.table import TableError, csv_rows


@contextmanager
def opened_text(path: Path, what: str) -> Iterator[TextIO]:
    """A text; Trouble, with ``what`` it should be, where it is none."""
    try:
        with open_text(path) as file:
            yield file
    except UnicodeError:
        raise Trouble(f"{path}: is not text; {what}") from None
    except NotText as error:
        raise Trouble(f"{path}: {error}; {what}") from None


def read_recording(path: Path, link: Link) -> Recording:
    """A pilot's recording from a file."""
    with opened_text(path, "a recording is CSV: t_ms,CONTROL,...") as file:
        return parse_recording(file, link, str(path))


Loads = dict[str, tuple[list[float], list[float]]]
"""By load: duties as fractions of full, and speeds."""


def read_log(path: Path, duty_max: int, load: str = "") -> Loads:
    """The log of a motor, CSV with columns duty and speed; a column load tells runs under different loads
    apart, else all of it was under ``load``."""
    loads: Loads = {}
    try:
        with opened_text(path, "a log is CSV: t_ms,duty,speed") as file:
            table = csv_rows(iter(file))
            names = next(table, (1, []))[1]
            if not {"duty", "speed"} <= set(names):
                raise Trouble(f"{path}, line 1: a log of a motor has the columns t_ms,duty,speed")
            for number, cells in table:
                if not any(cells):
                    continue
                row = dict(zip(names, cells, strict=False))
                duties, speeds = loads.setdefault(row.get("load", load), ([], []))
                for name, numbers, most in (("duty", duties, duty_max), ("speed", speeds, 1)):
                    numbers.append(number_of(row.get(name, ""), f"{path}, line {number}: {name}") / most)
    except TableError as error:
        raise Trouble(f"{path}, {error}") from None
    return loads


def number_of(text: str, where: str) -> float:
    """An ordinary number; Trouble for anything else."""
    try:
        value = float(text) if text.isascii() and "_" not in text else math.nan
    except ValueError:
        value = math.nan
    if not abs(value) < 1e15:
        raise Trouble(f"{where} is {text[:40]!r}, not a number")
    return value


def conditions_of(medium: dict[str, float]) -> Conditions:
    """How bad the medium is, from options."""
    try:
        return Conditions(**medium)
    except ValueError as error:
        name, said = str(error).split(" ", 1)
        raise Trouble(f"--{name.replace('_', '-')} {said}") from None
