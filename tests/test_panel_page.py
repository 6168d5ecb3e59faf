"""The page itself, in a real browser: hands, keys, fingers and stop."""

import re
import secrets
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from axe_playwright_python.sync_playwright import Axe
from browser import (
    ONE_BROWSER,
    Browser,
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
from panels import Panel, panel, proof_of

import nuvrik
from nuvrik.failsafe.why import Code
from nuvrik.panel.messages import VERSION
from nuvrik.panel.server import FULL, WRONG_TOKEN
from nuvrik.plan.starters import starter_text
from nuvrik.ports.sources.layouts import ELEVEN, THIRTEEN
from nuvrik.rehearsal.bench import bench_faults, in_words

pytestmark = [pytest.mark.live, ONE_BROWSER]

STATIC = Path(nuvrik.__file__).parent / "panel" / "static"


@pytest.fixture(scope="module")
def chromium() -> Iterator[Browser]:
    with browser() as made:
        yield made


@pytest.fixture(scope="module")
def marram(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Panel]:
    with panel(tmp_path_factory.mktemp("panel")) as made:
        yield made


def centre(page: Any, name: str) -> tuple[float, float]:
    """The middle of a control's track."""
    box = page.get_by_role("slider", name=name, exact=True).bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_a_newcomer_takes_the_hand_arms_drives_and_stops(chromium: Browser, marram: Panel) -> None:
    page = opened(chromium, marram.url)
    assert page.evaluate("location.hash") == "" and "take the hand" in page.inner_text("#why")
    take(page)
    arm(page)
    page.get_by_role("slider", name="grip").focus()
    page.keyboard.press("End")
    x, y = centre(page, "left stick")

    def hold() -> None:
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y - 60, steps=4)

    until_driven(page, "port screw", hold, page.mouse.up)
    until(lambda: page.inner_text("#why") == "It follows your hand.")
    until(
        lambda: re.search(
            r"on: arm button.* (4\d|5[0-5]) frames a second, \d+ back \(\d+ %\)", page.inner_text("#link")
        )
    )
    page.mouse.up()
    until(lambda: "asked to rest" in told(page, "port screw"))
    # With keys alone: half with an arrow, full with shift, rest when it comes up.
    until_driven_by_keys(page, "port screw", "left stick")
    page.keyboard.down("Space")
    until(lambda: state(page) == "STOPPED")
    assert page.inner_text("#why") == "STOP is held."
    page.keyboard.up("Space")
    page.keyboard.up("ArrowUp")
    until(lambda: state(page) == "STANDBY")
    assert not page.wrong
    page.close()


def test_everything_can_be_done_with_keys_alone(chromium: Browser, marram: Panel) -> None:
    page = opened(chromium, marram.url)

    def go_to(selector: str, key: str = "Tab") -> None:
        for _ in range(60):
            page.keyboard.press(key)
            if page.evaluate("(it) => document.activeElement.matches(it)", selector):
                return
        raise AssertionError(f"Tab does not come to {selector}")

    def turned() -> bool:
        return re.search(r"\+[2-6]\d %", told(page, "port screw")) is not None

    go_to("#next")
    page.keyboard.press("Enter")
    until(lambda: state(page) == "STANDBY" and page.inner_text("#next") == "Hold to arm")
    for _ in range(10):
        page.keyboard.down("Enter")
        time.sleep(1.0)
        page.keyboard.up("Enter")
        time.sleep(0.5)
        if state(page) == "ARMED":
            break
    go_to("[aria-label='grip']")
    page.keyboard.press("End")
    # Not round by the browser's own bar: what leaves the page lets everything go.
    go_to("[aria-label='left stick']", "Shift+Tab")
    page.keyboard.down("ArrowUp")
    until(turned)
    page.keyboard.up("ArrowUp")
    until(lambda: "asked to rest" in told(page, "port screw"))
    go_to("#tab-drive")
    page.keyboard.press("ArrowRight")
    assert page.locator("#page-check").is_visible() and not page.locator("#page-drive").is_visible()
    go_to("#stop")
    page.keyboard.press("Enter")
    until(lambda: state(page) == "STOPPED")
    assert not page.wrong
    page.close()


