"""``nuvrik panel``: be the handset from a page in a browser, and see everything that the link does."""

import gc
import ipaddress
import os
import ssl
import sys
import tempfile
import threading
import webbrowser
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path

from nuvrik.budget.stop import page_stale_ms
from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.inputs.meeting import make_ready, opened_log
from nuvrik.cli.words import DONE, Trouble, say, tell
from nuvrik.ends.handset import Handset
from nuvrik.panel.control import page_controls
from nuvrik.panel.described import describe
from nuvrik.panel.player import PanelPlayer
from nuvrik.panel.room import Room
from nuvrik.panel.server import PanelServer, now_ms
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
    tls = _tls(cert, key)
    for one in problems:
        if one.where.endswith(".stale_ms"):
            tell(f"{one.level}: {one.where} {one.what}: {one.do}")
    _warn(names, tls is not None)
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
                driven, player.noted = written.line, written.read
            faults = sim.bench.faults if sim is not None else {}
            described = describe(link, text, problems, player.by_host, faults)
            server = stack.enter_context(
                _served(PanelServer(player, described, _hosts(names), at, names, tls))
            )
            code = stack.enter_context(_showing(server, qr, opens))
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


@contextmanager
def _served(server: PanelServer) -> Iterator[PanelServer]:
    with ExitStack() as stack:
        try:
            stack.enter_context(server)
        except OSError as error:
            why = os.strerror(error.errno).lower() if error.errno else str(error)
            raise Trouble(f"port {server.port}: {why}; leave --at out, or look at --listen") from None
        yield server


def _tls(cert: Path | None, key: Path | None) -> ssl.SSLContext | None:
    if cert is None:
        if key is not None:
            raise Trouble("--key is given without --cert")
        return None
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    try:
        context.load_cert_chain(cert, key)
    except (OSError, ssl.SSLError) as error:
        raise Trouble(f"--cert {cert}: cannot be used: {error.strerror or error}") from None
    return context


def _warn(names: Sequence[str], tls: bool) -> None:
    if names and not tls:
        tell(
            "warning: without --cert whoever can change what is sent on this network can drive; and a "
            "browser may refuse gamepads, and let the screen go dark"
        )


def _hosts(names: Sequence[str]) -> list[str]:
    """Where to listen: on this computer, and on the addresses that were given; for a name, on all."""
    hosts = ["127.0.0.1"]
    for name in names:
        try:
            hosts.append(str(ipaddress.ip_address(name.strip("[]"))))
        except ValueError:
            return ["0.0.0.0"]
    return list(dict.fromkeys(hosts))


@contextmanager
def _showing(server: PanelServer, qr: bool, opens: bool) -> Iterator[list[int]]:
    """Say how to open the page, and open it where there is a screen. Gives by how many lines a code that is
    shown is cleared once a page has joined."""
    link = server.link_to()
    say(f"open {link}")
    say("Ctrl-C stops and disarms")
    sys.stdout.flush()
    lines: list[int] = []
    if qr:
        import segno

        code = segno.make(link, error="m")
        code.terminal(out=sys.stderr, compact=True)
        lines.append(int(code.symbol_size(border=4)[1] + 1) // 2)
    with _forwarding(link) as page:
        if opens and _has_screen():
            # Some browsers come back only when they are closed.
            threading.Thread(target=webbrowser.open, args=(page.as_uri(),), daemon=True).start()
        yield lines


@contextmanager
def _forwarding(link: str) -> Iterator[Path]:
    """A file that only this user can read, and that leads to the page. So the token stands on no command
    line, which any user of this computer could list."""
    descriptor, name = tempfile.mkstemp(suffix=".html", prefix="nuvrik-panel-")
    path = Path(name)
    with os.fdopen(descriptor, "w") as file:
        file.write(
            f'<!doctype html><meta http-equiv="refresh" content="0; url={link}"><title>panel</title>\n'
        )
    try:
        yield path
    finally:
        path.unlink(missing_ok=True)


def _has_screen() -> bool:
    if sys.platform in ("darwin", "win32"):
        return True
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))
