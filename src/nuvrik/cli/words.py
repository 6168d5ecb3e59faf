"""How commands speak: tables and plain lines on stdout, trouble on stderr, and one way out."""

import contextlib
import errno
import functools
import io
import math
import os
import sys
import textwrap
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from typing import Any, NoReturn, ParamSpec

from nuvrik import openfile
from nuvrik.printable import printable

P = ParamSpec("P")

DONE, NO, COULD_NOT = 0, 1, 2


class Trouble(Exception):
    """Something a command cannot get past: what to say, and the exit code."""

    def __init__(self, what: str, code: int = COULD_NOT) -> None:
        super().__init__(what)
        self.code = code


SHOW_FAULTS = "NUVRIK_SHOW_FAULTS"
TELL_US = f"run it again with {SHOW_FAULTS}=1 in the environment, and add what it prints to the report"


def speaks_plainly(command: Callable[P, int | None]) -> Callable[P, None]:
    """Wrap a command so that every way it can end is an exit code and plain words, never a traceback."""

    @functools.wraps(command)
    def wrapped(*args: P.args, **kwargs: P.kwargs) -> None:
        from nuvrik.plan.problems import LinkFileError
        from nuvrik.ports.port import PortError
        from nuvrik.ports.sources.source import SourceError
        from nuvrik.recordings.recording import RecordingError

        try:
            openfile.begin()
            _ordinary(kwargs)
            code = command(*args, **kwargs)
            sys.stdout.flush()
        except Trouble as trouble:
            leave(str(trouble), trouble.code)
        except (LinkFileError, RecordingError, PortError, SourceError) as error:
            leave(str(error), COULD_NOT)
        except KeyboardInterrupt:
            leave("interrupted", COULD_NOT)
        except BrokenPipeError:
            # Whoever read the output has seen enough (`nuvrik inspect ... | head`).
            sys.stdout = None  # or Python complains while it exits
            sys.exit(DONE)
        except OSError as error:
            named = error.filename if isinstance(error.filename, str) else None
            leave(f"{named or 'output'}: {(error.strerror or str(error)).lower()}", COULD_NOT)
        except Exception as error:
            if os.environ.get(SHOW_FAULTS):
                raise
            leave(
                f"internal error; please report it: {type(error).__name__}: {error}\n  -> {TELL_US}",
                COULD_NOT,
            )
        sys.exit(code or DONE)

    return wrapped


def _ordinary(options: dict[str, Any]) -> None:
    """No option may be infinite, or no number at all."""
    for name, value in options.items():
        if isinstance(value, float) and not math.isfinite(value):
            raise Trouble(f"--{name.replace('_', '-')} is {value}; it must be an ordinary number")


def leave(what: str, code: int) -> NoReturn:
    """Say what is the matter on stderr, and go."""
    tell(f"nuvrik: {what}")
    # What was printed before may be what could not be written; it must not be tried again at the exit.
    with contextlib.suppress(OSError, ValueError, AttributeError):
        sys.stdout.flush()
        sys.exit(code)
    sys.stdout = None
    sys.exit(code)


# ---- everything printed goes through here --------------------------------------------------


class _Closed(io.TextIOBase):
    """A stdout that was closed before the program began: writing to it fails, as it would on a full disk."""

    encoding = "utf-8"

    def write(self, text: str) -> int:
        raise OSError(errno.EBADF, "standard output is closed")


def prepare_streams() -> None:
    """Let no character be one that cannot be written: an old terminal, a C locale, a name in any script."""
    if sys.stdout is None:
        sys.stdout = _Closed()
    for stream in (sys.stdout, sys.stderr):
        reconfigure = getattr(stream, "reconfigure", None)
        if reconfigure is not None:
            reconfigure(errors="backslashreplace")


def flush_all(code: int) -> int:
    """What is to be the exit code once everything printed has been written; COULD_NOT if it could not."""
    try:
        if sys.stdout is not None:
            sys.stdout.flush()
    except BrokenPipeError:
        sys.stdout = None
    except OSError as error:
        sys.stdout = None
        tell(f"nuvrik: output: {(error.strerror or str(error)).lower()}")
        return COULD_NOT
    return code