def test_two_fingers_move_two_sticks_at_once(chromium: Browser, marram: Panel) -> None:
    page = opened(chromium, marram.url, has_touch=True)
    take(page)
    arm(page)
    line = page.context.new_cdp_session(page)
    (lx, ly), (rx, ry) = centre(page, "left stick"), centre(page, "right stick")
    points = lambda way: [  # noqa: E731
        {"x": lx, "y": ly - way, "id": 1},
        {"x": rx + way, "y": ry, "id": 2},
    ]
    line.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": points(0)})
    line.send("Input.dispatchTouchEvent", {"type": "touchMove", "touchPoints": points(70)})
    page.click("#tab-check")
    row = lambda name: page.locator("#check-table tr", has_text=name).first.inner_text()  # noqa: E731
    sent = lambda name: page.locator("#sent-table tr", has_text=name).first.inner_text()  # noqa: E731
    until(lambda: re.search(r"\+\d\d %", row("left stick")) and re.search(r"[+-]\d\d %", row("right stick")))
    until(lambda: re.search(r"[+-]\d\d %", sent("turn")) and "\ton" in sent("arm"))
    line.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
    until(lambda: "\t0 %" in row("left stick") and "\t0 %" in row("right stick"))
    page.close()


def test_space_and_esc_stop_from_a_text_field_and_from_a_page_that_only_watches(
    chromium: Browser, tmp_path: Path
) -> None:
    with panel(tmp_path, "panel") as made:
        page, other = opened(chromium, made.url), opened(chromium, made.url)
        take(page)
        arm(page)
        page.get_by_role("button", name="fan: type a number").click()
        field = page.get_by_role("textbox", name=re.compile("fan, -1 to 1"))
        form = page.locator("form.number", has=field)
        assert field.get_attribute("inputmode") == "none"
        for text, words in (("", "give a number"), ("x", "give a number"), ("1.5", "from -1 to 1")):
            field.fill(text)
            field.press("Enter")
            assert form.locator(".said").inner_text() == words
        field.fill("0,4")
        field.press("Enter")
        until(lambda: "+40 %" in told(page, "fan"))
        page.get_by_role("button", name="fan: type a number").click()
        page.get_by_role("button", name="4", exact=True).click()
        field.focus()
        page.keyboard.down("Escape")
        until(lambda: state(page) == "STOPPED")
        page.keyboard.up("Escape")
        assert field.input_value() == "4"
        until(lambda: state(page) == "STANDBY")
        arm(page)
        other.bring_to_front()
        assert "watches" in other.inner_text("#why") or "drives" in other.inner_text("#hand")
        other.keyboard.down("Space")
        until(lambda: state(other) == "STOPPED")
        other.keyboard.up("Space")
        page.close()
        other.close()


def test_a_link_of_an_earlier_start_lets_nobody_in_and_says_so(chromium: Browser, marram: Panel) -> None:
    page = chromium.new_page()
    page.goto(f"{marram.base}/#{'0' * 32}")
    until(lambda: "open the new link" in page.inner_text("#why"))
    assert state(page) == "NOT CONNECTED"
    # The new link in the old tab joins, and clears the address again.
    page.evaluate(f"location.hash = '{marram.token}'")
    until(lambda: state(page) not in ("NOT CONNECTED", "CONNECTED"))
    assert page.evaluate("location.hash") == "" and page.evaluate("localStorage.length") == 0
    for _ in range(20):
        token, challenge = secrets.token_hex(16), secrets.token_hex(16)
        asked = f"import('./blake2s.js').then((one) => one.proof('{token}', '{challenge}'))"
        assert page.evaluate(asked) == proof_of(token, challenge)
    page.close()


