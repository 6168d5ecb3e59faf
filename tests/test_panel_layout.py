"""Where everything stands on the page: seven lanes, at every size, for every starter, in a real browser."""

import csv
import os
import random
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from browser import (
    ONE_BROWSER,
    Browser,
    Page,
    arm,
    browser,
    opened,
    state,
    take,
    told,
    until,
    until_driven,
    until_driven_by_keys,
)
from panels import Panel, panel

import nuvrik
from nuvrik.core.machine.states import STATES
from nuvrik.panel.control import page_controls
from nuvrik.panel.described import arm_controls
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.starters import starter_names, starter_text

pytestmark = [pytest.mark.live, ONE_BROWSER]

NIGHTLY = bool(os.environ.get("NUVRIK_NIGHTLY"))

STARTERS = {
    name: link
    for name in starter_names()
    if not isinstance((link := nuvrik.parse(starter_text(name))).medium, InfraredMedium)
}
FEW = ["marram", "crane", "panel"]
SIZES = [(320, 560), (360, 740), (390, 844), (667, 375), (844, 390), (1024, 768), (1280, 800)]
FEW_SIZES = [(320, 560), (667, 375), (1280, 800)]

NO_INSETS = (0, 0, 0, 0)

LANES = (Path(__file__).parent / "lanes.js").read_text("utf-8")


@pytest.fixture(scope="module")
def chromium() -> Iterator[Browser]:
    with browser() as made:
        yield made


