"""A panel that runs, and pages that are programs: they say what a page says, and what none should."""

import asyncio
import contextlib
import json
import re
import subprocess
import sys
import threading
from collections.abc import AsyncIterator, Iterator, Sequence
from hashlib import blake2s
from pathlib import Path
from typing import Any

import aiohttp
from links import write

from nuvrik.panel.messages import VERSION
from nuvrik.plan.starters import starter_text


class Panel:
    """``nuvrik panel`` in a process of its own, or, with ``words``, another command that serves a page."""

    def __init__(
        self, link: Path, *more: str, port: str = "sim", stdin: Any = None, words: Sequence[str] = ()
    ) -> None:
        words = words or ["panel", str(link), "--port", port, "--no-open"]
        words = [sys.executable, "-m", "nuvrik", *words, *more]
        pipe = subprocess.PIPE
        self.process = subprocess.Popen(words, stdin=stdin, stdout=pipe, stderr=pipe, text=True)
        self.errors: list[str] = []
        assert self.process.stdout is not None and self.process.stderr is not None
        self._reader = threading.Thread(target=self._read, daemon=True)
        self._reader.start()
        line = self.process.stdout.readline()
        found = re.match(r"open ((https?)://([^/]+))/#([0-9a-f]{32})\n", line)
        assert found, (line, self.errors)
        self.base, self.scheme, self.host, self.token = found.groups()
        self.url = f"{self.base}/#{self.token}"

    def _read(self) -> None:
        assert self.process.stderr is not None
        for line in self.process.stderr:
            self.errors.append(line)

    def resident_kb(self) -> int:
        """How much memory it has in use."""
        status = Path(f"/proc/{self.process.pid}/status").read_text()
        return next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmRSS"))

    def end(self) -> None:
        """Ask it to leave, and see that it does."""
        if self.process.poll() is None:
            self.process.terminate()
        assert self.process.wait(20) == 0, self.errors
        self._reader.join(5)


@contextlib.contextmanager
def panel(folder: Path, like: str = "marram", *more: str, text: str | None = None) -> Iterator[Panel]:
    """A panel with a simulated machine."""
    link = write(folder, f"{like}.toml", text or starter_text(like))
    made = Panel(link, *more)
    try:
        yield made
        made.end()
    finally:
        if made.process.poll() is None:
            made.process.kill()


def proof_of(token: str, challenge: str) -> str:
    """What a page answers."""
    return blake2s(bytes.fromhex(challenge), key=bytes.fromhex(token), digest_size=32).hexdigest()


