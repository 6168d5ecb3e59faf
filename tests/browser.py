"""A real browser without a window: through Playwright, and, where that keeps a page in front, by the plain
protocol of its developer tools."""

import asyncio
import contextlib
import itertools
import json
import os
import re
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import AsyncIterator, Callable, Iterator
from pathlib import Path
from typing import Any

import aiohttp
import pytest
from playwright.sync_api import Browser, Page, sync_playwright

ONE_BROWSER = pytest.mark.xdist_group("browser")
"""Tests with a browser run one after the other: two would keep both cores busy, and each other waiting."""

CHROMIUM = shutil.which("chromium") or ""
QUIET = [
    *("--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"),
    *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
]


@contextlib.contextmanager
def browser() -> Iterator[Browser]:
    """Chromium through Playwright."""
    if not CHROMIUM:
        pytest.skip("a browser: make toolchain")
    with sync_playwright() as play:
        made = play.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        try:
            yield made
        finally:
            made.close()


def opened(made: Browser, url: str, **how: Any) -> Page:
    """A page that has joined. What its console says of errors and of forbidden things fails the test."""
    page = made.new_context(**({"viewport": {"width": 1280, "height": 800}} | how)).new_page()
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
    """Take the hand: the next step, while nobody has it or somebody else."""
    page.click("#next")
    until(lambda: page.inner_text("#next") != "Take the hand")


def arm(page: Page) -> None:
    """Hold Arm until it is armed; again, where the computer stood still meanwhile."""
    until(lambda: state(page) == "STANDBY")
    button = page.locator("#next")
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


def until_driven(page: Page, output: str, hold: Callable[[], Any], free: Callable[[], Any]) -> None:
    """Hold something until an output turns by a fifth or more; where the computer stood still meanwhile, and
    it has stopped, let go, arm, and hold again."""
    for _ in range(8):
        hold()
        end = time.monotonic() + 4
        while time.monotonic() < end:
            if re.search(r"\+([2-9]\d|100) %", told(page, output)):
                return
            time.sleep(0.02)
        free()
        until(lambda: state(page) in ("STANDBY", "ARMED"))
        if state(page) == "STANDBY":
            arm(page)
    raise AssertionError(page.inner_text("#why"))


def until_driven_by_keys(page: Page, output: str, control: str) -> None:
    """The same with the upward arrow on a control, which is held then."""
    stick = page.get_by_role("slider", name=control)

    def hold() -> None:
        stick.focus()
        page.keyboard.down("ArrowUp")

    until_driven(page, output, hold, lambda: page.keyboard.up("ArrowUp"))


def told(page: Page, output: str) -> str:
    """What the page says of an output."""
    return page.locator(".output", has_text=output).first.inner_text()


DRIVE = """
(async () => {
  const wait = (ms) => new Promise((go) => setTimeout(go, ms));
  const state = () => document.getElementById('state-word').textContent;
  const until = async (holds) => { while (!holds()) await wait(20); };
  await until(() => !['NOT CONNECTED', 'CONNECTED'].includes(state()));
  document.getElementById('next').click();
  await until(() => document.getElementById('next').textContent !== 'Take the hand');
  await until(() => state() === 'STANDBY');
  await wait(500);
  return true;
})()
"""
"""The hand is taken, and what there is to arm is off."""