def say(text: str = "") -> None:
    """A line on stdout."""
    print(printable(text, lines=True))


def ask(question: str) -> str | None:
    """A question on stdout and the line that answers it; None when nobody answers any more."""
    print(printable(question, lines=True), end="", flush=True)
    answer = sys.stdin.readline() if sys.stdin else ""
    return answer or None


def tell(text: str) -> None:
    """A line on stderr. If nobody can read it any more (the terminal has been closed), so be it."""
    with contextlib.suppress(OSError, ValueError):
        print(printable(text, lines=True), file=sys.stderr, flush=True)


def say_json(record: Any) -> None:
    """One JSON object on one line."""
    import json

    print(json.dumps(record, allow_nan=False))


class Page:
    """Lines and tables on stdout. Text is printed as it is: what looks like markup in it is text."""

    def __init__(self) -> None:
        from rich.console import Console

        width = None if sys.stdout is not None and sys.stdout.isatty() else 100
        self.console = Console(highlight=False, markup=False, emoji=False, width=width)

    def print(self, *parts: Any, soft_wrap: bool = False) -> None:
        """A line made of texts, pairs of text and style, or a table."""
        from rich.text import Text

        made = Text()
        for part in parts:
            if isinstance(part, str):
                made.append(printable(part, lines=True))
            elif isinstance(part, tuple):
                made.append(printable(part[0], lines=True), part[1])
            else:
                self.console.print(part)
                return
        self.console.print(made, soft_wrap=soft_wrap)

    def paragraph(self, text: str) -> None:
        """A sentence, or several, as wide as the page; lines after the first stand in a little further."""
        lines = textwrap.wrap(printable(text), self.console.width - 4)
        self.print("\n".join(f"{'    ' if number else '  '}{line}" for number, line in enumerate(lines)))


def console() -> Page:
    """A page on stdout, as wide as the terminal, 100 columns where there is none."""
    return Page()


@contextmanager
def busy(what: str) -> Iterator[None]:
    """Say on stderr, if that is a terminal, that something takes a moment."""
    if not sys.stderr.isatty():
        yield
        return
    from rich.console import Console

    with Console(stderr=True).status(what):
        yield


def table(title: str, columns: Iterable[str], rows: Iterable[Iterable[str]]) -> Any:
    """A rich table in the house's look; columns that begin with > are right-aligned."""
    from rich import box
    from rich.console import Group
    from rich.table import Table
    from rich.text import Text

    headings, listed = [*columns], [[printable(cell) for cell in row] for row in rows]
    texts = [[heading.removeprefix(">"), *cells] for heading, *cells in zip(headings, *listed, strict=True)]
    total = console().console.width - 2  # what the edges take
    narrow = sum(max(map(len, cells)) for cells in texts) + 3 * (len(texts) - 1) > total
    widths = _widths(texts, total - (2 if narrow else 3) * (len(texts) - 1))
    made = Table(box=box.SIMPLE_HEAD, pad_edge=False, collapse_padding=narrow)
    for heading, cells, width in zip(headings, texts, widths, strict=True):
        justify: Any = "right" if heading.startswith(">") else "left"
        made.add_column(cells[0], justify=justify, width=width, overflow="fold")
    for row in listed:
        made.add_row(*(Text(cell) for cell in row))
    # A title of its own: one of the table's would be broken to the table's width.
    return Group(Text(printable(title, lines=True), style="bold"), made) if title else made


def _widths(columns: list[list[str]], room: int) -> list[int]:
    """How wide each column is to be: as wide as its text, or, where there is less room, the widest give way
    as far as their longest words let them."""
    widths = [max(map(len, cells)) for cells in columns]
    least = [max(len(word) for cell in cells for word in cell.split() or [""]) for cells in columns]
    while sum(widths) > room:
        able = [place for place, width in enumerate(widths) if width > least[place]]
        if not able:
            break
        widths[max(able, key=widths.__getitem__)] -= 1
    return widths