class PageStand:
    """A program in the place of a page. ``link`` is what it was told of the link, ``last`` the newest tick,
    ``seen`` all states that the machine was in."""

    def __init__(self, socket: aiohttp.ClientWebSocketResponse, link: dict[str, Any], number: int) -> None:
        self.socket, self.link, self.number = socket, link, number
        self.last: dict[str, Any] = {}
        self.readings: dict[str, int] | None = {one["name"]: one["rest"] for one in link["controls"]}
        self.hand: int | None = None
        self.seq = 0
        self.answers = True
        self.news: list[str] = []
        self.states: list[dict[str, Any]] = []

    async def say(self, **said: Any) -> None:
        """One message."""
        await self.socket.send_str(json.dumps(said))

    async def tick(self) -> dict[str, Any]:
        """Take a tick, and answer it."""
        message = await self.socket.receive(timeout=20)
        if message.type in (aiohttp.WSMsgType.CLOSING, aiohttp.WSMsgType.CLOSED):
            return self.last
        assert message.type is aiohttp.WSMsgType.TEXT, message
        said: dict[str, Any] = json.loads(message.data)
        if "state" in said:
            self.last = said
            self.states.append(said["state"])
            self.news += [event["news"] for event in said["events"] if "news" in event]
        if self.answers:
            self.seq += 1
            hand = self.last.get("hand", 0) if self.hand is None else self.hand
            await self.say(tick=said["tick"], hand=hand, seq=self.seq, readings=self.readings)
        return self.last

    async def until(self, holds: Any, most_s: float = 20) -> dict[str, Any]:
        """Go on until something holds of a tick."""
        end = asyncio.get_running_loop().time() + most_s
        while asyncio.get_running_loop().time() < end:
            said = await self.tick()
            if said and holds(said):
                return said
        raise AssertionError((self.last.get("state"), self.news))

    async def run(self, seconds: float) -> None:
        """Go on for a while."""
        end = asyncio.get_running_loop().time() + seconds
        while asyncio.get_running_loop().time() < end and not self.socket.closed:
            await self.tick()

    async def take(self) -> None:
        """Take the hand."""
        said = await self.until(lambda said: "hand" in said)
        await self.say(take=True, hand=said["hand"])
        await self.until(lambda said: said["driver"] == self.number and not said["waits"])

    async def arm(self) -> None:
        """Arm, on a link whose arm control is a toggle; where the computer stood still meanwhile, again."""
        assert self.readings is not None
        await self.until(lambda said: state_of(said) == "STANDBY")
        await self.run(0.3)
        name = self.link["arm"][0]
        for _ in range(10):
            self.readings[name] = 1
            await self.run(0.15)
            self.readings[name] = 0
            await self.run(1.0)
            if state_of(self.last) == "ARMED":
                return
        raise AssertionError(self.last.get("state"))

    def set(self, name: str, end: str) -> None:
        """Put a control at one of its ends."""
        assert self.readings is not None
        one = next(one for one in self.link["controls"] if one["name"] == name)
        self.readings[name] = one[end]


def state_of(said: dict[str, Any]) -> str:
    """The state of the simulated machine itself."""
    return str(said["state"]["machine"]["state"])


def driven(said: dict[str, Any]) -> list[str]:
    """The outputs that power turns."""
    return [name for name, told in said["state"]["machine"]["outputs"].items() if told[2]]


@contextlib.asynccontextmanager
async def page_stand(made: Panel, *, through: str | None = None) -> AsyncIterator[PageStand]:
    """A page that has joined, perhaps through a proxy at another address."""
    async with aiohttp.ClientSession() as session:
        url, host = through or made.base, made.host
        headers = {"Origin": made.base, "Host": host}
        async with session.ws_connect(f"{url}/live", headers=headers, autoclose=True) as socket:
            hello = json.loads((await socket.receive(timeout=20)).data)
            assert hello["v"] == VERSION
            await socket.send_str(
                json.dumps({"v": VERSION, "answer": proof_of(made.token, hello["challenge"])})
            )
            joined = json.loads((await socket.receive(timeout=20)).data)
            yield PageStand(socket, joined["link"], joined["page"])


def port_screw(state: dict[str, Any]) -> list[Any]:
    """How far it is driven, with what duty, whether by power, and why."""
    told: list[Any] = state["machine"]["outputs"]["port_screw"]
    return told


async def ahead(page: PageStand) -> None:
    """Armed, and full ahead."""
    await page.take()
    await page.arm()
    page.set("left_stick", "high")
    await page.until(lambda said: port_screw(said["state"])[0] > 900)


class Slow:
    """A proxy that can hold back everything, both ways, in order."""

    def __init__(self, host: str) -> None:
        self._name, _, port = host.partition(":")
        self._port = int(port)
        self.passes = asyncio.Event()
        self.passes.set()

    async def __aenter__(self) -> "Slow":
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", 0)
        self.url = f"http://127.0.0.1:{self._server.sockets[0].getsockname()[1]}"
        return self

    async def __aexit__(self, *_: object) -> None:
        self._server.close()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        there, back = await asyncio.open_connection(self._name, self._port)
        await asyncio.gather(self._carry(reader, back), self._carry(there, writer), return_exceptions=True)

    async def _carry(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while data := await reader.read(65536):
            await self.passes.wait()
            writer.write(data)
            await writer.drain()
        writer.close()
