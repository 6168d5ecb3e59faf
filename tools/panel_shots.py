"""Pictures of the panel's pages, driven in a browser on a simulated boat (wants chromium)."""

import subprocess
import sys
import time
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

PHONE = {"width": 844, "height": 390}


def shoot_panel(folder: Path, shots: Path) -> None:
    """Drive, lost and a phone in one picture; check, first drive, faults and sheet in another."""
    from browser import arm, browser, opened, state, take, until
    from panels import Panel

    made = Panel(folder / "boat.toml")
    with browser() as chromium:
        page = opened(chromium, made.url)
        take(page)
        arm(page)
        page.get_by_role("slider", name="grip").focus()
        page.keyboard.press("End")
        _hold(page, "left stick", 0, -60)
        time.sleep(4)
        _shoot(page, folder / "armed.png")
        phone = opened(chromium, made.url, color_scheme="dark", has_touch=True, is_mobile=True)
        phone.set_viewport_size(PHONE)
        time.sleep(0.5)
        _shoot(phone, folder / "phone.png")
        phone.close()
        # The mouse holds the stick, so these are touched as a second finger would.
        _touch(page, "#tab-faults")
        cable = page.get_by_role("button", name="cable pulled")
        cable.evaluate("(one) => one.click()")
        until(lambda: "at rest after" in page.inner_text("#page-faults"))
        _shoot(page, folder / "faults.png")
        _touch(page, "#tab-drive")
        time.sleep(0.5)
        _shoot(page, folder / "lost.png")
        page.mouse.up()
        page.click("#tab-faults")
        cable.click()
        until(lambda: state(page) != "NOT HEARD")
        page.click("#tab-first")
        page.get_by_role("button", name="Say hello").click()
        until(lambda: "version" in page.locator(".tick").first.inner_text())
        _shoot(page, folder / "first.png")
        page.click("#tab-drive")
        page.keyboard.down("Space")
        until(lambda: state(page) == "STOPPED")
        _shoot(page, folder / "stopped.png")
        page.keyboard.up("Space")
        for name in ("check", "sheet", "file"):
            page.click(f"#tab-{name}")
            time.sleep(0.3)
            _shoot(page, folder / f"{name}.png")
        page.close()
    made.end()
    for name, parts in {
        "panel": ("armed", "lost", "phone"),
        "panel_pages": ("check", "first", "faults", "sheet"),
    }.items():
        files = [folder / f"{part}.png" for part in parts]
        subprocess.run(["convert", *files, "-append", shots / f"{name}.png"], check=True)
        print(shots / f"{name}.png")


def _touch(page: Any, what: str) -> None:
    page.locator(what).evaluate("(one) => one.click()")


def _hold(page: Any, name: str, across: float, along: float) -> None:
    box = page.get_by_role("slider", name=name, exact=True).bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + across, y + along, steps=4)


def _shoot(page: Any, file: Path) -> None:
    page.screenshot(path=file)


if __name__ == "__main__":
    shoot_panel(Path(sys.argv[1]), Path(sys.argv[2]))
