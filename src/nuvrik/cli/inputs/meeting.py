"""Before anything is driven: is it the machine that this file is for? And where a log goes."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TextIO

from nuvrik.cli.words import Trouble, tell
from nuvrik.plan.form.models import Link
from nuvrik.ports.files import open_log
from nuvrik.ports.hello import meet, other_build, other_file
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import WallClock
from nuvrik.ports.open import AnyPort
from nuvrik.ports.sim import SimLine
from nuvrik.ports.tapped import Tapped
from nuvrik.printable import printable

HELLO_MS = 3000


def make_ready(link: Link, line: AnyPort, signals: Signals) -> None:
    """Before anything is driven on a real port: hello where there is one, or else the time that a board takes
    to start. KeyboardInterrupt, where somebody does not want to wait."""
    if isinstance(line, SimLine):
        return
    if link.two_way and link.frame.carries_questions:
        _meet(link, line)
    else:
        _settle(link, signals)


def _meet(link: Link, line: AnyPort) -> None:
    """Before anything is driven on a two-way link: is it the machine that this file is for?"""
    tapped = Tapped(line)
    wait_ms = max(HELLO_MS, link.settle_ms + 1000)
    found, _ = meet(link, tapped, WallClock(), wait_ms)
    if not found:
        why = _why_nobody(line, sum(map(len, tapped.came)))
        tell(f"nobody answered hello within {wait_ms / 1000:g} s{why}; going on without")
    elif found[0].authenticated is False:
        # Anybody can have said that, so nothing follows from it.
        who = printable(found[0].identity.name)
        tell(f"warning: {who} answers, but not with this file's key (another key, or none); going on without")
        return
    elif all(other_file(one.identity, link) for one in found):
        raise Trouble(str(other_file(found[0].identity, link)))
    for one in found:
        said = "" if other_file(one.identity, link) else other_build(one.identity, link)
        if said:
            # It does what its own file says, safely; but that is not what was checked and rehearsed here.
            tell(f"warning: {printable(one.identity.name)}, at the other end, was built {said}")


def _why_nobody(line: AnyPort, came: int) -> str:
    """What may be the matter where nobody answers."""
    if line.waits:
        return f" ({line.waits})"
    if came:
        doubt = "another baud rate, or another link? `nuvrik inspect LINK --port` says more"
        return f" ({came} bytes came, but no answer: {doubt})"
    return " (is it on, and built from this file?)"


def _settle(link: Link, signals: Signals) -> None:
    """A board that resets when its port is opened must run before it can be told anything."""
    clock = WallClock()
    if link.settle_ms:
        tell(f"waiting {link.settle_ms / 1000:g} s for the machine's board to start")
    while clock.now_ms() < link.settle_ms:
        signals.checkpoint()
        clock.sleep(0.01)


@contextmanager
def opened_log(log: Path, file: Path) -> Iterator[TextIO]:
    """The file that a log is written to."""
    with open_log(log) as out:
        yield out
