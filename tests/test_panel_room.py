"""The rules of pages, by themselves: who drives, and that no late reading is ever used."""

import json

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st
from links import many

import nuvrik
from nuvrik.budget.stop import page_stale_ms
from nuvrik.panel.control import PageControl, page_controls
from nuvrik.panel.messages import Jog, Nonsense, parse, understand
from nuvrik.panel.player import PanelPlayer
from nuvrik.panel.room import (
    MALFORMED_MOST,
    MOST_EVENTS,
    MOST_PAGES,
    RATE_MOST,
    SILENT_MS,
    UNSENT_MOST,
    Answer,
    Page,
    Room,
)
from nuvrik.plan.starters import starter_text

STALE_MS, TIMEOUT_MS = 200, 300
STICK, LAMP = PageControl("stick", "axis", -100, 0, 100), PageControl("lamp", "button", 1, 1, 0)

OFTEN = ["beat"] * 8 + ["tick"] * 3 + ["answer"] * 3
SELDOM = ["null", "take", "old take", "give", "leave", "forget"]

ACTS = st.lists(
    st.tuples(
        st.sampled_from(OFTEN + SELDOM),
        st.sampled_from([0, 0, 0, 1]),
        st.sampled_from([0, 10, 20, 20, 60, 150, 199, 200, 320]),
        st.tuples(st.sampled_from([0, 0, 40]), st.sampled_from([1, 1, 0])),
        st.integers(0, 3),
    ),
    max_size=60,
)
"""What happens, to which page, how much later than what was before, where its controls are then, and to how
old a tick that is an answer."""


class History:
    """All that was done, and what follows from it, worked out anew at each look: slowly, and from the words
    of the rules."""

    def __init__(self) -> None:
        self.rows: list[tuple] = []

    def readings(self, now: float) -> dict[str, int | None]:
        driver, taken_at = None, float("-inf")
        for at, what, page, *_ in self.rows:
            if what == "take":
                driver, taken_at = page, at
            elif what in ("give", "leave") and page is driver:
                driver = None
        nothing = {"stick": None, "lamp": None}
        if driver is None or now < taken_at + TIMEOUT_MS:
            return nothing
        holds: dict[str, int] | None = None
        until, best = float("-inf"), (0, 0)
        rested: set[str] = set()
        begun = False
        for at, what, page, *more in self.rows:
            if what == "take" and page is driver and at == taken_at:
                begun = True
                holds, rested = None, set()
            if what == "forget":
                holds = None
            if what != "answer" or page is not driver:
                continue
            tick, seq, sent, right_hand, said = more
            newest = (tick, seq) > best
            best = max(best, (tick, seq))
            if not (begun and right_hand and newest and at < sent + STALE_MS):
                continue
            holds, until = said, sent + STALE_MS
            if at >= taken_at + TIMEOUT_MS:
                rested |= {name for name, rest in (("stick", 0), ("lamp", 1)) if said and said[name] == rest}
        if holds is None or now >= until:
            return nothing
        return {name: holds[name] if name in rested else None for name in nothing}


