"""A real browser without a window: through Playwright, and, where that keeps a page in front, by the plain
protocol of its developer tools."""

import asyncio
import contextlib
import itertools
import json
import subprocess
import tempfile
import time
from collections.abc import AsyncIterator, Callable, Iterator
from pathlib import Path
from typing import Any

import aiohttp
from playwright.sync_api import Browser, Page, sync_playwright

CHROMIUM = "/usr/bin/chromium"
QUIET = [
    *("--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"),
    *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
]


@contextlib.contextmanager
def browser() -> Iterator[Browser]:
    """Chromium through Playwright."""
    with sync_playwright() as play:
        made = play.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        try:
            yield made
        finally:
            made.close()


def opened(made: Browser, url: str, **how: Any) -> Page:
    """A page that has joined. What its console says of errors and of forbidden things fails the test."""
    page = made.new_context(viewport={"width": 1280, "height": 800}, **how).new_page()
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on("console", lambda said: wrong.append(said.text) if said.type == "error" else None)
    page.wrong = wrong  # type: ignore[attr-defined]
    page.goto(url)
    until(lambda: page.inner_text("#state-word") not in ("NOT CONNECTED", "CONNECTED"))
    return page


def until(holds: Callable[[], Any], most_s: float = 30.0) -> None:
    """Wait until something holds."""
    end = time.monotonic() + most_s
    while not holds():
        assert time.monotonic() < end, "it never came to that"
        time.sleep(0.02)


def state(page: Page) -> str:
    """The word that the page shows."""
    return page.inner_text("#state-word")


def take(page: Page) -> None:
    """Take the hand."""
    page.click("#take")
    until(lambda: page.inner_text("#take") == "Let go of the hand")


def arm(page: Page) -> None:
    """Hold Arm until it is armed; again, where the computer stood still meanwhile."""
    until(lambda: state(page) == "STANDBY")
    button = page.locator(".arm").first
    for _ in range(10):
        time.sleep(0.5)
        button.hover()
        page.mouse.down()
        until(lambda: "arming" not in (button.get_attribute("class") or ""))
        page.mouse.up()
        end = time.monotonic() + 1.5
        while time.monotonic() < end:
            if state(page) == "ARMED":
                return
            time.sleep(0.02)
    raise AssertionError(page.inner_text("#why"))


def told(page: Page, output: str) -> str:
    """What the page says of an output."""
    return page.locator(".output", has_text=output).first.inner_text()


class Tools:
    """One tab, by the plain protocol."""

    def __init__(self, line: aiohttp.ClientWebSocketResponse, session: str) -> None:
        self._line, self._session = line, session
        self._numbers = itertools.count(1)

    async def call(self, method: str, whole: bool = False, **given: Any) -> dict[str, Any]:
        """One call, and its answer. ``whole``: of the browser, not of the tab."""
        number = next(self._numbers)
        said: dict[str, Any] = {"id": number, "method": method, "params": given}
        if not whole:
            said["sessionId"] = self._session
        await self._line.send_str(json.dumps(said))
        while True:
            answer = json.loads((await self._line.receive(timeout=30)).data)
            if answer.get("id") == number:
                assert "error" not in answer, answer
                return dict(answer["result"])

    async def run(self, text: str) -> Any:
        """The value of an expression."""
        answer = await self.call("Runtime.evaluate", expression=text, returnByValue=True, awaitPromise=True)
        return answer["result"].get("value")

    async def until(self, text: str, most_s: float = 30.0) -> None:
        """Wait until an expression is true."""
        end = time.monotonic() + most_s
        while not await self.run(text):
            assert time.monotonic() < end, text
            await asyncio.sleep(0.02)


@contextlib.asynccontextmanager
async def tools(url: str) -> AsyncIterator[Tools]:
    """Chromium of our own, with one tab that shows a page."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        words = [CHROMIUM, "--headless", *QUIET, f"--user-data-dir={folder}", "--remote-debugging-port=0"]
        process = subprocess.Popen(
            [*words, "about:blank"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        try:
            port = Path(folder) / "DevToolsActivePort"
            until(lambda: port.exists() and len(port.read_text().split()) == 2)
            number, path = port.read_text().split()
            async with (
                aiohttp.ClientSession() as client,
                client.ws_connect(f"ws://127.0.0.1:{number}{path}", max_msg_size=0) as line,
            ):
                root = Tools(line, "")
                tabs = await root.call("Target.getTargets", whole=True)
                tab = next(one for one in tabs["targetInfos"] if one["type"] == "page")["targetId"]
                joined = await root.call("Target.attachToTarget", whole=True, targetId=tab, flatten=True)
                made = Tools(line, joined["sessionId"])
                made._numbers = root._numbers
                await made.call("Page.navigate", url=url)
                await made.until("document.getElementById('state-word')?.textContent.length > 0")
                yield made
        finally:
            process.kill()
            process.wait()
