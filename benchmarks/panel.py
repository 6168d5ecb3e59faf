"""The panel against bare pages of a bare server, in the same browser and the same run (wants chromium)."""

import asyncio
import json
import math
import statistics
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from types import SimpleNamespace
from typing import Any

from aiohttp import WSMsgType, web
from playwright.sync_api import Page

import nuvrik
from nuvrik.budget.stop import page_stale_ms
from nuvrik.panel.control import page_controls
from nuvrik.panel.described import describe
from nuvrik.panel.player import PanelPlayer
from nuvrik.panel.room import Answer, Room
from nuvrik.panel.room import Page as RoomPage
from nuvrik.panel.server import PanelServer, now_ms
from nuvrik.plan.starters import starter_text
from nuvrik.ports.driving import run_handset
from nuvrik.ports.sim import RealTime, SimLine

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
from browser import arm, browser, opened, take
from panels import page_stand, panel

MOVES = 400
SECONDS = 10.0
ROUNDS = 5

BARE = """<!doctype html><title>bare</title><body><script>
const socket = new WebSocket(`ws://${location.host}/live`);
let frames = [];
const paints = (now) => {
  frames.push(now);
  if (frames.length > 5) frames.shift();
  requestAnimationFrame(paints);
};
requestAnimationFrame(paints);
addEventListener('pointermove', (event) => socket.send(JSON.stringify({ x: event.clientX })));
</script>"""

WRITES = """<!doctype html><title>writes</title><body><script>
const count = COUNT;
const spans = [];
for (let i = 0; i < count; i++) {
  spans.push(document.createElement('p'));
  document.body.append(spans[i]);
}
let n = 0;
const paints = () => {
  n += 1;
  for (const one of spans) one.textContent = `${n} %`;
  requestAnimationFrame(paints);
};
requestAnimationFrame(paints);
</script>"""


class Bare:
    """A bare aiohttp server in a thread: pages, and a WebSocket whose messages are noted."""

    def __init__(self, pages: dict[str, str]) -> None:
        self.came: list[tuple[float, Any]] = []
        self._pages = pages
        self._ready = threading.Event()
        threading.Thread(target=lambda: asyncio.run(self._serve()), daemon=True).start()
        self._ready.wait()

    async def _serve(self) -> None:
        app = web.Application()
        app.router.add_get("/live", self._live)
        for path, text in self._pages.items():
            app.router.add_get(path, self._page(text))
        runner = web.AppRunner(app, access_log=None)
        await runner.setup()
        await web.TCPSite(runner, "127.0.0.1", 0).start()
        self.url = f"http://127.0.0.1:{runner.addresses[0][1]}"
        self._ready.set()
        await asyncio.Event().wait()

    def _page(self, text: str) -> Callable[[web.Request], Any]:
        async def give(_: web.Request) -> web.Response:
            return web.Response(text=text, content_type="text/html")

        return give

    async def _live(self, request: web.Request) -> web.WebSocketResponse:
        socket = web.WebSocketResponse()
        await socket.prepare(request)
        async for message in socket:
            if message.type is WSMsgType.TEXT:
                self.came.append((time.monotonic(), json.loads(message.data)["x"]))
        return socket


class Noting(Room):
    """A room that notes when what is read changes."""

    came: list[tuple[float, Any]]

    def answer(self, page: RoomPage, said: Answer, now: float) -> bool:
        """As always."""
        reading = (said.readings or {}).get("left_stick")
        if not self.came or self.came[-1][1] != reading:
            self.came.append((time.monotonic(), reading))
        return super().answer(page, said, now)


@contextmanager
def our_panel() -> Iterator[tuple[PanelServer, Noting, list[tuple[float, Any]]]]:
    """Marram's panel in this process; and when each value of its throttle was first sent."""
    text = starter_text("marram")
    link = nuvrik.parse(text)
    room = Noting(page_controls(link), page_stale_ms(link), link.failsafe.timeout_ms)
    room.came = []
    sim = SimLine(link)
    player = PanelPlayer(link, room, None, now_ms, sim, None)
    sent: list[tuple[float, Any]] = []
    write, decode = sim.write, nuvrik.Decoder(link).taker(stream=sim.stream)

    def noting(data: bytes) -> bool:
        for event in decode(data):
            if isinstance(event, nuvrik.Frame) and event.values:
                sent.append((time.monotonic(), event.values[0]))
        return write(data)

    sim.write = noting  # type: ignore[method-assign]
    with PanelServer(player, describe(link, text, [], (), {})) as server:
        driven = threading.Thread(target=run_handset, args=(link, sim, player, player.told, RealTime(sim)))
        driven.start()
        try:
            yield server, room, sent
        finally:
            player.over = True
            driven.join(10)


