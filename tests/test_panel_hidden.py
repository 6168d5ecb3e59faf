"""A page that is not in front, hangs or dies, by the plain protocol of the browser's developer tools."""

import asyncio
import time
from pathlib import Path

import pytest
from browser import tools
from panels import Panel, page_stand, panel, port_screw

pytestmark = pytest.mark.live


@pytest.mark.parametrize("how", ["another tab", "frozen", "busy", "crashed", "paints nothing"])
def test_a_page_that_is_not_in_front_hangs_or_dies_drives_nothing(tmp_path: Path, how: str) -> None:
    async def drive(made: Panel) -> None:
        async with page_stand(made) as watching, tools(made.url) as page:
            task = asyncio.create_task(watching.run(600))
            await page.drive_ahead()
            screw = lambda: port_screw(watching.last["state"])  # noqa: E731
            end = time.monotonic() + 20
            while not screw()[2] and time.monotonic() < end:
                await asyncio.sleep(0.02)
            assert screw()[2], watching.last
            if how == "another tab":
                await page.call("Target.createTarget", whole=True, url="about:blank")
            elif how == "paints nothing":
                # It goes on answering every tick.
                await page.run("window.requestAnimationFrame = () => 0")
            elif how == "frozen":
                await page.call("Page.setWebLifecycleState", state="frozen")
            elif how == "busy":
                text = "const end = Date.now() + 4000; while (Date.now() < end);"
                asyncio.get_running_loop().create_task(page.call("Runtime.evaluate", expression=text))
            else:
                with_it = asyncio.get_running_loop().create_task(page.call("Page.crash"))
                await asyncio.sleep(0.1)
                with_it.cancel()
            end = time.monotonic() + 20
            while screw()[2] and time.monotonic() < end:
                await asyncio.sleep(0.02)
            assert not screw()[2]
            await asyncio.sleep(1.0)
            assert not screw()[2] and watching.last["state"]["machine"]["state"] != "ARMED"
            task.cancel()

    with panel(tmp_path, "tug") as made:
        asyncio.run(drive(made))
