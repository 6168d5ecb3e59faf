"""Sources: from where readings of controls come, live.

A source is named as on the command line, ``--from``::

    pad             the first gamepad; pad:1 the second
    keys            keys of the terminal, for controls with a char
    -               lines of CSV on standard input, from another program
    board:PORT      a board with sticks on it, that prints raw readings
    FILE            a recording, or the log of a live run

Before any of them may stand the name by which link files call it: ``left=pad:0 right=pad:1``. Without one it
is called pad, keys, lines, board or recording.
"""

import re
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from nuvrik.openfile import NotText, open_text
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.ports.open import baud_of
from nuvrik.ports.sources.board import Board
from nuvrik.ports.sources.hands import Hands
from nuvrik.ports.sources.keys import Keys
from nuvrik.ports.sources.lines import Lines
from nuvrik.ports.sources.pads import PadSource
from nuvrik.ports.sources.recorded import Recorded
from nuvrik.ports.sources.source import Source, SourceError
from nuvrik.ports.sources.stream import Stream
from nuvrik.recordings.recording import Recording, RecordingError, parse_recording

_named = re.compile(r"([a-z][a-z0-9_]*)=(.+)", re.DOTALL).fullmatch
_pad = re.compile(r"pad(?::([0-9]{1,2}))?").fullmatch

Warn = Callable[[str], None]


def no_words(text: str) -> None:
    """Nobody is told."""


def open_one(link: Link, what: str, warn: Warn = no_words, *, alone: bool = True) -> Source:
    """One source by its name. ``alone``: a recording must have a column for every control that may not be
    left out; beside other sources it need not. Raises SourceError, PortError, RecordingError."""
    named = _named(what)
    # A file may have such a name too.
    name, rest = named.groups() if named and not Path(what).exists() else ("", what)
    pad = _pad(rest)
    if pad:
        return PadSource(name or "pad", int(pad[1] or 0))
    if rest == "keys":
        return Keys(name or "keys")
    if rest == "-":
        return Lines(name or "lines", Stream(sys.stdin.fileno()).more, warn)
    if rest == "page" and not Path(rest).exists():
        raise SourceError("page: a page drives with `nuvrik panel`; `nuvrik record --from page` records it")
    if rest.startswith("board:"):
        return Board(name or "board", rest.removeprefix("board:"), baud_of(link), warn)
    return Recorded(name or "recording", _recording(link, rest, alone))


def _recording(link: Link, file: str, alone: bool) -> Recording:
    try:
        with open_text(Path(file)) as text:
            return parse_recording(text, link, file, whole=alone)
    except FileNotFoundError:
        raise SourceError(
            f"{file}: there is no such file; a source is a recording, pad, keys, - or board:PORT"
        ) from None
    except (UnicodeError, NotText):
        raise SourceError(f"{file}: is not text; a recording is CSV: t_ms,CONTROL,...") from None


def open_source(link: Link | str | Path, source: str | Sequence[str], warn: Warn = no_words) -> Hands:
    """Open a source of readings, or several, for the controls of a link::

        with nuvrik.open_source(link, "pad") as pad:
            handset.read(now_ms, **pad.read(now_ms))

    ``source`` is named as on the command line: ``pad``, ``pad:1``, ``keys``, ``-``, ``board:PORT``, the name
    of a recording; ``left=pad:0`` gives one another name. ``warn`` is told, in plain words, of what is passed
    over. Raises SourceError, PortError, RecordingError.
    """
    link = link if isinstance(link, Link) else load(link)
    names = [source] if isinstance(source, str) else list(source)
    opened: list[Source] = []
    try:
        for one in names:
            opened.append(open_one(link, one, warn, alone=len(names) == 1))
        return Hands(link, opened, warn)
    except BaseException:
        for made in opened:
            made.close()
        raise


__all__ = ["Hands", "RecordingError", "Source", "SourceError", "open_one", "open_source"]
