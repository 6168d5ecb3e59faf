"""A page that is not in front, hangs or dies, by the plain protocol of the browser's developer tools."""

import asyncio
import contextlib
import time
from pathlib import Path

import pytest
from browser import ONE_BROWSER, Tools, desk, tools
from panels import Panel, page_stand, panel, port_screw

pytestmark = [pytest.mark.live, ONE_BROWSER]


async def _away(page: Tools, how: str, stack: contextlib.AsyncExitStack) -> None:
    """Do to a page what keeps it from driving."""
    if how in ("another tab", "another window"):
        whole = {"newWindow": True} if how == "another window" else {}
        await page.call("Target.createTarget", whole=True, url="about:blank", **whole)
    elif how == "minimised":
        await page.minimise()
    elif how == "paints nothing":
        # It goes on answering every tick.
        await page.run("window.requestAnimationFrame = () => 0")
    elif how == "frozen":
        await page.call("Page.setWebLifecycleState", state="frozen")
    elif how == "busy":
        await page.tell(
            "Runtime.evaluate", expression="const end = Date.now() + 4000; while (Date.now() < end);"
        )
    elif how == "crashed":
        await page.tell("Page.crash")
    else:
        await stack.enter_async_context(page.asleep() if how == "asleep" else page.at_a_breakpoint())


HEADLESS = ("another tab", "frozen", "busy", "crashed", "paints nothing", "asleep", "at a breakpoint")
WINDOWS = ("another window", "minimised")


@pytest.mark.parametrize("how", [*HEADLESS, *WINDOWS])
def test_a_page_that_is_not_in_front_hangs_or_dies_drives_nothing(tmp_path: Path, how: str) -> None:
    async def drive(made: Panel, screen: str | None) -> None:
        async with page_stand(made) as watching, tools(made.url, screen) as page:
            task = asyncio.create_task(watching.run(600))
            await page.drive_ahead()
            screw = lambda: port_screw(watching.last["state"])  # noqa: E731

            async def comes(driven: bool) -> None:
                end = time.monotonic() + 20
                while screw()[2] is not driven:
                    assert time.monotonic() < end, watching.last
                    await asyncio.sleep(0.02)

            await comes(True)
            async with contextlib.AsyncExitStack() as stack:
                await _away(page, how, stack)
                await comes(False)
            # What goes on, goes on without the hand's old arm and stick.
            await asyncio.sleep(1.0)
            assert not screw()[2] and watching.last["state"]["machine"]["state"] != "ARMED"
            task.cancel()

    with contextlib.ExitStack() as stack:
        screen = stack.enter_context(desk()) if how in WINDOWS else None
        asyncio.run(drive(stack.enter_context(panel(tmp_path, "tug")), screen))
