"""A page that drives at full dies, again and again: how soon after it was last asked is nothing driven?

    .venv/bin/python benchmarks/by_hand/page_dies.py [TRIES [WAY...]]

Some pages are programs here that say what a page says: they close their connection, lose it without a word,
hang with it open, or have their network swallow everything. The others are shown by a real browser: it comes
to a breakpoint, or all its processes stand still, as on a computer that falls asleep. The bound is what
`nuvrik budget --panel` prints.
"""

import asyncio
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))
from browser import Tools, tools
from panels import PageStand, Panel, Slow, ahead, driven, page_stand, panel

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.plan.starters import starter_text

PROGRAMS = ("closed", "killed", "hangs", "swallowed")
BROWSERS = ("breakpoint", "asleep")


async def stopped_after_ms(watching: PageStand, asked: float) -> float:
    """How long after a time nothing is driven any more."""
    while driven(watching.last):
        await asyncio.sleep(0.001)
    return 1000 * (time.monotonic() - asked)


async def one_try(made: Panel, slow: Slow, watching: PageStand, way: str) -> float:
    """A program in the place of a page; from its last tick on, in ms."""
    slow.passes.set()
    async with page_stand(made, through=slow.url) as page:
        await ahead(page)
        await page.tick()
        asked = time.monotonic()
        if way == "closed":
            await page.socket.close()
        elif way == "killed":
            page.socket._response.connection.transport.abort()  # type: ignore[union-attr]
        elif way == "swallowed":
            slow.passes.clear()
        return await stopped_after_ms(watching, asked)


async def one_try_in_a_browser(made: Panel, page: Tools, watching: PageStand, way: str) -> float:
    """A page in a browser; from just before it breaks, in ms."""
    await page.show(made.url)
    await page.drive_ahead()
    while not driven(watching.last):
        await asyncio.sleep(0.02)
    await asyncio.sleep(0.4)
    asked = time.monotonic()
    async with page.asleep() if way == "asleep" else page.at_a_breakpoint():
        return await stopped_after_ms(watching, asked)


def tell(way: str, took: list[float]) -> None:
    """What came of one way."""
    took = sorted(took)
    print(
        f"{way:10} {len(took)} tries, median {took[len(took) // 2]:.0f} ms, worst {took[-1]:.0f} ms",
        flush=True,
    )


async def main() -> None:
    """All ways, so many times each."""
    tries = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    ways = sys.argv[2:] or [*PROGRAMS, *BROWSERS]
    link = nuvrik.parse(starter_text("tug"))
    print(f"bound {stop_bound(link).with_page(link).in_words()}")
    with tempfile.TemporaryDirectory() as name, panel(Path(name), "tug") as made:
        async with Slow(made.host) as slow, page_stand(made) as watching:
            task = asyncio.create_task(watching.run(100_000))
            for way in (way for way in ways if way in PROGRAMS):
                tell(way, [await one_try(made, slow, watching, way) for _ in range(tries)])
            if set(ways) & set(BROWSERS):
                async with tools(made.url) as page:
                    for way in (way for way in ways if way in BROWSERS):
                        took = [await one_try_in_a_browser(made, page, watching, way) for _ in range(tries)]
                        tell(way, took)
            task.cancel()


if __name__ == "__main__":
    asyncio.run(main())
