"""Half an hour of a page that drives, beside two that watch: does memory grow, at either end?

    .venv/bin/python benchmarks/by_hand/panel_soak.py [MINUTES]

The page is shown by a real browser and drives the marram's screws; the two that watch are programs. Memory
is what the system says is resident of the server, and what the page's scripts keep once what nobody needs
has been thrown away; both after a tenth of the time (a page keeps the last minute) and at the end.
"""

import asyncio
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))
from browser import Tools, tools
from panels import PageStand, Panel, driven, page_stand, panel, state_of

LOOK_S = 5.0
"""How often it is seen whether the page still drives. On a busy computer it may not paint for a tenth of a
second; then it has let go, and is armed again."""


async def drive_on(page: Tools, watching: PageStand) -> bool:
    """Where nothing is driven, let go and arm again; whether that was so."""
    if driven(watching.last):
        return False
    await page.call("Input.dispatchMouseEvent", type="mouseReleased", x=5, y=400, button="left", clickCount=1)
    await asyncio.sleep(0.5)
    if state_of(watching.last) != "ARMED":
        await page.press(".arm", 0, 0.9)
        await asyncio.sleep(0.5)
    await page.press(".track.along", 80, 0.3)
    await page.run("document.querySelector('[role=slider][aria-label=grip]').focus()")
    for way in ("keyDown", "keyUp"):
        await page.call("Input.dispatchKeyEvent", type=way, key="End", code="End")
    return True


async def soak(made: Panel, minutes: float) -> None:
    """Drive, and look at both ends' memory ten times."""
    async with page_stand(made) as one, page_stand(made) as two, tools(made.url) as page:
        watching = [asyncio.create_task(each.run(10_000)) for each in (one, two)]
        await page.drive_ahead()
        began, again = time.monotonic(), 0
        for tenth in range(1, 11):
            while time.monotonic() < began + 6 * minutes * tenth:
                again += await drive_on(page, one)
                await asyncio.sleep(min(LOOK_S, max(0.0, began + 6 * minutes * tenth - time.monotonic())))
            ends = f"server {made.resident_kb()} kB, page {await page.heap_kb()} kB"
            late = f"{one.last['late']} late, {one.last['dropped']} dropped, armed again {again} times"
            print(f"{time.monotonic() - began:6.0f} s  {ends}, {late}, driven {driven(one.last)}", flush=True)
        for each in watching:
            each.cancel()


def main() -> None:
    """Run it."""
    with tempfile.TemporaryDirectory() as name, panel(Path(name)) as made:
        asyncio.run(soak(made, float(sys.argv[1]) if len(sys.argv) > 1 else 30.0))


if __name__ == "__main__":
    main()