@pytest.fixture(scope="module", params=list(STARTERS) if NIGHTLY else FEW)
def one(
    request: pytest.FixtureRequest, chromium: Browser, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[tuple[str, Panel, Page]]:
    """A page of a starter, which is made as large as is asked for."""
    with panel(tmp_path_factory.mktemp("laid"), request.param) as made:
        page = opened(chromium, made.url, has_touch=True)
        yield request.param, made, page
        page.context.close()


def lanes(page: Page, what: str, *given: Any) -> Any:
    """What lanes.js says of a page."""
    page.evaluate(LANES)
    return page.evaluate(f"(given) => lanes.{what}(...given)", list(given))


def sized(
    page: Page, width: int, height: int, text: str = "", insets: tuple[int, ...] = (0, 0, 0, 0)
) -> None:
    """Make the window, the reader's text and the notches so large."""
    page.set_viewport_size({"width": width, "height": height})
    page.evaluate(
        """([text, sides]) => {
            const style = document.documentElement.style;
            style.fontSize = text;
            const names = ["--top", "--right", "--bottom", "--left"];
            names.forEach((name, at) => style.setProperty(name, `${sides[at]}px`));
            dispatchEvent(new Event("resize"));
        }""",
        [text, insets],
    )
    page.evaluate("() => new Promise((go) => requestAnimationFrame(() => requestAnimationFrame(go)))")


def insets_of(width: int, height: int) -> tuple[int, ...]:
    """A notch and a bar, as phones have them."""
    return (47, 0, 34, 0) if height > width else (0, 47, 21, 47)


@pytest.mark.parametrize("how", ["plain", "text", "insets"])
def test_the_lanes_hold_at_every_size(how: str, one: tuple[str, Panel, Page]) -> None:
    name, _, page = one
    link = STARTERS[name]
    for width, height in SIZES if NIGHTLY else FEW_SIZES:
        insets = insets_of(width, height) if how == "insets" else NO_INSETS
        sized(page, width, height, "200%" if how == "text" else "", insets)
        assert lanes(page, "look", insets) == [], (name, width, height)
        where = lanes(page, "controls")
        wanted = {control.name for control in page_controls(link)} - set(arm_controls(link))
        assert set(where) == wanted and all(len(places) == 1 for places in where.values()), (width, height)
        more = sum(places == ["more"] for places in where.values())
        tab = page.locator("#tab-more")
        # What stands under a stick may be there too, where nothing else is.
        assert (tab.count() == 1) == bool(page.locator("#more > *").count())
        if tab.count():
            assert page.locator("[role=tab]").nth(1).get_attribute("id") == "tab-more"
        if name == "marram" and how == "plain":
            assert (more == 0) == ((width, height) != (320, 560))
    sized(page, 1280, 800)


@pytest.mark.parametrize("text", ["", "200%"])
def test_no_state_and_no_sentence_moves_a_lane(text: str, one: tuple[str, Panel, Page]) -> None:
    name, _, page = one
    longest = max((control.name for control in page_controls(STARTERS[name])), key=len).replace("_", " ")
    whys = ["", "It follows your hand.", f"Let go: {longest} has not been at rest yet."]
    whys.append("The machine is not heard: is it on, in range, its cable in?")
    words = [*map(str, STATES), "NOT CONNECTED", "CONNECTED", "NOT HEARD", "RECORDING", "SENDING"]
    two_way = bool(STARTERS[name].telemetry)
    facts = ["▼ LOW 6.4 V", "heard 0.1 s", "armed 12:34"] if two_way else ["one way", "armed 12:34"]
    for width, height in SIZES if NIGHTLY else FEW_SIZES:
        sized(page, width, height, text)
        before = lanes(page, "boxes")
        for word in words:
            more = "for 123.4 s" if word == "NOT HEARD" else "" if word == "NOT CONNECTED" else "simulated"
            for why in whys:
                for next_word in ("Take the hand", "Hold to arm", "Keep holding", "Disarm"):
                    # In one go: the page itself says something else in its next frame.
                    both = "(given) => { lanes.say(given); return lanes.boxes(); }"
                    after = page.evaluate(both, [word, more, why, facts, next_word])
                    assert after == before, (width, height, word, why, next_word)
        for tab in page.locator("[role=tab]").all():
            tab.click()
            assert lanes(page, "boxes") == before, tab.inner_text()
        page.locator("#tab-drive").click()
    sized(page, 1280, 800)


def centre(page: Page, selector: str) -> tuple[float, float]:
    """The middle of something."""
    box = page.locator(selector).first.bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def touch(line: Any, kind: str, *points: tuple[float, float, int]) -> None:
    """Fingers, by the browser's own protocol."""
    at = [{"x": x, "y": y, "id": number} for x, y, number in points]
    line.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": at})


@pytest.fixture
def driven(chromium: Browser, tmp_path: Path) -> Iterator[Page]:
    """A marram on a phone, armed, its grip at full."""
    with panel(tmp_path, "marram") as made:
        page = opened(chromium, made.url, has_touch=True, viewport={"width": 390, "height": 844})
        take(page)
        arm(page)
        page.get_by_role("slider", name="grip").focus()
        page.keyboard.press("End")
        yield page
        page.context.close()


def test_a_held_stick_stays_held_while_pages_change_and_the_phone_is_turned(driven: Page) -> None:
    line = driven.context.new_cdp_session(driven)
    x, y = centre(driven, ".big .main")
    upright = lanes(driven, "boxes")

    def hold() -> None:
        touch(line, "touchStart", (x, y, 1))
        touch(line, "touchMove", (x, y - 60, 1))

    until_driven(driven, "port screw", hold, lambda: touch(line, "touchEnd"))
    tab = centre(driven, "#tab-check")
    touch(line, "touchStart", (x, y - 60, 1), (*tab, 2))
    touch(line, "touchEnd", (*tab, 2))
    until(lambda: driven.locator("#page-check").is_visible())
    row = driven.locator("#check-table tr", has_text="left stick").first
    until(lambda: "+" in row.inner_text())
    driven.set_viewport_size({"width": 844, "height": 390})
    driven.wait_for_timeout(500)
    assert "+" in row.inner_text(), "a turn of the phone let go of it"
    touch(line, "touchEnd")
    until(lambda: "\t0 %" in row.inner_text())
    until(lambda: driven.evaluate("document.body.classList.contains('side')"))
    assert lanes(driven, "look", NO_INSETS) == [] and lanes(driven, "boxes") != upright


def test_a_touch_of_arm_arms_nothing_and_no_pinch_carries_stop_away(
    chromium: Browser, tmp_path: Path
) -> None:
    with panel(tmp_path, "marram") as made:
        page = opened(
            chromium, made.url, has_touch=True, is_mobile=True, viewport={"width": 390, "height": 844}
        )
        line = page.context.new_cdp_session(page)
        # The press that takes the hand is held on, and arms nothing.
        x, y = centre(page, "#next")
        touch(line, "touchStart", (x, y, 1))
        until(lambda: page.inner_text("#next") != "Take the hand")
        page.wait_for_timeout(1200)
        touch(line, "touchEnd")
        for _ in range(3):
            touch(line, "touchStart", (x, y, 1))
            page.wait_for_timeout(200)
            touch(line, "touchEnd")
            page.wait_for_timeout(300)
            assert state(page) != "ARMED" and page.inner_text("#next") == "Hold to arm"
        touch(line, "touchStart", (150, 300, 1), (250, 300, 2))
        for far in range(5, 100, 10):
            touch(line, "touchMove", (150 - far, 300, 1), (250 + far, 300, 2))
        touch(line, "touchEnd")
        page.wait_for_timeout(200)
        assert page.evaluate("visualViewport.scale") == 1
        assert lanes(page, "look", NO_INSETS) == []
        page.context.close()


def test_space_stops_on_every_page_and_no_field_asks_for_a_keyboard(driven: Page) -> None:
    for tab in driven.locator("[role=tab]").all():
        tab.click()
        assert driven.locator("input:not([inputmode=none])").count() == 0
        driven.keyboard.down("Space")
        until(lambda: state(driven) == "STOPPED")
        driven.keyboard.up("Space")
        until(lambda: state(driven) == "STANDBY")
        if random.random() < 0.3:
            driven.locator("#tab-drive").click()
            arm(driven)


def test_where_nothing_fits_only_state_why_and_stop_are_left(chromium: Browser, tmp_path: Path) -> None:
    with panel(tmp_path, "marram") as made:
        page = opened(chromium, made.url, has_touch=True)
        take(page)
        sized(page, 280, 280)
        box = page.locator("#stop").bounding_box()
        assert box and box["y"] + box["height"] <= 280 and box["x"] >= 0 and box["x"] + box["width"] <= 280
        assert not page.locator(".main").first.is_visible() and page.locator("#too-small").is_visible()
        assert page.locator("#why").is_visible() and page.locator("#state-word").is_visible()
        # Nothing that cannot be seen is held: the page has no readings.
        until(lambda: "Too small" in page.inner_text("#why"))
        page.context.close()


def test_a_mark_of_the_driver_stands_in_the_log_from_that_moment_on(
    chromium: Browser, tmp_path: Path
) -> None:
    log = tmp_path / "hands.csv"
    with panel(tmp_path, "tug", "--log", str(log)) as made:
        page = opened(chromium, made.url)
        for number in (1, 2):
            page.get_by_role("button", name="Mark this moment").click()
            until(lambda number=number: f"mark {number}" in page.inner_text("#news"))
        page.context.close()
    rows = list(csv.DictReader(log.open()))
    marks = [int(row["driver.mark"]) for row in rows]
    assert marks == sorted(marks) and marks[0] == 0 and marks[-1] == 2


def test_a_pad_at_rest_leaves_its_stick_to_the_thumb_and_one_of_its_own_layout_is_assigned(
    chromium: Browser, tmp_path: Path
) -> None:
    text = starter_text("tug")
    for name, item in (("left_stick", "left_y"), ("right_stick", "dpad_x")):
        text = text.replace(f"[controls.{name}]", f'[controls.{name}]\nsource = "pad.{item}"', 1)
        at = text.index("raw = [", text.index(f"[controls.{name}]"))
        ends = "32767, 0, -32767" if item == "left_y" else "-1, 0, 1"
        text = text[:at] + f"raw = [{ends}]" + text[text.index("]", at) + 1 :]
    with panel(tmp_path, "tug", text=text) as made:
        page = opened(chromium, made.url)
        page.evaluate(
            """() => {
                window.axes = [0, 0, 0, 0];
                window.down = new Set();
                window.mapping = "standard";
                navigator.getGamepads = () => [{
                    connected: true, mapping: window.mapping, id: "stand-in", axes: window.axes,
                    buttons: Array.from({length: 17}, (_, at) => ({pressed: window.down.has(at), value: 0})),
                }];
            }"""
        )
        take(page)
        arm(page)
        # It lies there with a little drift: the thumb drives.
        page.evaluate("axes[1] = 0.03")
        until_driven_by_keys(page, "port screw", "left stick")
        page.wait_for_timeout(500)
        assert re.search(r"\+[2-6]\d %", told(page, "port screw"))
        page.keyboard.up("ArrowUp")
        # A direction pad is an axis too.
        page.evaluate("down.add(15)")
        until(
            lambda: (
                "asked" in told(page, "port screw") and "0 %" not in told(page, "port screw").split("\n")[1]
            )
        )
        page.evaluate("down.clear()")
        until(lambda: page.inner_text("#why") == "All at rest: it waits for your hand.")
        # One whose layout nobody knows: nothing of it moves anything until it has been assigned.
        page.evaluate("mapping = ''")
        page.locator("#tab-check").click()
        page.get_by_role("button", name="Assign a pad by hand").click()
        said = page.locator("#assign [role=status]")
        for index, name in ((3, "left stick"), (2, "right stick")):
            until(lambda name=name: name in said.inner_text())
            page.evaluate(f"axes[{index}] = 1")
            page.wait_for_timeout(300)
            page.evaluate(f"axes[{index}] = 0")
            page.wait_for_timeout(300)
        until(lambda: "done" in said.inner_text())
        page.locator("#tab-drive").click()
        until_driven(
            page, "port screw", lambda: page.evaluate("axes[3] = 1"), lambda: page.evaluate("axes[3] = 0")
        )
        page.context.close()
