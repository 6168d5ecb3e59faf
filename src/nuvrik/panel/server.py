"""The web server of the panel: a few files, and one WebSocket, behind doors.

It runs in a thread of its own, so that nothing that a browser does can hold up frames, and nothing that the
loop of the handset does can hold up a stop. The two share the room and the newest state, under one lock that
neither keeps while it waits."""

import asyncio
import contextlib
import json
import logging
import ssl
import threading
import time
from collections.abc import Sequence
from typing import Any

from aiohttp import WSCloseCode, WSMessage, WSMsgType, web

from nuvrik.panel import messages
from nuvrik.panel.doors import Doors, bracketed, new_challenge, new_token, proves
from nuvrik.panel.files import static_files
from nuvrik.panel.messages import MOST_BYTES, VERSION, Nonsense, is_stop, parse, understand
from nuvrik.panel.player import PanelPlayer
from nuvrik.panel.room import BEAT_MS, Answer, Page

MOST_CONNECTIONS = 32
FIRST_REQUEST_S = 5.0
"""A connection that asks for nothing for so long is closed: it only keeps another from coming in."""

IDLE_S = 5.0
"""A connection that has nothing more to ask for is closed as soon, so that many of them keep nobody out."""

MOST_UNJOINED = 4
JOIN_S = 8.0
"""Longer than a round trip of three seconds, and what a phone that wakes up needs besides."""

STEP_S = 0.005
"""How soon a page that is told nothing now is looked at again."""

LOOKED_THROUGH = 200
"""Messages in which a stop is looked for before a page is thrown out."""

WRONG_TOKEN = 4401
FULL = 4429
"""Why a page was not let in, as its connection is closed."""


def now_ms() -> float:
    """Milliseconds that only grow."""
    return 1000 * time.monotonic()