def test_every_fault_is_made_at_a_click_and_judged(chromium: Browser, marram: Panel) -> None:
    driving, page = opened(chromium, marram.url), opened(chromium, marram.url)
    page.click("#tab-faults")
    there = page.locator(".fault button").all_inner_texts()
    assert there == [in_words(name) for name in bench_faults(nuvrik.parse(starter_text("marram")))]
    row = page.locator(".fault", has=page.get_by_role("button", name="stick rests off centre"))
    row.get_by_role("button").click()
    until(lambda: row.get_by_role("button").get_attribute("aria-pressed") == "true")
    row.get_by_role("button").click()
    until(lambda: "Nothing was shown: the machine was never ARMED" in row.locator(".verdict").inner_text())
    take(driving)
    arm(driving)
    driving.get_by_role("slider", name="grip").focus()
    driving.keyboard.press("End")
    until_driven_by_keys(driving, "port screw", "left stick")
    for fault in ("cable pulled", "every other lost"):
        page.get_by_role("button", name=fault, exact=True).click()
        said = page.locator(".fault", has_text=fault).locator(".verdict")
        until(lambda said=said: said.inner_text().startswith("It held"))
    driving.close()
    page.close()


def test_a_cable_that_is_off_is_seen(chromium: Browser, marram: Panel) -> None:
    page = opened(chromium, marram.url)
    take(page)
    page.click("#tab-faults")
    cable = page.get_by_role("button", name="cable pulled")
    cable.click()
    until(lambda: state(page) == "NOT HEARD" and "for" in page.inner_text("#state-more"))
    until(lambda: cable.get_attribute("aria-pressed") == "true")
    cable.click()
    until(lambda: state(page) != "NOT HEARD")
    page.click("#tab-first")
    page.get_by_role("button", name="Say hello").click()
    until(lambda: "version" in page.locator(".tick").first.inner_text())
    page.close()


def test_a_page_that_gets_nothing_but_text_shows_the_state_and_stops(
    chromium: Browser, marram: Panel
) -> None:
    page = chromium.new_context(viewport={"width": 640, "height": 360}).new_page()
    page.route("**/*.css", lambda asked: asked.abort())
    page.goto(marram.url)
    until(lambda: state(page) not in ("NOT CONNECTED", "CONNECTED"))
    take(page)
    # Whatever was before: one that was stopped stays so until somebody drives.
    until(lambda: state(page) == "STANDBY")
    words = page.inner_text("body")
    assert words.index(state(page)) < words.index("STOP Space, Esc") < words.index("port screw 0 %")
    assert page.locator("#stop").bounding_box()["y"] < 360
    page.keyboard.down("Space")
    until(lambda: state(page) == "STOPPED")
    page.keyboard.up("Space")
    page.close()


PAD = """
window.stick = [0, 0];
navigator.getGamepads = () => window.stick && [{
  connected: true, mapping: 'standard', id: 'stand-in', axes: [0, window.stick[0], window.stick[1], 0],
  buttons: Array.from({length: 17}, (_, at) => ({pressed: at === window.south, value: 0})),
}];
"""


def test_a_pad_of_the_browser_drives_and_lets_go_when_it_is_lost(chromium: Browser, tmp_path: Path) -> None:
    text = starter_text("tug")
    for name, item in (("left_stick", "left_y"), ("right_stick", "right_x"), ("arm_button", "south")):
        text = text.replace(f"[controls.{name}]", f'[controls.{name}]\nsource = "pad.{item}"', 1)
        if name != "arm_button":
            at = text.index("raw = [", text.index(f"[controls.{name}]"))
            text = text[:at] + "raw = [32767, 0, -32767]" + text[text.index("]", at) + 1 :]
    with panel(tmp_path, "tug", text=text) as made:
        page = opened(chromium, made.url)
        page.evaluate(PAD)
        take(page)
        until(lambda: state(page) == "STANDBY")
        page.evaluate(
            "setTimeout(() => { window.south = 0; setTimeout(() => { window.south = -1; }, 200); }, 600)"
        )
        until(lambda: state(page) == "ARMED")
        page.evaluate("window.stick = [-1, 0]")
        until(lambda: re.search(r"\+(9\d|100) %", told(page, "port screw")))
        page.evaluate("window.stick = null")
        until(lambda: "asked to rest" in told(page, "port screw"))
        page.close()


