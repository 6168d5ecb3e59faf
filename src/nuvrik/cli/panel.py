"""``nuvrik panel``: be the handset from a page in a browser, and see everything that the link does."""

import gc
import sys
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.budget.stop import page_stale_ms
from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.inputs.meeting import make_ready, opened_log
from nuvrik.cli.inputs.page import served, showing, tls_context
from nuvrik.cli.options import HandsetLogFile, LinkFile, PortName
from nuvrik.cli.words import DONE, speaks_plainly, tell
from nuvrik.ends.handset import Handset
from nuvrik.panel.control import page_controls
from nuvrik.panel.described import describe
from nuvrik.panel.player import PanelPlayer
from nuvrik.panel.room import Room
from nuvrik.panel.server import now_ms
from nuvrik.panel.twin import Twin
from nuvrik.plan.load import examine, load, read_text
from nuvrik.ports.driving import run_handset
from nuvrik.ports.handset_log import HandsetLog
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import AnyClock, ByteLine
from nuvrik.ports.sim import RealTime, SimLine
from nuvrik.ports.sources import open_source


def run(
    file: Path,
    port: str,
    sources: Sequence[str],
    at: int,
    names: Sequence[str],
    cert: Path | None,
    key: Path | None,
    log: Path | None,
    qr: bool,
    opens: bool,
) -> int:
    """Serve the page and be the handset, until somebody interrupts."""
    link = load(file)
    text = read_text(file)
    _, problems = examine(text, str(file))
    tls = tls_context(cert, key)
    for one in problems:
        if one.where.endswith(".stale_ms"):
            tell(f"{one.level}: {one.where} {one.what}: {one.do}")
    with Signals(final=True) as signals, open_line(link, port, wait_s=0) as line, ExitStack() as stack:
        try:
            hands = stack.enter_context(open_source(link, sources, tell)) if sources else None
            sim = line if isinstance(line, SimLine) else None
            make_ready(link, line, signals)
            twin = Twin(link, line) if sim is None else None
            driven: ByteLine = line if twin is None else twin
            written = HandsetLog(link, driven, stack.enter_context(opened_log(log, file))) if log else None
            room = Room(page_controls(link), page_stale_ms(link), link.failsafe.timeout_ms)
            player = PanelPlayer(link, room, hands, now_ms, sim, twin)
            if written is not None:
                driven, player.noted, player.marked = written.line, written.read, written.mark
            faults = sim.bench.faults if sim is not None else {}
            described = describe(link, text, problems, player.by_host, faults)
            server = stack.enter_context(served(player, described, names, at, tls))
            code = stack.enter_context(showing(server, "Ctrl-C stops and disarms", qr=qr, opens=opens))
        except KeyboardInterrupt:
            tell("interrupted: nothing was driven yet")
            return DONE

        def told(t_ms: int, played_ms: int, handset: Handset) -> None:
            player.told(t_ms, played_ms, handset)
            if written is not None:
                written.told(t_ms, played_ms, handset)
            if code and room.pages:
                print(f"\x1b[{code.pop()}F\x1b[J", end="", file=sys.stderr, flush=True)

        clock: AnyClock | None = RealTime(sim) if sim is not None else None
        gc.collect()
        gc.freeze()
        make = Handset if sim is None else sim.handset
        played = run_handset(link, driven, player, told, clock, signals, player.heard, make)
    tell(f"interrupted: {played.farewell.words}")
    return DONE


@speaks_plainly
def command(
    link: LinkFile,
    port: PortName,
    source: Annotated[
        list[str] | None,
        typer.Option(
            "--from",
            metavar="SOURCE",
            help="Hands at the host besides: pad, board:PORT, as of drive.",
        ),
    ] = None,
    at: Annotated[
        int, typer.Option("--at", metavar="N", min=0, max=65535, help="The number of the web port; 0: any.")
    ] = 0,
    listen: Annotated[
        list[str] | None,
        typer.Option("--listen", metavar="NAME", help="A name or address of this computer, for phones."),
    ] = None,
    cert: Annotated[
        Path | None, typer.Option("--cert", metavar="PEM", help="A certificate: the page comes over TLS.")
    ] = None,
    key: Annotated[
        Path | None, typer.Option("--key", metavar="PEM", help="Its key, if that is not in the same file.")
    ] = None,
    log: HandsetLogFile = None,
    qr: Annotated[bool, typer.Option("--qr", help="Show the link as a code, for a phone.")] = False,
    opens: Annotated[bool, typer.Option("--open/--no-open", help="Open it in a browser here.")] = True,
) -> int:
    """Be the handset from a page in a browser.

    The page drives once it has taken the hand; Space and Esc on it stop. The link that is printed lets in
    whoever has it, until the program ends. Ctrl-C sends sticks at rest and arm off before it leaves.
    """
    return run(link, port, source or [], at, listen or [], cert, key, log, qr, opens)
