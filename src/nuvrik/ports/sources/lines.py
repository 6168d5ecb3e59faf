"""Lines of CSV from another program, or from a board that prints raw readings.

Two forms, and the first line says which. ``control,value``: each line is one reading. Or a header of names
and then whole rows, as recordings have them; a column ``t_ms`` is passed over, for what comes is now. An
empty value is *no reading*. Commas, semicolons or tabs stand between.

``request,steps,forward`` or ``backward`` asks for a move by so many steps, once for each line.
"""

import re
from collections.abc import Callable, Collection, Iterator

from nuvrik.ports.sources.source import Items, Plain
from nuvrik.printable import printable

LONGEST_LINE = 4096
"""Bytes: 64 controls of 65535, with room to spare. A longer line is noise."""

_whole = re.compile(r"[+-]?[0-9]{1,9}").fullmatch
_name = re.compile(r"[a-z][a-z0-9_]*").fullmatch
WAYS = {"forward": 1, "backward": -1, "+": 1, "-": -1}
"""The directions of a move by steps."""

_apart = re.compile(r"[,;\t]")


class LineReader:
    """Takes bytes, gives readings. ``warn`` is told of lines that make no sense, each kind once."""

    def __init__(self, warn: Callable[[str], None] = lambda text: None) -> None:
        self.header: list[str] | None = None
        self.seen: set[str] = set()
        """Names of which a reading has come."""
        self.refused = 0
        """Lines that made no sense."""
        self.moves: list[tuple[str, int]] = []
        """Moves by steps that lines have asked for."""
        self._rest = b""
        self._overlong = False
        self._warn = warn
        self._said: set[str] = set()

    def take(self, data: bytes) -> Iterator[tuple[str, int | None]]:
        """Readings in what has arrived, in order; the beginning of a line is kept for the next call."""
        *lines, rest = (self._rest + data).split(b"\n")
        self._rest = rest
        for line in lines:
            if self._overlong:
                self._overlong = False
            else:
                yield from self._line(line)
        if len(self._rest) > LONGEST_LINE:
            self._rest, self._overlong = b"", True
            self._refuse("", "is longer than any line of readings")

    def end(self) -> Iterator[tuple[str, int | None]]:
        """The last line, where nothing stands behind it."""
        rest, self._rest = self._rest, b""
        yield from self._line(rest)

    def forget(self) -> None:
        """Half a line that came before a gap is not part of what comes after it."""
        self._overlong = bool(self._rest)
        self._rest = b""

    def _line(self, raw: bytes) -> Iterator[tuple[str, int | None]]:
        text = raw.decode("utf-8-sig", errors="replace").strip()
        if not text or text.startswith("#"):
            return
        cells = [cell.strip() for cell in _apart.split(text)]
        if self.header is None and len(cells) == 3 and cells[2] in WAYS:
            self._move(text, *cells)
            return
        if all(_name(cell) for cell in cells):
            if self._is_pair(cells):
                self._refuse(text, "has no whole number as its value")
            else:
                self.header = cells
            return
        if self.header is not None:
            yield from self._row(text, cells)
        elif len(cells) == 2 and _name(cells[0]):
            yield from self._one(text, *cells)
        else:
            self._refuse(text, "is neither control,value nor a header of names")

    def _move(self, text: str, name: str, steps: str, way: str) -> None:
        if not _name(name) or not steps.isascii() or not steps.isdigit() or len(steps) > 5:
            self._refuse(text, "is no request,steps,direction")
            return
        self.moves.append((name, WAYS[way] * int(steps)))

    def _is_pair(self, cells: list[str]) -> bool:
        """Whether two names can only be a control and a value that is none: pairs came before."""
        return len(cells) == 2 and self.header is None and bool(self.seen)

    def _row(self, text: str, cells: list[str]) -> Iterator[tuple[str, int | None]]:
        assert self.header is not None
        if len(cells) != len(self.header):
            self._refuse(text, f"has {len(cells)} cells where the header has {len(self.header)}")
            return
        for name, cell in zip(self.header, cells, strict=True):
            if name != "t_ms":
                yield from self._one(text, name, cell)

    def _one(self, text: str, name: str, cell: str) -> Iterator[tuple[str, int | None]]:
        if cell and not _whole(cell):
            self._refuse(text, f"{name} is no whole number of up to nine digits")
            return
        self.seen.add(name)
        yield name, int(cell) if cell else None

    def _refuse(self, text: str, what: str) -> None:
        self.refused += 1
        if what not in self._said:
            self._said.add(what)
            shown = f'"{printable(text[:40])}" ' if text else "a line "
            self._warn(f"{shown}{what}; such lines are passed over")


class Lines(Plain):
    """Lines of text as a source. ``more`` gives the bytes that have come, b"" for none, None at the end."""

    def __init__(
        self,
        name: str,
        more: Callable[[], bytes | None],
        warn: Callable[[str], None] = lambda text: None,
        close: Callable[[], None] = lambda: None,
    ) -> None:
        super().__init__(name)
        self._reader = LineReader(lambda text: warn(f"{name}: {text}"))
        self._more, self._close = more, close

    @property
    def items(self) -> Collection[str]:
        """The names that have come."""
        return self._reader.seen | {name for name in self._reader.header or () if name != "t_ms"}

    def may_move(self, name: str) -> str | None:
        """Whatever control is named in a line."""
        return name

    def read(self, now_ms: int, wanted: Collection[str]) -> Items:
        """The last reading of each that has come since the last look."""
        if self.over:
            return {}
        data = self._more()
        if data is None:
            self.over, self.why = True, f"{self.name} has ended"
            return dict(self._reader.end())
        return dict(self._reader.take(data))

    def moves_asked(self) -> list[tuple[str, int]]:
        """Those of the lines that have come."""
        asked, self._reader.moves = self._reader.moves, []
        return asked

    def skip(self) -> None:
        """What queued up while nobody looked was said long ago."""
        for _ in range(64):
            if not self._more():
                break
        self._reader.forget()
        self._reader.moves = []

    def close(self) -> None:
        """Close what it reads."""
        self._close()