@settings(max_examples=many(1500), deadline=None)
@given(ACTS)
def test_nothing_late_old_or_never_at_rest_is_ever_used(acts: list) -> None:
    room, history, now = Room([STICK, LAMP], STALE_MS, TIMEOUT_MS), History(), 0.0
    pages: list[Page] = [room.join(0), room.join(0)]  # type: ignore[list-item]
    hands = [0, 0]
    seq = 0
    used, late = False, 0
    for what, which, later, (stick, lamp), back in [("take", 0, 0, (0, 1), 0), *acts]:
        page = pages[which]
        if what in ("tick", "beat"):
            page.next_tick(now)
            # A page that is behind still believes in the hand of before.
            hands[which] = room.hand if back else hands[which]
        now += later
        if what in ("answer", "null", "beat") and page.tick > (0 if what == "beat" else back):
            tick = page.tick - (0 if what == "beat" else back)
            sent = page.sent.get(tick)
            seq += 1
            said = None if what == "null" else {"stick": stick, "lamp": lamp}
            right = hands[which] == room.hand and room.driver is page
            if sent is not None:
                late += right and now >= sent + STALE_MS
                history.rows.append((now, "answer", page, tick, seq, sent, right, said))
            assert room.answer(page, Answer(tick, hands[which], seq, said), now)
        elif what in ("take", "old take"):
            number = room.hand if what == "take" else room.hand - 1
            if room.take(page, number, now):
                history.rows.append((now, "take", page))
            assert (room.driver is page) or what == "old take"
        elif what == "give":
            history.rows.append((now, "give", page))
            room.give(page)
        elif what == "leave":
            history.rows.append((now, "leave", page))
            room.leave(page)
            late -= page.late
            pages[which] = room.join(now)  # type: ignore[assignment]
        elif what == "forget":
            history.rows.append((now, "forget", None))
            room.forget()
        used |= any(room.readings(now).values())
        for wait in (0, STALE_MS / 2, STALE_MS):
            assert room.readings(now + wait) == history.readings(now + wait), (what, wait)
    assert sum(page.late for page in pages) == late
    event("something was used" if used else "nothing was used")


def test_a_tick_that_was_never_sent_is_nonsense_and_a_second_taker_is_told() -> None:
    room = Room([STICK], STALE_MS, TIMEOUT_MS)
    one, two = room.join(0), room.join(0)
    assert one is not None and two is not None
    one.next_tick(0)
    assert not room.answer(one, Answer(2, 0, 1, None), 1)
    assert room.take(one, 0, 1) and not room.take(two, 0, 1)
    tick = one.next_tick(1000)
    for seq, at in ((5, 0), (4, 70), (5, 70)):
        assert room.answer(one, Answer(tick, 1, seq, {"stick": at}), 1001)
        assert room.readings(1002) == {"stick": 0}, "of one tick only what came last counts"
    assert {"news": "somebody else has just taken it"} in two.new_events() and room.driver is one


def test_stop_is_everybodys_and_goes_with_the_page_that_presses_it() -> None:
    room = Room([STICK], STALE_MS, TIMEOUT_MS)
    one, two = room.join(0), room.join(0)
    assert one is not None and two is not None
    room.take(one, 0, 0)
    room.press_stop(two, True)
    room.press_stop(two, True)
    assert room.stops and room.stop_presses == 1
    room.leave(two)
    assert not room.stops and room.stop_presses == 1 and room.driver is one
    room.leave(one)
    assert room.driver is None and room.hand == 2


def test_everything_has_a_bound() -> None:
    room = Room([STICK], STALE_MS, TIMEOUT_MS)
    pages = [room.join(0) for _ in range(MOST_PAGES)]
    assert all(pages) and room.join(0) is None
    page = pages[0]
    assert page is not None
    for number in range(MOST_EVENTS + 5):
        page.note({"news": str(number)})
    events = page.new_events()
    assert len(events) == MOST_EVENTS and events[0]["news"] == "5" and page.lost_events == 5
    assert sum(page.comes(500) for _ in range(RATE_MOST + 30)) == RATE_MOST and page.dropped == 30
    assert page.comes(1501)
    assert [page.breaks(0) for _ in range(MALFORMED_MOST)] == [False] * (MALFORMED_MOST - 1) + [True]
    assert not page.breaks(61_000)


def test_a_page_that_does_not_answer_is_told_less_and_less_and_then_has_to_go() -> None:
    room = Room([STICK], STALE_MS, TIMEOUT_MS)
    page = room.join(0)
    assert page is not None
    assert room.may_tell(page, 0, 0) == "all"
    page.next_tick(0)
    assert [room.may_tell(page, at, 0) for at in (10, 20, 299)] == ["nothing", "all", "all"]
    assert room.may_tell(page, 301, 0) == "bare"
    page.next_tick(301)
    assert [room.may_tell(page, at, 0) for at in (400, 551)] == ["nothing", "bare"]
    assert room.may_tell(page, SILENT_MS, 0) == "go"
    room.answer(page, Answer(2, 0, 1, None), 400)
    assert room.may_tell(page, 552, 0) == "all" and room.may_tell(page, 552, UNSENT_MOST) == "bare"