def _p(values: list[float], share: float) -> float:
    values = sorted(values)
    return values[min(len(values) - 1, int(share * len(values)))]


def _moves(page: Page, came: list[tuple[float, Any]], x: float, y: float) -> list[tuple[float, float]]:
    """The pointer moved again and again: when, and when the server knew."""
    line = page.context.new_cdp_session(page)
    moved = []
    for number in range(MOVES):
        # Never in step with the frames of the screen.
        time.sleep(0.035 + (number * 7 % 16) / 1000)
        before, start = len(came), time.monotonic()
        way = 20 + number * 37 % 60
        held = {"button": "left", "buttons": 1}
        line.send("Input.dispatchMouseEvent", {"type": "mouseMoved", "x": x + way, "y": y - way, **held})
        while len(came) == before and time.monotonic() - start < 1:
            time.sleep(0.0005)
        if len(came) > before:
            moved.append((start, came[before][0]))
    return moved


def _took(moved: list[tuple[float, float]]) -> list[float]:
    return [1000 * (known - start) for start, known in moved]


def _until_sent(moved: list[tuple[float, float]], sent: list[tuple[float, Any]]) -> list[float]:
    """How long after each move the first frame with another value of the channel went out, in ms."""
    took = []
    for start, _ in moved:
        before = [value for at, value in sent if at <= start][-1]
        after = next((at for at, value in sent if at > start and value != before), None)
        if after is not None:
            took.append(1000 * (after - start))
    return took


def finger_to_server() -> dict[str, float]:
    """A pointer that moves, to the server knowing it, beside a bare page that says each move at once; and to
    the frame that carries it, which may take a period of 20 ms longer."""
    bare = Bare({"/": BARE})
    with browser() as made:
        page = made.new_page(viewport={"width": 1280, "height": 800})
        page.goto(bare.url)
        time.sleep(1)
        theirs = _took(_moves(page, bare.came, 300, 300))
        page.close()
        with our_panel() as (server, room, sent):
            page = opened(made, server.link_to())
            take(page)
            arm(page)
            page.get_by_role("slider", name="grip").focus()
            page.keyboard.press("End")
            box = page.get_by_role("slider", name="left stick").bounding_box()
            assert box is not None
            x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            page.mouse.move(x, y)
            page.mouse.down()
            moved = _moves(page, room.came, x, y)
            page.close()
    ours, frames = _took(moved), _until_sent(moved, sent)
    return {
        "frame_p50_ms": _p(frames, 0.5),
        "frame_p99_ms": _p(frames, 0.99),
        "frame_beyond": (_p(frames, 0.99) - 20) / _p(ours, 0.99),
        "frame_beyond_most": 1.0,
        "bare_p50_ms": _p(theirs, 0.5),
        "bare_p99_ms": _p(theirs, 0.99),
        "ours_p50_ms": _p(ours, 0.5),
        "ours_p99_ms": _p(ours, 0.99),
        "p50_beyond": _p(ours, 0.5) / _p(theirs, 0.5),
        "p99_beyond": _p(ours, 0.99) / _p(theirs, 0.99),
        "p50_beyond_most": 1.3,
        "p99_beyond_most": 1.3,
    }


SHOWN_TEXTS = "[...document.querySelectorAll('#page-drive *, header *')].filter((one) => one.written).length"
"""The texts that the page keeps up to date while it drives."""


