"""Keys that arrive, and what is learned, guessed or drawn from what arrived: against plain models."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many, write

import nuvrik
from nuvrik.budget.compare import compare
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.seen import conditions_seen
from nuvrik.budget.stop import stop_bound
from nuvrik.budget.trips import Chain, hours_words
from nuvrik.core.machine.states import TABLE, Happening, State
from nuvrik.failsafe.words import cell_words
from nuvrik.levels import FULL
from nuvrik.plan.edit import edited
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plant.plant import SimServo
from nuvrik.ports.link_file import write_into
from nuvrik.wire.events import Frame

pytestmark = pytest.mark.slow

CURTAIN_TEXT = starter_text("curtain")


class PlainKey:
    """What a key is, written down once more: who last arrived when, how often it was pressed, whether it is
    toggled on."""

    def __init__(self, hold_ms: int, every: bool, toggle: bool) -> None:
        self.hold_ms, self.every, self.toggle = hold_ms, every, toggle
        self.arrived_ms: int | None = None
        self.presses = 0
        self.on = False

    def arrive(self, now_ms: int, fresh: bool) -> None:
        self.presses += fresh or self.every
        self.on ^= fresh
        self.arrived_ms = now_ms

    def value(self, now_ms: int) -> int:
        held = self.arrived_ms is not None and now_ms < self.arrived_ms + self.hold_ms
        return FULL if (self.on if self.toggle else held) else 0


def hear(handset: nuvrik.Handset, now_ms: int, name: str, *, fresh: bool) -> None:
    """The code of a key arrives, as a receiver hears it."""
    handset._pass_time(now_ms)
    handset.core.hands.arrive(handset._hands.names.index(name), fresh)
    handset.core.have_read()


@settings(max_examples=many(150))
@given(
    st.integers(20, 600),
    st.booleans(),
    st.booleans(),
    st.lists(
        st.tuples(st.integers(1, 700), st.sampled_from(["fresh", "repeat", "look", "off"])), max_size=40
    ),
)
def test_a_key_is_what_it_is_said_to_be(hold_ms: int, every: bool, toggle: bool, happenings) -> None:
    """Fresh presses and repeats at any times, looked at by a handset's clock, put off by another key."""
    lines = CURTAIN_TEXT.splitlines(True)
    text = "".join(line for line in lines if "# a fresh press toggles it" not in line).replace(
        "code = 0x12",
        f'code = 0x12\nreleased_after_ms = {hold_ms}\nrepeat = "{"every" if every else "first"}"\n'
        f"toggle = {str(toggle).lower()}",
    )
    if not toggle:
        text = "".join(line for line in text.splitlines(True) if "# and this key switches it off" not in line)
    handset, model = nuvrik.Handset(nuvrik.parse(text)), PlainKey(hold_ms, every, toggle)
    now, before = 5000, 0
    for wait, what in happenings:
        now += wait
        if what == "off" and toggle:
            hear(handset, now, "key_all_off", fresh=True)
            model.on = False
        elif what in ("fresh", "repeat"):
            hear(handset, now, "key_lights", fresh=what == "fresh")
            model.arrive(now, what == "fresh")
        handset.send(now)
        key = handset._hands.names.index("key_lights")
        assert handset.core.hands.presses(key) == model.presses >= before
        assert handset.core.value(key) == model.value(now)
        assert bool(handset.wire_values["lights"]) == bool(model.value(now))
        before = model.presses


@settings(max_examples=many(25))
@given(
    st.integers(20, 900), st.integers(20, 900), st.integers(0, 900), st.integers(5, 60), st.integers(5, 40)
)
def test_the_bound_of_a_remote_is_the_longest_key_that_moves_something(a, b, ramp, rate, tick) -> None:
    text = CURTAIN_TEXT.replace(
        "code = 0x10\nreleased_after_ms = 250 ", f"code = 0x10\nreleased_after_ms = {a} "
    )
    text = text.replace("code = 0x11\nreleased_after_ms = 250", f"code = 0x11\nreleased_after_ms = {b}")
    text = text.replace("ramp_ms = 300", f"ramp_ms = {ramp}").replace(
        "rate_hz = 20", f"rate_hz = {rate}\ntick_ms = {tick}"
    )
    link = nuvrik.parse(text)
    bound = stop_bound(link)
    assert bound.terms["released_after"] == max(a, b) and bound.terms["ramp"] == ramp
    assert bound.terms["tick"] == 2 * tick + link.period_ms
    assert 60 < bound.terms["transit"] < 120  # the longest code, and the silence behind it
    held = nuvrik.parse(text.replace('plus = "key_open"', 'plus = "key_lights"'))
    assert stop_bound(held).terms["disarm_after"] == 10_000


