"""A port, opened for a command and closed in the end."""

from collections.abc import Iterator
from contextlib import contextmanager

from nuvrik.cli.words import tell
from nuvrik.plan.form.media import chip_of
from nuvrik.plan.form.models import Link
from nuvrik.ports.open import AnyPort, open_port
from nuvrik.ports.sim import SimLine


@contextmanager
def open_line(link: Link, name: str, wait_s: float | None = None, end: str = "handset") -> Iterator[AnyPort]:
    """A port by any name, closed in the end. ``wait_s``: how long a read waits, where the loop does not wait
    itself; ``end``: which end it is for."""
    line = open_port(link, name, wait_s, end)
    if isinstance(line, SimLine):
        yield line
        return
    with line:
        _note_framing(link, line)
        yield line


def _note_framing(link: Link, line: AnyPort) -> None:
    if link.medium.datagrams and line.stream:
        kind = link.medium.kind
        a_kind = f"an {kind}" if kind[0] in "aeio" else f"a {kind}"
        tell(f"{link.name} is {a_kind} link; on a port its frames travel as a stream, zeros between")
        if chip_of(link.medium):
            tell("a board hears them there as a bridge, or where it was exported with --wire")