def _script_ms(page: Page, seconds: float) -> float:
    """Script time of a page, in ms a frame of 60 a second."""
    line = page.context.new_cdp_session(page)
    line.send("Performance.enable")

    def spent() -> float:
        metrics = {one["name"]: one["value"] for one in line.send("Performance.getMetrics")["metrics"]}
        return float(metrics["ScriptDuration"])

    before = spent()
    time.sleep(seconds)
    return 1000 * (spent() - before) / (60 * seconds)


@contextmanager
def _driven(server: PanelServer) -> Iterator[None]:
    """Another page drives, everything at once and all the time."""
    ends = threading.Event()

    async def drive() -> None:
        host = f"127.0.0.1:{server.port}"
        made = SimpleNamespace(base=f"http://{host}", host=host, token=server.token.hex())
        async with page_stand(made) as page:  # type: ignore[arg-type]
            await page.take()
            await page.arm()
            moved = [one for one in page.link["controls"] if one["kind"] in ("axis", "slider")]
            while not ends.is_set():
                for place, one in enumerate(moved):
                    share = (1 + math.sin(3 * time.monotonic() + place)) / 2
                    page.readings[one["name"]] = round(one["low"] + share * (one["high"] - one["low"]))
                await page.tick()

    driver = threading.Thread(target=lambda: asyncio.run(drive()))
    driver.start()
    time.sleep(3)
    try:
        yield
    finally:
        ends.set()
        driver.join(10)


def script_time() -> dict[str, float]:
    """Marram driven and shown in full; beside a page that only writes as many texts as are shown, in each
    frame."""
    found: dict[str, list[float]] = {"bare": [], "ours": []}
    with browser() as made, our_panel() as (server, _, _), _driven(server):
        for _ in range(ROUNDS):
            page = opened(made, server.link_to())
            count = page.evaluate(SHOWN_TEXTS)
            found["ours"].append(_script_ms(page, SECONDS / 2))
            page.close()
            bare = Bare({"/": WRITES.replace("COUNT", str(count))})
            page = made.new_page(viewport={"width": 1280, "height": 800})
            page.goto(bare.url)
            found["bare"].append(_script_ms(page, SECONDS / 2))
            page.close()
    ours, theirs = (statistics.median(found[what]) for what in ("ours", "bare"))
    return {"texts": count, "bare_ms": theirs, "ours_ms": ours, "ratio": ours / theirs, "most": 2.0}


def first_paint() -> dict[str, float]:
    """The first paint of the page; beside an empty page of the same kind of server."""
    bare = Bare({"/": "<!doctype html><title>empty</title><p>empty"})
    first = "performance.getEntriesByType('paint').find((one) => one.name === 'first-paint')?.startTime ?? 0"

    def paint(url: str) -> float:
        context = made.new_context()
        page = context.new_page()
        page.goto(url)
        page.wait_for_timeout(400)
        found = float(page.evaluate(first))
        context.close()
        return found

    with browser() as made, our_panel() as (server, _, _):
        theirs = sorted(paint(bare.url) for _ in range(9))[4]
        ours = sorted(paint(server.link_to()) for _ in range(9))[4]
    return {"bare_ms": theirs, "ours_ms": ours, "ratio": ours / theirs, "most": 2.0}


def server_share() -> dict[str, float]:
    """Three pages at 50 Hz, one of them driving: what share of one core the whole program takes."""
    with tempfile.TemporaryDirectory() as name, panel(Path(name)) as made:

        def spent() -> float:
            fields = Path(f"/proc/{made.process.pid}/stat").read_text().rpartition(")")[2].split()
            return (int(fields[11]) + int(fields[12])) / 100

        async def three() -> float:
            async with page_stand(made) as one, page_stand(made) as two, page_stand(made) as three:
                others = [asyncio.create_task(page.run(60)) for page in (two, three)]
                await one.take()
                await one.arm()
                before = spent()
                await one.run(SECONDS)
                after = spent()
                for other in others:
                    other.cancel()
                return (after - before) / SECONDS

        share = asyncio.run(three())
    return {"share": share, "ratio": share / 0.15, "most": 1.0}


PANEL_FIGURES = (finger_to_server, script_time, first_paint, server_share)

if __name__ == "__main__":
    for one in PANEL_FIGURES:
        print(one.__name__, {key: round(value, 3) for key, value in one().items()}, flush=True)