@settings(max_examples=many(300), deadline=None)
@given(
    st.one_of(
        st.text(max_size=60),
        st.recursive(
            st.none() | st.booleans() | st.floats() | st.integers(-(2**60), 2**60) | st.text(max_size=4),
            lambda inner: (
                st.lists(inner, max_size=3)
                | st.dictionaries(
                    st.sampled_from(["tick", "hand", "seq", "readings", "stop", "take", "stick", "x"]),
                    inner,
                    max_size=4,
                )
            ),
            max_leaves=8,
        ).map(json.dumps),
    )
)
def test_a_message_is_what_it_should_be_or_nonsense(text: str) -> None:
    controls = {"stick": STICK, "lamp": LAMP}
    try:
        said = understand(parse(text), controls)
    except Nonsense:
        return
    if isinstance(said, Answer) and said.readings is not None:
        assert all(controls[name].takes(reading) for name, reading in said.readings.items())


@pytest.mark.parametrize(
    "text",
    [
        '{"tick":1,"hand":0,"seq":0,"readings":{"stick":101}}',
        '{"tick":1,"hand":0,"seq":0,"readings":{"stick":1.0}}',
        '{"tick":1,"hand":0,"seq":0,"readings":{"stick":true}}',
        '{"tick":1,"hand":0,"seq":0,"readings":{"helm":1}}',
        '{"tick":1,"hand":0,"seq":0,"readings":{},"more":1}',
        '{"tick":0,"hand":0,"seq":0,"readings":null}',
        '{"tick":9007199254740993,"hand":0,"seq":0,"readings":null}',
        '{"stop":1}',
        '{"take":false,"hand":0}',
        "[" * 100_000,
        '{"tick":NaN,"hand":0,"seq":0,"readings":null}',
    ],
)
def test_what_is_not_quite_right_is_dropped_whole(text: str) -> None:
    with pytest.raises(Nonsense):
        understand(parse(text), {"stick": STICK})


def test_a_page_moves_all_that_a_link_has_but_its_stop() -> None:
    marram = nuvrik.parse(starter_text("marram"))
    moved = {one.name: one for one in page_controls(marram)}
    assert "stop_button" not in moved and moved["right_stick"].high < moved["right_stick"].low
    assert page_stale_ms(marram) == min(
        c.stale_ms for c in marram.controls.values() if hasattr(c, "stale_ms")
    )
    program = {one.name: one.kind for one in page_controls(nuvrik.parse(starter_text("panel")))}
    assert program["fan"] == "value" and program["arm"] == "flag"


@pytest.mark.parametrize("how", ["goes on", "gives the hand away", "nobody looked for a while"])
def test_what_was_asked_for_before_a_gap_or_under_another_hand_is_not_done(
    how: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    rover = nuvrik.parse(starter_text("rover"))
    room = Room(page_controls(rover), 500, 400)
    page = room.join(0)
    assert page is not None and room.take(page, 0, 0)
    player = PanelPlayer(rover, room, None, lambda: 0.0, None, None)
    jogged: list[str] = []
    handset = nuvrik.Handset(rover)
    monkeypatch.setattr(nuvrik.Handset, "may_move", True)
    handset.jog = lambda output, fraction, for_ms: not jogged.append(output)  # type: ignore[method-assign]
    player.play_into(handset, 0)
    player.wanted.append(Jog(room.hand, tuple(rover.mix.left), 30))
    if how == "nobody looked for a while":
        player.skip()
    player.play_into(handset, 1000)
    if how == "gives the hand away":
        room.give(page)
    for now_ms in range(1002, 4000, 2):
        player.play_into(handset, now_ms)
    assert jogged == list(rover.mix.left)[: {"goes on": 2, "gives the hand away": 1}.get(how, 0)]
