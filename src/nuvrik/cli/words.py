"""How commands speak: tables and plain lines on stdout, trouble on stderr, and one way out."""

import functools
import os
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from typing import Any, NoReturn, ParamSpec

P = ParamSpec("P")

DONE, NO, COULD_NOT = 0, 1, 2


class Trouble(Exception):
    """Something a command cannot get past: what to say, and the exit code."""

    def __init__(self, what: str, code: int = COULD_NOT) -> None:
        super().__init__(what)
        self.code = code


SHOW_FAULTS = "NUVRIK_SHOW_FAULTS"
TELL_US = f"not yours to mend: run it again with {SHOW_FAULTS}=1 in the environment, and tell us what it says"


def speaks_plainly(command: Callable[P, int | None]) -> Callable[P, None]:
    """Wrap a command so that every way it can end is an exit code and plain words, never a traceback."""

    @functools.wraps(command)
    def wrapped(*args: P.args, **kwargs: P.kwargs) -> None:
        from nuvrik.plan.problems import LinkFileError
        from nuvrik.ports.port import PortError
        from nuvrik.rehearsal.recording import RecordingError

        try:
            code = command(*args, **kwargs)
            sys.stdout.flush()
        except Trouble as trouble:
            leave(str(trouble), trouble.code)
        except (LinkFileError, RecordingError, PortError) as error:
            leave(str(error), COULD_NOT)
        except KeyboardInterrupt:
            leave("interrupted", COULD_NOT)
        except BrokenPipeError:
            # Whoever read the output has seen enough (`nuvrik inspect ... | head`).
            sys.stdout = None  # or Python complains while it exits
            sys.exit(DONE)
        except OSError as error:
            leave(f"{error.filename or 'file'}: {(error.strerror or str(error)).lower()}", COULD_NOT)
        except Exception as error:
            if os.environ.get(SHOW_FAULTS):
                raise
            leave(f"a fault of its own: {type(error).__name__}: {error}\n  -> {TELL_US}", COULD_NOT)
        sys.exit(code or DONE)

    return wrapped


def leave(what: str, code: int) -> NoReturn:
    """Say what is the matter on stderr, and go."""
    print(f"nuvrik: {what}", file=sys.stderr)
    sys.exit(code)


def say(text: str = "") -> None:
    """A line on stdout."""
    print(text)


def say_json(record: Any) -> None:
    """One JSON object on one line."""
    import json

    print(json.dumps(record, allow_nan=False))


def console() -> Any:
    """A rich console on stdout, as wide as the terminal, 100 columns where there is none."""
    from rich.console import Console

    return Console(highlight=False, width=None if sys.stdout.isatty() else 100)


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

    headings, listed = [*columns], [[*row] for row in rows]
    texts = [[heading.removeprefix(">"), *cells] for heading, *cells in zip(headings, *listed, strict=True)]
    total = console().width - 2  # what the edges take
    narrow = sum(max(map(len, cells)) for cells in texts) + 3 * (len(texts) - 1) > total
    widths = _widths(texts, total - (2 if narrow else 3) * (len(texts) - 1))
    made = Table(box=box.SIMPLE_HEAD, pad_edge=False, collapse_padding=narrow)
    for heading, cells, width in zip(headings, texts, widths, strict=True):
        justify: Any = "right" if heading.startswith(">") else "left"
        made.add_column(cells[0], justify=justify, width=width, overflow="fold")
    for row in listed:
        made.add_row(*(Text(cell) for cell in row))
    # A title of its own: one of the table's would be broken to the table's width.
    return Group(Text(title, style="bold"), made) if title else made


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