class Tools:
    """One tab, by the plain protocol. ``process`` is the browser, in a group of its own with all of its
    processes."""

    def __init__(
        self, line: aiohttp.ClientWebSocketResponse, session: str, process: "subprocess.Popen[bytes]"
    ) -> None:
        self._line, self._session, self.process = line, session, process
        self._numbers = itertools.count(1)
        self.tab = ""

    async def minimise(self) -> None:
        """Put its window away."""
        window = await self.call("Browser.getWindowForTarget", whole=True, targetId=self.tab)
        bounds = {"windowState": "minimized"}
        await self.call("Browser.setWindowBounds", whole=True, windowId=window["windowId"], bounds=bounds)

    @contextlib.asynccontextmanager
    async def asleep(self) -> AsyncIterator[None]:
        """All its processes stand still, as on a computer that falls asleep."""
        os.killpg(self.process.pid, signal.SIGSTOP)
        try:
            yield
        finally:
            os.killpg(self.process.pid, signal.SIGCONT)

    @contextlib.asynccontextmanager
    async def at_a_breakpoint(self) -> AsyncIterator[None]:
        """Its page is held by its debugger."""
        await self.call("Debugger.enable")
        await self.tell("Runtime.evaluate", expression="debugger")
        try:
            yield
        finally:
            await self.tell("Debugger.resume")
            await self.call("Debugger.disable")

    async def tell(self, method: str, whole: bool = False, **given: Any) -> int:
        """One call whose answer is not waited for; gives its number. ``whole``: of the browser, not of the
        tab."""
        number = next(self._numbers)
        said: dict[str, Any] = {"id": number, "method": method, "params": given}
        if not whole:
            said["sessionId"] = self._session
        await self._line.send_str(json.dumps(said))
        return number

    async def call(self, method: str, whole: bool = False, **given: Any) -> dict[str, Any]:
        """One call, and its answer."""
        number = await self.tell(method, whole, **given)
        while True:
            answer = json.loads((await self._line.receive(timeout=30)).data)
            if answer.get("id") == number:
                assert "error" not in answer, answer
                return dict(answer["result"])

    async def run(self, text: str) -> Any:
        """The value of an expression."""
        answer = await self.call("Runtime.evaluate", expression=text, returnByValue=True, awaitPromise=True)
        return answer["result"].get("value")

    async def heap_kb(self) -> int:
        """What its scripts keep, once all that nobody needs has been thrown away."""
        await self.call("HeapProfiler.collectGarbage")
        used = await self.call("Runtime.getHeapUsage")
        return int(used["usedSize"]) // 1024

    async def until(self, text: str, most_s: float = 30.0) -> None:
        """Wait until an expression is true."""
        end = time.monotonic() + most_s
        while not await self.run(text):
            assert time.monotonic() < end, text
            await asyncio.sleep(0.02)

    async def show(self, url: str) -> None:
        """Load a page anew, and wait until it says something."""
        await self.call("Page.navigate", url="about:blank")
        await self.call("Page.navigate", url=url)
        await self.until("document.getElementById('state-word')?.textContent.length > 0")

    async def press(self, selector: str, way: int, held_s: float) -> None:
        """The mouse down on something, moved upwards, and held."""
        box = await self.run(
            f"(() => {{ const b = document.querySelector('{selector}').getBoundingClientRect();"
            " return [b.x + b.width / 2, b.y + b.height / 2]; })()"
        )
        at = {"button": "left", "clickCount": 1}
        await self.call("Input.dispatchMouseEvent", type="mousePressed", x=box[0], y=box[1], **at)
        if way:
            await self.call("Input.dispatchMouseEvent", type="mouseMoved", x=box[0], y=box[1] - way, **at)
        await asyncio.sleep(held_s)
        if not way:
            await self.call("Input.dispatchMouseEvent", type="mouseReleased", x=box[0], y=box[1], **at)

    async def drive_ahead(self) -> None:
        """Take the hand, arm, and hold the first stick ahead."""
        await self.call("Page.bringToFront")
        assert await self.run(DRIVE)
        await self.press("#next", 0, 0.9)
        await self.until("document.getElementById('state-word').textContent === 'ARMED'")
        await self.press(".track.along", 80, 0.3)


@contextlib.contextmanager
def desk() -> Iterator[str]:
    """A screen that nobody sees, with a window manager on it: gives its name."""
    with subprocess.Popen(
        ["Xvfb", "-displayfd", "1", "-screen", "0", "1280x800x24"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    ) as screen:
        assert screen.stdout is not None
        name = f":{screen.stdout.readline().strip()}"
        manager = subprocess.Popen(
            ["openbox", "--sm-disable"], env={**os.environ, "DISPLAY": name}, stderr=subprocess.DEVNULL
        )
        try:
            yield name
        finally:
            manager.kill()
            manager.wait()
            screen.kill()


@contextlib.asynccontextmanager
async def tools(url: str, screen: str | None = None) -> AsyncIterator[Tools]:
    """Chromium of our own, with one tab that shows a page; in a window, where there is a ``screen``."""
    if not CHROMIUM:
        pytest.skip("a browser: make toolchain")
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        words = [CHROMIUM, *QUIET, f"--user-data-dir={folder}", "--remote-debugging-port=0"]
        process = subprocess.Popen(
            [*words, *([] if screen else ["--headless"]), "about:blank"],
            env={**os.environ, "DISPLAY": screen or ""},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        try:
            port = Path(folder) / "DevToolsActivePort"
            until(lambda: port.exists() and len(port.read_text().split()) == 2)
            number, path = port.read_text().split()
            async with (
                aiohttp.ClientSession() as client,
                client.ws_connect(f"ws://127.0.0.1:{number}{path}", max_msg_size=0) as line,
            ):
                root = Tools(line, "", process)
                tabs = await root.call("Target.getTargets", whole=True)
                tab = next(one for one in tabs["targetInfos"] if one["type"] == "page")["targetId"]
                joined = await root.call("Target.attachToTarget", whole=True, targetId=tab, flatten=True)
                made = Tools(line, joined["sessionId"], process)
                made._numbers, made.tab = root._numbers, tab
                await made.show(url)
                yield made
        finally:
            os.killpg(process.pid, signal.SIGKILL)
            process.wait()
