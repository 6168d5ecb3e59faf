"""The same with asyncio: connections and sources whose waiting lets other tasks run.

::

    async with nuvrik.aio.connect("vent.toml", "/dev/ttyUSB0") as vent:
        await vent.arm()
        vent.set(opening=0.35, for_s=5)
        await vent.request("move", steps=130)
        async for readings in nuvrik.aio.readings(vent.link, "pad"):
            ...

A connection sends from a thread of its own in any case; here only those calls that wait for an answer are
awaited. What is cancelled while it waits is not undone: leaving the block disarms.
"""

import asyncio
from collections.abc import AsyncIterator, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any

from nuvrik.ends.asking import Asked, Identity
from nuvrik.plan.form.models import Link
from nuvrik.ports.connection import HELLO_S, Connection
from nuvrik.ports.connection import connect as connected
from nuvrik.ports.live import WallClock
from nuvrik.ports.sources import open_source

LOOK_EVERY_S = 0.01
"""How often sources are looked at: twice a frame at 50 frames a second."""


class AsyncConnection:
    """A connection whose waiting is awaited; whatever does not wait is the connection's own (``set``,
    ``read``, ``stop``, ``disarm``, ``telemetry``, ``state``, ``values``, ``why``, ``link``). Made by
    ``connect``."""

    def __init__(self, *how: Any, **more: Any) -> None:
        self._how, self._more = how, more
        self._connection: Connection | None = None

    def __getattr__(self, name: str) -> Any:
        if self._connection is None:
            raise AttributeError(f"{name}: the connection is open inside its async with block only")
        return getattr(self._connection, name)

    @property
    def _open(self) -> Connection:
        if self._connection is None:
            raise RuntimeError("the connection is open inside its async with block only")
        return self._connection

    async def arm(self, wait_s: float = 5.0) -> None:
        """As ``Connection.arm``."""
        await asyncio.to_thread(self._open.arm, wait_s)

    async def request(self, name: str, **arguments: int | str) -> Asked:
        """As ``Connection.request``, always waiting until it is done."""
        return await asyncio.to_thread(self._open.request, name, **arguments)  # type: ignore[arg-type]

    async def hello(self, wait_s: float = HELLO_S) -> Identity:
        """As ``Connection.hello``."""
        return await asyncio.to_thread(self._open.hello, wait_s)

    async def round_trip_ms(self, wait_s: float = 1.0) -> int:
        """As ``Connection.round_trip_ms``."""
        return await asyncio.to_thread(self._open.round_trip_ms, wait_s)

    async def __aenter__(self) -> "AsyncConnection":
        self._connection = await asyncio.to_thread(connected, *self._how, **self._more)
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        # The farewell is sent whole although the task has been cancelled.
        await asyncio.shield(asyncio.to_thread(self._open.close))


def connect(
    link: Link | str | Path, port: str, hello_s: float = HELLO_S, *, controls: bool = False
) -> AsyncConnection:
    """As ``nuvrik.connect``, for ``async with``."""
    return AsyncConnection(link, port, hello_s, controls=controls)


async def readings(
    link: Link | str | Path, source: str | Sequence[str]
) -> AsyncIterator[dict[str, int | None]]:
    """What sources have to say of a link's controls, as it comes, until they have ended. ``source`` as for
    ``nuvrik.open_source``."""
    with open_source(link, source) as hands:
        clock = WallClock()
        while not hands.over:
            new = hands.read(clock.now_ms())
            if new:
                yield new
            await asyncio.sleep(LOOK_EVERY_S)
