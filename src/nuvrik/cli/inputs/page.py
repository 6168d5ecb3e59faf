"""A page in a browser, served for as long as a command runs, and how to open it."""

import ipaddress
import os
import re
import ssl
import sys
import tempfile
import threading
import webbrowser
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

from nuvrik.budget.stop import page_stale_ms
from nuvrik.cli.words import Trouble, say, tell
from nuvrik.ends.handset import Handset
from nuvrik.panel.control import page_controls
from nuvrik.panel.described import describe
from nuvrik.panel.player import PanelPlayer
from nuvrik.panel.room import Room
from nuvrik.panel.server import PanelServer, now_ms
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import examine, read_text
from nuvrik.ports.sources import Hands

Noted = Callable[[int, Mapping[str, int | None]], None]
"""Told of what has been read, with its time."""


def tls_context(cert: Path | None, key: Path | None) -> ssl.SSLContext | None:
    """What --cert and --key come to."""
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


LABEL = "[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?"
A_NAME = re.compile(rf"(?=.{{1,253}}$){LABEL}(\.{LABEL})*")
"""A host's name (RFC 1123)."""

DIGITS_AND_DOTS = re.compile(r"[0-9.]+")


@contextmanager
def served(
    player: PanelPlayer,
    described: dict[str, Any],
    names: Sequence[str] = (),
    at: int = 0,
    tls: ssl.SSLContext | None = None,
) -> Iterator[PanelServer]:
    """Pages for a player, on this computer and by the names that are given."""
    if names and tls is None:
        tell(
            "warning: without --cert whoever can change what is sent on this network can drive; and a "
            "browser may refuse gamepads, and let the screen go dark"
        )
    server = PanelServer(player, described, _hosts(names), at, names, tls)
    with ExitStack() as stack:
        try:
            stack.enter_context(server)
        except OSError as error:
            why = os.strerror(error.errno).lower() if error.errno else str(error)
            raise Trouble(f"port {server.port}: {why}; leave --at out, or look at --listen") from None
        yield server


def _hosts(names: Sequence[str]) -> list[str]:
    """Where to listen: on this computer, and on the addresses that were given; for a name, on all. Trouble
    for what is neither."""
    hosts, everywhere = ["127.0.0.1"], False
    for name in names:
        try:
            hosts.append(str(ipaddress.ip_address(name.strip("[]"))))
        except ValueError:
            if not A_NAME.fullmatch(name) or DIGITS_AND_DOTS.fullmatch(name):
                what = f'"{name}" is neither an address nor a name of this computer'
                raise Trouble(f"--listen: {what}; give one as 192.168.4.7 or boat.local") from None
            everywhere = True
    return ["0.0.0.0"] if everywhere else list(dict.fromkeys(hosts))


@contextmanager
def showing(server: PanelServer, ends: str, *, qr: bool = False, opens: bool = True) -> Iterator[list[int]]:
    """Say how to open the page and what ``ends`` it, and open it where there is a screen. Gives by how many
    lines a code that is shown is cleared once a page has joined."""
    link = server.link_to()
    say(f"open {link}")
    say(ends)
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
def recorded_page(
    link: Link, file: Path, hands: Hands | None, noted: Noted
) -> Iterator[Callable[[int], None]]:
    """A page that drives nothing: what is done on it, beside what ``hands`` read at the host, goes to
    ``noted``. Gives what is to be called in every turn, with the time."""
    text = read_text(file)
    room = Room(page_controls(link), page_stale_ms(link), link.failsafe.timeout_ms)
    player = PanelPlayer(link, room, hands, now_ms, None, None)
    described = describe(link, text, examine(text, str(file))[1], player.by_host, {}, records=True)
    handset = Handset(link, without=player.missing)
    player.noted = noted

    def turn(at_ms: int) -> None:
        player.play_into(handset, at_ms)
        handset.send(at_ms)  # to nobody
        player.told(at_ms, 0, handset)

    with served(player, described) as server, showing(server, "take the hand there; Ctrl-C ends it"):
        yield turn


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