@settings(max_examples=many(20))
@given(
    st.sampled_from([0.05, 0.2, 0.4]),
    st.sampled_from([0.0, 0.1, 0.3]),
    st.sampled_from([6, 15]),
    st.integers(0, 99),
)
def test_a_capture_shows_the_medium_that_it_went_through(loss, burst_loss, burst_frames, seed) -> None:
    conditions = (
        Conditions(burst_loss=burst_loss, burst_frames=burst_frames) if burst_loss else Conditions(loss=loss)
    )
    lost = Chain.of(conditions).lost(60_000, np.random.default_rng(seed))
    events = [Frame(n, 0, n & 0xFF, (), b"") for n in range(60_000) if not lost[n]]
    seen, arrived, missing = conditions_seen(events)
    assert arrived == len(events) and missing <= int(lost.sum())
    if burst_loss:
        assert seen.burst_loss == pytest.approx(burst_loss, abs=0.06)
        assert seen.burst_frames == pytest.approx(burst_frames, rel=0.25)
    else:
        assert seen.loss == pytest.approx(loss, abs=0.02) and not seen.burst_loss


@pytest.mark.parametrize("name", starter_names())
def test_a_new_key_in_a_link_file_leaves_every_other_line_as_it_was(name: str, tmp_path: Path) -> None:
    before = starter_text(name)
    after = edited(before, {("controls", "spare_key", "kind"): "key", ("controls", "spare_key", "code"): 77})
    left = [line for line in after.splitlines() if line.strip()]
    for line in (line for line in before.splitlines() if line.strip()):
        assert line in left
    assert nuvrik.parse(after).controls["spare_key"].code == 77 if name != "curtain" else True
    if name == "curtain":
        file = write(tmp_path, "c.toml", before)
        write_into(file, {("controls", "key_open", "code"): 0x55})
        assert nuvrik.load(file).controls["key_open"].code == 0x55
        with pytest.raises(nuvrik.LinkFileError, match="so is that of key_open"):
            write_into(file, {("controls", "key_shut", "code"): 0x55})
        assert nuvrik.load(file).controls["key_shut"].code == 0x11, "a bad one is not written at all"


@pytest.mark.parametrize("name", ["tug", "vent", "slider_motor"])
def test_styles_compare_the_same_way_for_every_link(name: str) -> None:
    rows = {row.style: row for row in compare(nuvrik.parse(starter_text(name)))}
    assert rows["packed"].undetected == rows["slip"].undetected == 0
    assert rows["line, crc8"].undetected < rows["line"].undetected and rows["keys"].undetected > 100_000
    assert all(
        row.frame_bytes <= row.wire_bytes and row.lost_mean <= row.lost_most <= 3 for row in rows.values()
    )
    assert all(row.max_rate_hz == pytest.approx(1000 / row.airtime_ms) for row in rows.values())


@given(st.floats(1e-6, 1e9))
def test_mean_times_are_said_in_units_that_people_use(hours: float) -> None:
    number, unit = hours_words(hours).rsplit(" ", 1)
    sizes = {"s": 1 / 3600, "minutes": 1 / 60, "hours": 1, "days": 24, "years": 8766}
    assert float(number) * sizes[unit] == pytest.approx(hours, rel=0.006)
    assert hours_words(float("inf")) == "never"


@given(st.lists(st.floats(-1, 1), max_size=30), st.floats(20, 2000))
def test_a_servo_takes_its_time_and_arrives(places: list[float], full_ms: float) -> None:
    servo = SimServo(full_ms)
    for place in places:
        before = servo.place
        servo.run(place, 20)
        assert abs(servo.place - before) <= 40 / full_ms + 1e-9 and -1 <= servo.place <= 1
    for _ in range(int(full_ms / 20) + 2):
        servo.run(0.5, 20)
    assert servo.place == pytest.approx(0.5)


def test_the_table_in_words_says_what_the_table_does() -> None:
    for event in Happening:
        for state in State:
            words, cell = cell_words(event, state), TABLE[event][state]
            assert cell.to is None or f"to {cell.to}" in words
            assert ("run + 1" in words) == (cell.counts_to is not None and cell.run is None)
            assert ("off_seen = 1" in words) == (cell.off_seen == 1)


def test_a_hand_that_trembles_presses_no_other_key() -> None:
    link = nuvrik.parse("""
    link = { name = "still", rate_hz = 10 }
    medium = { kind = "serial" }
    failsafe = { arm = "on", timeout_ms = 400, rest_band = 0.05 }
    [frame]
    style = "keys"
    accept = ["no_sequence", "no_pair", "no_layout", "no_check"]
    pair = 1
    [frame.keys]
    " " = { stop = true }
    "a" = { set = { on = 1 } }
    "w" = { add = { drive = 0.1 } }
    "s" = { add = { drive = -0.1 } }
    "x" = { set = { drive = 0 } }
    [channels]
    drive = { kind = "level" }
    on = { kind = "flag" }
    """)
    encoder = nuvrik.Encoder(link)
    wants = [(0.0, b"a"), (0.07, b"x"), (0.09, b"w"), (0.07, b"a"), (0.04, b"a"), (0.02, b"s")]
    # At 0.07 the key w would lead nearer too, but only by 0.04; and at 0.04 the key s, by 0.02.
    for wanted, key in wants:
        assert encoder.command([round(wanted * FULL), 1], 0) == key, wanted