class PanelServer:
    """The server of one panel. ``hosts`` and ``port`` are where it listens, port 0 being any that is free;
    ``names`` are those by which it may be called besides."""

    def __init__(
        self,
        player: PanelPlayer,
        described: dict[str, Any],
        hosts: Sequence[str] = ("127.0.0.1",),
        port: int = 0,
        names: Sequence[str] = (),
        tls: ssl.SSLContext | None = None,
    ) -> None:
        self.player, self.room = player, player.room
        self._described = described
        self._hosts, self._port, self._names, self._tls = list(hosts), port, names, tls
        self.token = new_token()
        self.doors = Doors(0)
        self._files = static_files()
        self._asked: set[Any] = set()
        self._pages: set[Any] = set()
        self._unjoined = 0
        self._built: tuple[Any, str] = (None, "")
        self._thread = threading.Thread(target=self._run, daemon=True, name="nuvrik panel")
        self._started = threading.Event()
        self._trouble: BaseException | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._ended: asyncio.Event | None = None

    # ---- begin and end ----

    def __enter__(self) -> "PanelServer":
        self._thread.start()
        self._started.wait()
        if self._trouble is not None:
            raise self._trouble
        return self

    def __exit__(self, *_: object) -> None:
        if self._loop is not None and self._ended is not None:
            self._loop.call_soon_threadsafe(self._ended.set)
        self._thread.join(5)

    @property
    def port(self) -> int:
        """Where it listens."""
        return self._port

    def link_to(self) -> str:
        """What opens the page. The token stands behind #, so that it is in no request and in no log."""
        host = bracketed(self._names[0]) if self._names else "127.0.0.1"
        return f"{self.doors.scheme}://{host}:{self._port}/#{self.token.hex()}"

    def _run(self) -> None:
        try:
            asyncio.run(self._serve())
        except BaseException as error:
            self._trouble = error
        finally:
            self._started.set()

    async def _serve(self) -> None:
        app = web.Application(middlewares=[self._guard])
        app.on_response_prepare.append(self._add_headers)
        app.router.add_route("*", "/live", self._live)
        app.router.add_route("*", "/{path:.*}", self._file)
        quiet = logging.getLogger("nuvrik.panel")
        quiet.addHandler(logging.NullHandler())
        runner = web.AppRunner(
            app,
            access_log=None,
            logger=quiet,
            handle_signals=False,
            shutdown_timeout=0.5,
            keepalive_timeout=IDLE_S,
        )
        await runner.setup()
        for host in self._hosts:
            # A free port that was found for the first is everybody's.
            site = web.TCPSite(runner, host, self._port, ssl_context=self._tls)
            await site.start()
            self._port = runner.addresses[0][1]
        self.doors = Doors(self._port, self._names, tls=self._tls is not None)
        self._loop, self._ended = asyncio.get_running_loop(), asyncio.Event()
        self._started.set()
        doorman = asyncio.create_task(self._keep_doors(runner))
        await self._ended.wait()
        doorman.cancel()
        await runner.cleanup()

    async def _keep_doors(self, runner: web.AppRunner) -> None:
        """Too many connections, and those that ask for nothing, are closed."""
        since: dict[Any, float] = {}
        while True:
            await asyncio.sleep(0.1)
            assert runner.server is not None
            here = list(runner.server.connections)
            since = {one: since.get(one, time.monotonic()) for one in here}
            self._asked &= set(here)
            self._pages &= set(here)
            waits = [one for one in here if one not in self._asked]
            old = [one for one in waits if time.monotonic() - since[one] > FIRST_REQUEST_S]
            # Those that have waited longest go: whoever has just come may be about to ask. Then those that
            # have asked for a file, and never a page that has joined.
            idle = [one for one in here if one in self._asked and one not in self._pages]
            for one in {*old, *[*waits, *idle][: max(0, len(here) - MOST_CONNECTIONS)]}:
                if one.transport is not None:
                    one.transport.abort()

    # ---- every request ----

    @web.middleware
    async def _guard(self, request: web.Request, handler: Any) -> web.StreamResponse:
        assert isinstance(request, web.Request)
        self._asked.add(request.protocol)
        if len(request.headers.getall("Host", [])) != 1 or not self.doors.knows(request.headers["Host"]):
            return web.Response(status=421)
        if request.method not in ("GET", "HEAD"):
            return web.Response(status=405, headers={"Allow": "GET, HEAD"})
        answer: web.StreamResponse = await handler(request)
        return answer

    async def _add_headers(self, request: web.BaseRequest, response: web.StreamResponse) -> None:
        response.headers.update(self.doors.headers(request.headers.get("Host")))
        response.headers.popall("Server", None)

    async def _file(self, request: web.Request) -> web.Response:
        file = self._files.get(request.path)
        if file is None:
            return web.Response(status=404)
        return web.Response(body=file.data, content_type=file.kind, charset="utf-8")

    # ---- the one WebSocket ----

    async def _live(self, request: web.Request) -> web.StreamResponse:
        host = request.headers["Host"]
        origins = request.headers.getall("Origin", [])
        if len(origins) != 1 or not self.doors.same_origin(origins[0], host):
            return web.Response(status=403)
        if request.method != "GET" or "websocket" not in request.headers.get("Upgrade", "").lower():
            return web.Response(status=404)
        if self._unjoined >= MOST_UNJOINED:
            return web.Response(status=503)
        socket = web.WebSocketResponse(autoping=False, compress=False, max_msg_size=MOST_BYTES, timeout=0.2)
        self._unjoined += 1
        try:
            await socket.prepare(request)
            page = await self._join(socket)
        finally:
            self._unjoined -= 1
        if page is None:
            return socket
        self._pages.add(request.protocol)
        teller = asyncio.create_task(self._tell(page, socket, request))
        try:
            await self._listen(page, socket)
        finally:
            # The hand is lost first; a peer that does not answer may take its time to go.
            self._gone(page)
            teller.cancel()
            if request.transport is not None:
                await asyncio.sleep(0)
                request.transport.abort()
        return socket

    async def _join(self, socket: web.WebSocketResponse) -> Page | None:
        """Let a page in that has the token. It has 2 s."""
        challenge = new_challenge()
        await socket.send_str(json.dumps({"v": VERSION, "challenge": challenge.hex()}))
        try:
            message = await socket.receive(timeout=JOIN_S)
            said = parse(message.data) if message.type is WSMsgType.TEXT else {}
        except (TimeoutError, Nonsense):
            said = {}
        answer = said.get("answer")
        known = type(answer) is str and len(answer) <= 64 and answer.isascii()
        if not (said.keys() == {"v", "answer"} and known and proves(self.token, challenge, str(answer))):
            await socket.close(code=WRONG_TOKEN)
            return None
        with self.player.lock:
            page = self.room.join(now_ms())
        if page is None:
            await socket.close(code=FULL)
            return None
        await socket.send_str(json.dumps({"v": VERSION, "page": page.number, "link": self._described}))
        return page

    def _gone(self, page: Page) -> None:
        with self.player.lock:
            self.room.leave(page)

    async def _listen(self, page: Page, socket: web.WebSocketResponse) -> None:
        async for message in socket:
            if not self._take(page, message):
                await self._look_for_stop(page, socket)
                self._gone(page)
                await socket.close(code=WSCloseCode.POLICY_VIOLATION)
                return

    async def _look_for_stop(self, page: Page, socket: web.WebSocketResponse) -> None:
        """Whoever is thrown out may have pressed stop."""
        for _ in range(LOOKED_THROUGH):
            try:
                message = await socket.receive(timeout=0.001)
            except TimeoutError:
                return
            if message.type is not WSMsgType.TEXT:
                return
            with contextlib.suppress(Nonsense):
                self._stop_in(page, message)

    def _stop_in(self, page: Page, message: WSMessage) -> dict[str, Any]:
        """A message as an object; a stop in it is taken before anything else is asked."""
        said = parse(message.data)
        if is_stop(said):
            with self.player.lock:
                self.room.press_stop(page, True)
        return said

    def _take(self, page: Page, message: WSMessage) -> bool:
        """One message. False: the page has to go."""
        at_ms = now_ms()
        if message.type in (WSMsgType.PING, WSMsgType.PONG):
            page.comes(at_ms)
            return True
        try:
            if message.type is not WSMsgType.TEXT:
                raise Nonsense
            said = self._stop_in(page, message)
            if not page.comes(at_ms) and "stop" not in said:
                return not page.floods
            self._do(page, understand(said, self.room.controls), at_ms)
        except Nonsense:
            return not page.breaks(at_ms)
        return True

    def _do(self, page: Page, said: messages.Said, at_ms: float) -> None:
        with self.player.lock:
            if isinstance(said, Answer):
                if not self.room.answer(page, said, at_ms):
                    raise Nonsense
            elif isinstance(said, messages.Stop):
                self.room.press_stop(page, said.pressed)
            elif isinstance(said, messages.Take):
                self.room.take(page, said.hand, at_ms)
            elif isinstance(said, messages.Give):
                self.room.give(page)
            elif isinstance(said, messages.Fault):
                if said.name not in self.player.faults:
                    raise Nonsense
                self.player.wanted.append(said)
            elif isinstance(said, messages.Mark) or (
                self.room.driver is page and said.hand == self.room.hand
            ):
                self.player.wanted.append(said)
            else:
                page.note({"news": "take the hand first: this page only watches"})

    # ---- what pages are told ----

    async def _tell(self, page: Page, socket: web.WebSocketResponse, request: web.Request) -> None:
        while not socket.closed:
            transport = request.transport
            if transport is None:
                return
            unsent = transport.get_write_buffer_size()
            text = ""
            with self.player.lock:
                at_ms = now_ms()
                what = self.room.may_tell(page, at_ms, unsent)
                if what == "all" and not self.player.state:
                    what = "bare"  # the handset has not turned yet: there is nothing to be told of
                if what == "bare":
                    text = f'{{"tick":{page.next_tick(at_ms)}}}'
                elif what == "all":
                    text = self._all(page, at_ms)
            if what == "go":
                self._gone(page)
                transport.abort()
                return
            if text:
                await socket.send_str(text)
            await asyncio.sleep(STEP_S if what == "nothing" else BEAT_MS / 1000)

    def _all(self, page: Page, at_ms: float) -> str:
        """Everything, from the newest state. What all pages are told alike is put into words once."""
        state = self.player.state
        if self._built[0] is not state:
            self._built = (state, json.dumps(state, separators=(",", ":")))
        room = self.room
        own = {
            "tick": page.next_tick(at_ms),
            "hand": room.hand,
            "driver": room.driver.number if room.driver is not None else 0,
            "pages": len(room.pages),
            "stops": room.stops,
            "waits": room.waits_for_rest() if room.driver is page else [],
            "trip_ms": None if page.trip_ms is None else round(page.trip_ms),
            "slow": room.slow(page),
            "late": page.late,
            "dropped": page.dropped + page.malformed + page.lost_events,
            "events": page.new_events(),
        }
        return f'{json.dumps(own, separators=(",", ":"))[:-1]},"state":{self._built[1]}}}'
