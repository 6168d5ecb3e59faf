"""Infrared timings as text: durations in microseconds, marks positive and spaces negative, between white
space or commas. Without any sign they alternate, mark first. What follows ``#`` in a line is a remark; in a
recording of presses, a remark alone in its line is the name of the button pressed from there on.
"""

from collections.abc import Iterable, Iterator
from typing import NamedTuple, Protocol

LONGEST_US = 3_600_000_000
READ_CHARS = 1 << 16
LIKE_MS = 200
"""If no duration of many is longer than this, they are hardly microseconds."""
ENOUGH = 8


class TimingsError(Exception):
    """Timings that cannot be used: the file, which duration, what is wrong and what to do."""

    def __init__(self, file: str, what: str, do: str) -> None:
        super().__init__(f"{file}: {what}\n      -> {do}")


class Text(Protocol):
    """What timings are read from: each read gives some text, and "" at the end."""

    def read(self, most: int, /) -> str:
        """Some of it."""


class Piece(NamedTuple):
    """Some durations in a row, and the remark that stood before the first of them, if one did."""

    durations: list[int]
    remark: str | None


class _Signs:
    """Checks that marks and spaces take turns, and gives unsigned durations their signs."""

    def __init__(self, file: str) -> None:
        self._file = file
        self._unsigned: bool | None = None
        self._before = 0
        self._count = 0
        self._longest = 0

    def take(self, numbers: list[int], *, signed: bool) -> list[int]:
        """The next durations with their signs; ``signed``: some of them were written with one."""
        if not numbers:
            return []
        self._longest = max(self._longest, *map(abs, numbers))
        if self._longest > LONGEST_US:
            self._wrong("a duration of more than an hour", "leave the silence between two captures out")
        if self._unsigned is None and (signed or self._count + len(numbers) > 1):
            self._unsigned = not signed
        if self._unsigned:
            if min(numbers) <= 0:
                self._bad(next(n for n, number in enumerate(numbers) if number <= 0), numbers)
            sign = 1 if self._count % 2 == 0 else -1
            made = [number * (sign if n % 2 == 0 else -sign) for n, number in enumerate(numbers)]
        else:
            made = numbers
            before = self._before
            for n, number in enumerate(numbers):
                # Two spaces in a row are one: a receiver says in between how long it has waited so far.
                if not number or (before > 0 and number > 0):
                    self._bad(n, numbers)
                before = number
        self._before = made[-1]
        self._count += len(numbers)
        return made

    def _bad(self, place: int, numbers: list[int]) -> None:
        which, number = self._count + place + 1, numbers[place]
        if number == 0:
            self._wrong(f"duration number {which} is 0", "leave out what did not last")
        if self._unsigned:
            what = f"duration number {which} is {number}, but the ones before have no signs"
            self._wrong(what, "give all of them signs, + for a mark and - for a space, or none")
        what = f"durations number {which - 1} and {which} are two marks in a row"
        self._wrong(what, "put in what was between them, or add them up")

    def _wrong(self, what: str, do: str) -> None:
        raise TimingsError(self._file, what, do)

    def end(self) -> None:
        """Nothing more comes."""
        if not self._count:
            self._wrong("there are no durations in it", "record some: + for a mark, - for a space, in us")
        if self._count >= ENOUGH and self._longest <= LIKE_MS:
            what = (
                f"the longest of {self._count} durations is {self._longest} us: these look like milliseconds"
            )
            self._wrong(what, "multiply them by 1000")


def read_timings(file: Text, name: str) -> Iterator[Piece]:
    """The durations of a file, piece by piece, however long it is. TimingsError for what is none."""
    signs = _Signs(name)
    remark: str | None = None
    for number, text in _lines(file):
        body, mark, said = text.partition("#")
        tokens = body.replace(",", " ").split()
        if mark and not tokens and said.strip():
            remark = said.strip()
            continue
        try:
            numbers = list(map(int, tokens))
        except ValueError:
            raise _not_whole(tokens, number, name) from None
        if numbers:
            yield Piece(signs.take(numbers, signed="+" in body or "-" in body), remark)
            remark = None
    signs.end()


def parse_timings(durations: Iterable[object], name: str = "timings") -> list[int]:
    """Durations from a program: checked as those of a file are. TimingsError for what is none."""
    given = list(durations)
    for place, duration in enumerate(given):
        if not isinstance(duration, int) or isinstance(duration, bool):
            raise _not_whole([str(given[place])], 1, name)
    signs = _Signs(name)
    numbers = [duration for duration in given if isinstance(duration, int)]
    made = signs.take(numbers, signed=min(numbers, default=0) < 0)
    signs.end()
    return made


def _lines(file: Text) -> Iterator[tuple[int, str]]:
    """Lines with their numbers; a very long one in pieces, so that memory stays bounded."""
    held, number = "", 1
    while chunk := file.read(READ_CHARS):
        held += chunk
        *lines, held = held.split("\n")
        for line in lines:
            yield number, line
            number += 1
        if len(held) > READ_CHARS and "#" not in held:
            cut = max(held.rfind(" "), held.rfind(","), held.rfind("\t"))
            yield number, held[: cut + 1]
            held = held[cut + 1 :]
            if len(held) > READ_CHARS:
                held = held[:READ_CHARS]  # no number is this long: it will be refused as one
                yield number, held
                held = ""
    if held:
        yield number, held


def _not_whole(tokens: list[str], line: int, name: str) -> TimingsError:
    for token in tokens:
        try:
            int(token)
        except ValueError:
            break
    shown = token if len(token) <= 20 else token[:20] + "..."
    try:
        value = float(token)
    except ValueError:
        what = f'line {line}: "{shown}" is no duration'
        return TimingsError(name, what, "write whole microseconds, + for a mark and - for a space")
    what = f'line {line}: "{shown}" is not a whole number of microseconds'
    do = "multiply by 1000: these look like milliseconds" if abs(value) < LIKE_MS else "round it"
    return TimingsError(name, what, do)


def write_timings(durations: Iterable[int]) -> str:
    """Durations as text, a line for each stretch that ends in a long space."""
    lines: list[str] = []
    line: list[str] = []
    for duration in durations:
        line.append(f"{duration:+d}")
        if duration < -5000 and len(line) > 2:
            lines.append(" ".join(line))
            line = []
    return "\n".join([*lines, *([" ".join(line)] if line else [])])