def test_a_switch_that_arms_stays_on_until_it_is_touched(chromium: Browser, tmp_path: Path) -> None:
    with panel(tmp_path, "vent") as made:
        page = opened(chromium, made.url)
        take(page)
        arm(page)
        time.sleep(1.0)
        assert state(page) == "ARMED"
        page.locator("#next").click()
        until(lambda: state(page) == "STANDBY")
        page.close()


def test_every_page_can_be_used_with_a_screen_reader(chromium: Browser, marram: Panel) -> None:
    for scheme in ("light", "dark"):
        page = opened(chromium, marram.url, color_scheme=scheme)
        for tab in page.locator("[role=tab]").all():
            tab.click()
            found = Axe().run(page).response["violations"]
            assert not found, [(one["id"], one["nodes"][0]["html"][:200]) for one in found]
        page.close()


FORBIDDEN = (
    r"innerHTML|outerHTML|insertAdjacentHTML|setHTML|document\.write|\beval\(|\bstyle=|localStorage"
    r"|\balert\(|\bconfirm\(|\bprompt\(|showModal|popover|<select|https?://"
)
"""What would read text as markup, keep something, cover the stop, swallow keys or fetch from elsewhere."""


def test_the_files_keep_to_the_rules_of_the_house() -> None:
    size = 0
    for file in STATIC.iterdir():
        text = file.read_text()
        size += len(text.encode())
        assert text.count("\n") < 450, file
        assert not re.search(FORBIDDEN, text), (file, re.search(FORBIDDEN, text))
    assert size < 135_000, size


def test_what_both_sides_have_to_know_before_they_have_met_is_the_same() -> None:
    """All else that a page goes by it is sent."""
    text = (STATIC / "live.js").read_text()
    known = {name: int(value) for name, value in re.findall(r"const ([A-Z_]+) = (\d+);", text)}
    assert known["VERSION"] == VERSION
    assert (known["WRONG_TOKEN"], known["TOO_MANY"]) == (WRONG_TOKEN, FULL)
    asks = set(re.findall(r"^  ([A-Z_]+): \(", (STATIC / "why.js").read_text(), re.M))
    assert asks == {code.name for code in Code} - {"NOTHING"}
    pads = (STATIC / "pads.js").read_text()
    for layout in (ELEVEN, THIRTEEN):
        for item in (*layout.axes, *(one for one in layout.buttons if not one.endswith("_button"))):
            assert f'"{item}"' in pads, item


SIZES = [(320, 560), (360, 740), (390, 844), (667, 375), (844, 390), (1024, 768), (1280, 800)]

STOP_SEEN = """() => {
    const stop = document.getElementById("stop").getBoundingClientRect();
    const within = stop.left >= 0 && stop.top >= 0
        && stop.right <= visualViewport.width && stop.bottom <= visualViewport.height;
    const spots = [[0.02, 0.1], [0.98, 0.1], [0.02, 0.9], [0.98, 0.9], [0.5, 0.5]];
    const bare = spots.every(([x, y]) =>
        document.elementFromPoint(stop.left + x * stop.width, stop.top + y * stop.height)?.closest("#stop"));
    const main = document.querySelector("main").getBoundingClientRect();
    return [within, bare, main.bottom <= stop.top];
}"""


@pytest.mark.parametrize(("width", "height"), SIZES)
def test_stop_is_whole_and_nothing_is_over_or_under_it(
    width: int, height: int, chromium: Browser, marram: Panel
) -> None:
    page = opened(
        chromium,
        marram.url,
        viewport={"width": width, "height": height},
        has_touch=True,
        is_mobile=width < 1000,
    )
    assert page.evaluate(STOP_SEEN) == [True, True, True]
    page.context.close()
