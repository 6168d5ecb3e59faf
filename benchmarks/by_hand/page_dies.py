"""A page that drives at full dies, again and again: how soon after it was last asked is nothing driven?

    .venv/bin/python benchmarks/by_hand/page_dies.py [TRIES]

Pages are programs here that say what a page says. They close their connection, lose it without a word, hang
with it open, or have their network swallow everything. The bound is what `nuvrik budget --panel` prints.
"""

import asyncio
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))
from panels import PageStand, Panel, Slow, ahead, driven, page_stand, panel

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.plan.starters import starter_text

WAYS = ("closed", "killed", "hangs", "swallowed")


async def one_try(made: Panel, slow: Slow, watching: PageStand, way: str) -> float:
    """How long after its last tick nothing was driven, in ms."""
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
        while driven(watching.last):
            await asyncio.sleep(0.001)
        return 1000 * (time.monotonic() - asked)


async def main() -> None:
    """All ways, so many times each."""
    tries = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    link = nuvrik.parse(starter_text("tug"))
    bound = stop_bound(link).with_page(link)
    with tempfile.TemporaryDirectory() as name, panel(Path(name), "tug") as made:
        async with Slow(made.host) as slow, page_stand(made) as watching:
            task = asyncio.create_task(watching.run(100_000))
            for way in WAYS:
                took = sorted([await one_try(made, slow, watching, way) for _ in range(tries)])
                print(f"{way:10} median {took[len(took) // 2]:.0f} ms, worst {took[-1]:.0f} ms", flush=True)
            task.cancel()
    print(f"bound {bound.in_words()}")


if __name__ == "__main__":
    asyncio.run(main())
