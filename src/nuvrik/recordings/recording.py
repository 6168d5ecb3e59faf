"""What a pilot's hands did: raw readings over time, as CSV ``t_ms,CONTROL,...``."""

import re
from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from nuvrik.ends.handset import Handset
from nuvrik.plan.controls import ReadControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import suggestion
from nuvrik.recordings.table import TableError, csv_rows

Row = dict[str, int | None]

WHOLE = re.compile(r"[+-]?[0-9]{1,9}").fullmatch
LONGEST_MS = 24 * 3600 * 1000
"""A recording is of a day at most; a later time is a slip, and would be waited for."""


LOG_MARK = "."
"""What the names of those columns of a log have in them that are no controls."""


def is_of_log(name: str) -> bool:
    """Whether a column belongs to the log of a live run, and is no reading of a control."""
    return LOG_MARK in name


class RecordingError(Exception):
    """A recording that cannot be used: the file, the line, what is wrong and what to do."""

    def __init__(self, file: str, line: int, what: str, do: str) -> None:
        super().__init__(f"{file}, line {line}: {what}\n      -> {do}")


class Recording(NamedTuple):
    """Raw readings at increasing times in milliseconds; an empty cell in the file is None.

    ``puts`` is what a program does where no control is there to do it: a time, a channel and its value.
    """

    times_ms: list[int]
    rows: list[Row]
    puts: tuple[tuple[int, str, float], ...] = ()

    @property
    def duration_ms(self) -> int:
        """The time of the last row."""
        return self.times_ms[-1]

    def missing(self, link: Link) -> set[str]:
        """The controls of a link, with readings of their own, for which it has no column."""
        read = (name for name, control in link.controls.items() if isinstance(control, ReadControl))
        return {name for name in read if name not in self.rows[0]}

    def at(self, t_ms: int) -> Row:
        """The readings in force at a time: the last row not later, nothing before the first."""
        place = bisect_right(self.times_ms, t_ms)
        return self.rows[place - 1] if place else {}

    def play_into(
        self, handset: Handset, t_ms: int, now_ms: int, alter: Callable[[Row], Row] | None = None
    ) -> None:
        """Do to a handset, whose clock says ``now_ms``, what is done at ``t_ms``; ``alter`` may make other
        readings of it."""
        row = self.at(t_ms)
        handset.read(now_ms, **(row if alter is None else alter(row)))
        for due_ms, name, value in self.puts:
            if due_ms <= t_ms and name == handset.link.arm_channel:
                handset.put_arm(bool(value))
            elif due_ms <= t_ms:
                handset.put(now_ms, name, value)

    def csv_lines(self) -> Iterator[str]:
        """The recording as CSV lines."""
        names = list(self.rows[0])
        yield ",".join(["t_ms", *names])
        for t_ms, row in zip(self.times_ms, self.rows, strict=True):
            yield ",".join([str(t_ms), *("" if row[name] is None else str(row[name]) for name in names)])


def parse_recording(
    lines: Iterable[str], link: Link, file: str = "recording", *, whole: bool = True
) -> Recording:
    """Read a recording for a link from lines of CSV; of the log of a live run, the readings in it. Without
    ``whole`` a control may have no column.

    Raises RecordingError for a missing or unknown column, a reading or a time that is not a whole
    number, a row that is too short or too long, and time that goes backwards.
    """
    table = csv_rows(iter(lines))
    try:
        names = _header(next(table, (1, []))[1], link, file, whole)
        times: list[int] = []
        rows: list[Row] = []
        for number, cells in table:
            if not any(cells):
                continue
            t_ms, row = _row(cells, names, file, number)
            if times and t_ms <= times[-1]:
                raise RecordingError(
                    file,
                    number,
                    f"time goes from {times[-1]} to {t_ms} ms",
                    "put the rows in order of time",
                )
            times.append(t_ms)
            rows.append(row)
    except TableError as error:
        what = f"is not CSV: {error.what}"
        raise RecordingError(file, error.line, what, "a recording is plain CSV text") from None
    if not times:
        raise RecordingError(file, 1, "has no readings", "a row a sample is wanted under the header")
    return Recording(times, rows)


def _header(cells: list[str], link: Link, file: str, whole: bool) -> list[str]:
    names = [cell.strip() for cell in cells]
    known = [name for name, control in link.controls.items() if isinstance(control, ReadControl)]
    if not names or names[0] != "t_ms":
        raise RecordingError(
            file, 1, "does not begin with a header t_ms,CONTROL,...", f"use t_ms,{','.join(known)}"
        )
    if names[1:3] == ["state", "why"]:
        what = "is the log of a machine: it has no readings of controls"
        raise RecordingError(file, 1, what, "a handset's log has them: nuvrik drive ... --log FILE")
    for name in names[1:]:
        if is_of_log(name):
            continue
        if name not in known:
            raise RecordingError(
                file, 1, f'has a column "{name}", which is no control', suggestion(name, known)
            )
        if names.count(name) > 1:
            raise RecordingError(file, 1, f'has the column "{name}" twice', "take one out")
    for name in known:
        if whole and name not in names and name != link.failsafe.stop:
            raise RecordingError(
                file, 1, f'has no column for the control "{name}"', "add it; an empty cell is no reading"
            )
    return names


def _row(cells: list[str], names: list[str], file: str, line: int) -> tuple[int, Row]:
    if len(cells) != len(names):
        raise RecordingError(
            file,
            line,
            f"has {len(cells)} cells, but the header has {len(names)}",
            "one cell a column, empty if need be",
        )
    read = [(cell, name) for cell, name in zip(cells, names, strict=True) if not is_of_log(name)]
    numbers = [_number(cell.strip(), name, file, line) for cell, name in read]
    if numbers[0] is None or not 0 <= numbers[0] <= LONGEST_MS:
        raise RecordingError(
            file, line, f"t_ms is {cells[0]!r}", "t_ms is a whole number of milliseconds, from 0 to a day"
        )
    return numbers[0], dict(zip([name for _, name in read[1:]], numbers[1:], strict=True))


def _number(cell: str, name: str, file: str, line: int) -> int | None:
    if not cell:
        return None
    # Not int() alone: that takes 5_0_8, and digits of any script.
    if WHOLE(cell):
        return int(cell)
    raise RecordingError(
        file,
        line,
        f"{name} is {cell[:40]!r}, not a whole number of up to 9 digits",
        "readings are whole numbers, as the control gives them",
    )
