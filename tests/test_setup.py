"""Every kind of control, channel, output and mix: properties, and the rules that keep hands safe."""

from pathlib import Path

import pytest
from hands import OneControl, OneSource
from hypothesis import given
from hypothesis import strategies as st
from links import write
from typed import nuvrik_command

import nuvrik
from nuvrik.levels import FULL, level_of, mul
from nuvrik.plan.controls import AxisControl, KeyControl, SliderControl
from nuvrik.plan.form.channels import FlagChannel, LevelChannel
from nuvrik.plan.starters import starter_text

levels = st.integers(-FULL, FULL)


# ---- controls ------------------------------------------------------------------------------


@given(st.lists(st.tuples(st.floats(-1, 1), st.floats(-1, 1)), min_size=2, max_size=8), st.booleans())
def test_a_curve_is_followed_and_stays_monotonic(points: list[tuple[float, float]], falling: bool) -> None:
    places = sorted({round(x, 3) for x, _ in points})
    values = sorted((round(y, 3) for _, y in points), reverse=falling)[: len(places)]
    if len(places) < 2:
        return
    curve = [list(point) for point in zip(places, values, strict=True)]
    axis = OneControl(AxisControl(kind="axis", raw=[0, 16384, 32768], curve=curve))
    seen = []
    for raw in range(0, 32769, 512):
        axis.read(raw, 0)
        seen.append(axis.value)
    assert seen == sorted(seen, reverse=falling)
    for place, value in zip(places, values, strict=True):
        axis.read(16384 + level_of(place), 0)
        assert abs((axis.value or 0) - level_of(value)) <= 2


@given(st.integers(-65000, 65000), st.integers(-65000, 65000), st.booleans(), st.integers(0, 70000))
def test_a_slider_goes_from_none_to_full(low: int, high: int, reverse: bool, raw: int) -> None:
    if not 1 <= abs(high - low) <= 65535:
        return
    slider = OneControl(SliderControl(kind="slider", raw=[low, high], reverse=reverse))
    slider.read(raw, 0)
    assert slider.value is not None and 0 <= slider.value <= FULL
    for reading, value in ((low, FULL * reverse), (high, FULL * (not reverse))):
        slider.read(reading, 0)
        assert slider.value == value


@given(
    st.integers(1, 2000),
    st.lists(st.tuples(st.integers(0, 1023), st.integers(1, 300)), min_size=1, max_size=40),
)
def test_smoothing_and_slew_stay_between_old_and_new_and_arrive(
    ms: int, readings: list[tuple[int, int]]
) -> None:
    smooth = OneControl(AxisControl(kind="axis", raw=[0, 512, 1023], smooth_ms=ms))
    slewed = OneControl(AxisControl(kind="axis", raw=[0, 512, 1023], ramp_ms=ms))
    plain = OneControl(AxisControl(kind="axis", raw=[0, 512, 1023]))
    now = 0
    for raw, dt in readings:
        before = smooth.value, slewed.value
        now += dt
        for axis in (smooth, slewed, plain):
            axis.read(raw, now)
        for axis, was in zip((smooth, slewed), before, strict=True):
            bounds = sorted((plain.value if was is None else was, plain.value))
            assert bounds[0] - 1 <= axis.value <= bounds[1] + 1
        if before[1] is not None:
            assert abs(slewed.value - before[1]) <= dt * FULL / ms + dt / 1024 + 1
    for _ in range(60):
        now += ms
        smooth.read(readings[-1][0], now)
    assert abs(smooth.value - plain.value) <= 1


def test_a_stick_that_holds_stays_at_its_furthest_push() -> None:
    axis = OneControl(AxisControl(kind="axis", raw=[-100, 0, 100], dead_zone=0.1, on_release="hold"))
    seen = []
    for raw in (0, 50, 80, 60, 20, 0, 0, 30, 0, -100, -40, 0):
        axis.read(raw, 0)
        seen.append((round(100 * axis.value / FULL), axis.latched))
    assert [value for value, _ in seen] == [0, 44, 78, 78, 78, 78, 78, 22, 22, -100, -100, -100]
    assert [i for i, (_, latched) in enumerate(seen) if latched] == [5, 6, 8, 11]
    axis.withdraw()
    axis.read(0, 0)
    assert axis.value == 0 and not axis.latched, "what was held does not outlive a gap"


@given(st.sampled_from(["every", "first"]), st.lists(st.integers(1, 600), max_size=40))
def test_a_key_is_down_while_it_keeps_arriving(repeat: str, gaps: list[int]) -> None:
    key = OneControl(KeyControl(kind="key", released_after_ms=200, repeat=repeat))
    key.read(7, 0)
    assert key.value == 0 and key.presses == 0, "what has arrived before is no press"
    now, presses, last = 0, 0, -1000
    for arrivals, gap in enumerate(gaps, 1):
        now += gap
        presses += repeat == "every" or now - last >= 200
        last = now
        key.read(7 + arrivals, now)
        key.read(7 + arrivals, now)  # read twice is not arrived twice
        assert key.value == FULL and key.presses == presses
    key.withdraw()
    assert key.value == 0


BOX = nuvrik.parse(starter_text("marram"))


def box(now: int, **pressed: int) -> dict[str, int]:
    """Readings of Marram's handset with everything at rest but what is named."""
    rest = {"left_stick": 508, "right_stick": 515, "grip": 880}
    buttons = [name for name, control in BOX.controls.items() if control.kind == "button"]
    return rest | dict.fromkeys(buttons, 0) | pressed


def test_rocker_nudge_selector_creep_and_accelerator_on_marrams_handset() -> None:
    handset, now = nuvrik.Handset(BOX), 0

    def hold(ms: int, **pressed: int) -> dict[str, int | None]:
        nonlocal now
        for _ in range(0, ms, 10):
            now += 10
            handset.read(now, **box(now, **pressed))
        return handset.wire_values

    hold(600)
    assert hold(60, light_right=1)["searchlight"] is None, "a nudge moves no place before arm is sent on"
    hold(60, arm_button=1)
    hold(60)
    assert handset.wire_values["searchlight"] is None and handset.wire_values["hook"] is None
    assert hold(60, winch_in=1)["winch"] == FULL and hold(60, winch_out=1)["winch"] == -FULL
    assert hold(60, winch_in=1, winch_out=1)["winch"] == 0 and hold(60)["winch"] == 0
    for step in range(1, 13):
        hold(60, light_right=1)
        assert hold(60)["searchlight"] == min(step * level_of(0.1), FULL)
    assert "light_nudge" in handset.latched
    assert hold(60, hook_open=1)["hook"] == hold(60)["hook"] == level_of(0.9)
    ahead = hold(60, left_stick=1023)["throttle"]
    assert ahead == FULL and hold(60, left_stick=1023, grip=545)["throttle"] < 0.5 * FULL
    hold(60, slow_switch=1)
    assert (
        hold(60, left_stick=1023)["throttle"] == mul(FULL, level_of(0.4)) and "slow_switch" in handset.latched
    )
    assert hold(60, horn_button=1)["horn"] == 1 and hold(60)["horn"] == 0
    handset.read(now + 700, left_stick=508)
    assert handset.wire_values["winch"] is None and handset.values["throttle"] is None, (
        "stale parts are no reading"
    )


PATIENCE = {"quick": 40, "usual": 200, "slow": 900}
WATCHED = nuvrik.parse(
    '[link]\nname = "watched"\nrate_hz = 50\n[medium]\nkind = "serial"\nbaud = 115200\n'
    '[frame]\nstyle = "packed"\npair = 7\n[failsafe]\narm = "none"\ntimeout_ms = 400\n'
    + "".join(
        f'[controls.{name}]\nkind = "axis"\nraw = [0, 5, 10]\nstale_ms = {ms}\n'
        f'[channels.{name}]\nkind = "level"\nbits = 8\nfrom = "{name}"\n'
        for name, ms in PATIENCE.items()
    )
)


@given(
    st.lists(
        st.tuples(st.integers(0, 500), st.sets(st.sampled_from(sorted(PATIENCE))), st.booleans()), max_size=30
    ),
    st.integers(0, 65535),
)
def test_each_control_goes_stale_in_its_own_time_whatever_else_is_read(
    turns: list[tuple[int, set[str], bool]], start: int
) -> None:
    """Also if a call fails half-way, and whether the handset is read or only sends."""
    handset, now, last = nuvrik.Handset(WATCHED), start, {}
    for gap, names, fails in turns:
        now += gap
        wrong = {"quick" if "quick" not in names else "usual": "x"} if fails else {}
        names -= wrong.keys()
        last |= dict.fromkeys(names, now)
        if names or wrong:
            try:
                handset.read(now & 0xFFFF, **dict.fromkeys(names, 8), **wrong)  # type: ignore[arg-type]
            except TypeError:
                assert wrong
        else:
            handset.send(now & 0xFFFF)
        for name, patience in PATIENCE.items():
            fresh = name in last and now - last[name] < patience
            assert (handset.wire_values[name] is not None) == fresh, (name, now)


@given(
    st.lists(st.none() | levels, min_size=3, max_size=3), st.floats(-1, 1), st.floats(0.1, 1), st.booleans()
)
def test_channels_are_built_from_controls_as_they_say(
    given_: list[int | None], weight: float, slow: float, on: bool
) -> None:
    controls = dict(zip("abc", given_, strict=True)) | {"on": FULL * on}
    a, b, _ = given_

    def value(**keys: object) -> int | None:
        source = OneSource(LevelChannel.model_validate({"kind": "level", **keys}), list(controls), 300)
        source.values |= controls
        source.refresh()
        return source.value()

    assert value(**{"from": "a"}) == a
    assert value(**{"from": "a", "multiplied_by": "b"}) == (None if a is None or b is None else mul(a, b))
    slowed = mul(a, level_of(slow)) if on and a is not None else a
    assert value(**{"from": "a", "slow_when": "on", "slow_to": slow}) == slowed
    assert value(**{"from": "a", "preset_when": "on", "preset": weight}) == (
        None if a is None else level_of(weight) if on else a
    )
    weighed = None if a is None or b is None else mul(level_of(weight), a) + mul(level_of(0.5), b)
    total = value(weights={"a": weight, "b": 0.5})
    assert total == (None if weighed is None else max(-FULL, min(FULL, weighed)))
    # Of several, only those that are at rest have a say so far.
    there = [v for v in given_ if v is not None and abs(v) <= 300]
    assert value(**{"from": ["a", "b", "c"]}) == (there[0] if there else None)
    assert value(**{"from": ["a", "b", "c"], "rule": "sum"}) == (
        max(-FULL, min(FULL, sum(there))) if there else None
    )


def test_whoever_leaves_rest_first_keeps_the_wheel_until_back_at_rest() -> None:
    model = LevelChannel.model_validate({"kind": "level", "from": ["t", "p"], "rule": "first"})
    source, seen = OneSource(model, ["t", "p"], 20), []
    for source.values["t"], source.values["p"] in (
        (0, 0),
        (0, 50),
        (90, 60),
        (90, 0),
        (80, 70),
        (None, 70),
        (90, 70),
        (90, 10),
        (20, 30),
        (90, 30),
        (90, 0),
        (None, None),
        (0, 70),
        (0, 0),
        (0, 70),
    ):
        source.refresh()
        seen.append(source.value())
    # Whoever takes over has been read at rest since: since readings began, and since the other let go or was
    # lost. Nobody has a say at first.
    assert seen == [0, 50, 60, 0, 70, 70, 70, 0, 30, 30, 0, None, 0, 0, 70]


LYING = st.none() | st.sampled_from([0, 200, -300, 301, -9000, FULL])


class Sayers:
    """Who of several sources may say something, kept as a person would explain it."""

    def __init__(self, rule: str, place: bool, band: int) -> None:
        self.rule, self.place, self.band = rule, place, band
        self.may = [False] * 3
        self.last: list[int | None] = [None] * 3
        self.from_here: list[int | str | None] = ["anywhere"] * 3
        self.holder: int | None = None

    def away(self, value: int | None) -> bool:
        return value is not None and abs(value) > (0 if self.place else self.band)

    def over(self, row: tuple[int | None, ...]) -> int | None:
        """Whose say has just ended, so that nobody else has one any more."""
        for at, value in enumerate(row):
            if self.rule == "sum":
                if self.may[at] and value is None and self.away(self.last[at]):
                    return at
            elif (
                at == self.holder
                and self.may[at]
                and (value is None or (self.rule == "first" and not self.away(value)))
            ):
                return at
        return None

    def take(self, row: tuple[int | None, ...]) -> int | None:
        """What is said."""
        gone = self.over(row)
        for at, value in enumerate(row):
            if value is None:
                if gone is not None or self.last[at] is not None:
                    self.from_here[at] = None
                self.may[at] = False
                continue
            if gone is not None and at != gone:
                self.from_here[at], self.may[at] = value, False
            here = self.from_here[at]
            if not self.place:
                self.may[at] |= abs(value) <= self.band
            elif here == "anywhere":
                self.may[at] = True
            elif here is None:
                self.from_here[at] = value
            else:
                self.may[at] |= abs(value - here) > self.band
        self.last = list(row)
        able = [at for at in range(3) if self.may[at]]
        if self.rule == "first":
            moved = [at for at in able if self.away(row[at])]
            self.holder = self.holder if self.holder in moved else next(iter(moved), None)
            return row[self.holder] if self.holder is not None else 0 if able else None
        if self.rule == "priority":
            self.holder = next(iter(able), None)
            return None if self.holder is None else row[self.holder]
        return max(-FULL, min(FULL, sum(row[at] for at in able))) if able else None


@given(
    st.sampled_from(["priority", "first", "sum"]),
    st.booleans(),
    st.lists(st.tuples(LYING, LYING, LYING), min_size=1, max_size=30),
)
def test_whoever_takes_over_has_been_at_rest_since(
    rule: str, place: bool, rows: list[tuple[int | None, ...]]
) -> None:
    controls = ["a", "b", "c"]
    model = LevelChannel.model_validate({"kind": "level", "from": controls, "rule": rule})
    source, sayers = OneSource(model, controls, 300, place=place), Sayers(rule, place, 300)
    for row in rows:
        source.values |= dict(zip(controls, row, strict=True))
        source.refresh()
        assert source.value() == sayers.take(row)


@given(st.lists(st.none() | levels, max_size=60), st.floats(-0.8, 0.9), st.floats(0, 0.5))
def test_a_threshold_has_hysteresis(values: list[int | None], above: float, hysteresis: float) -> None:
    model = FlagChannel.model_validate(
        {"kind": "flag", "from": "a", "above": above, "hysteresis": hysteresis}
    )
    source, on = OneSource(model, ["a"], 0), 0
    for value in values:
        source.values["a"] = value
        if value is None or value < level_of(above - hysteresis):
            on = 0
        elif value >= level_of(above):
            on = 1
        assert source.value() == on


@given(st.integers(1, 500), st.integers(0, 200), st.integers(300, 800))
def test_a_dead_zone_in_raw_readings_swallows_exactly_so_many_on_the_shorter_side(
    zone: int, low: int, rest: int
) -> None:
    """And no fewer on the longer one: what the potentiometer's maker says of its play is in counts."""
    halves = rest - low, 1023 - rest
    given_zone = min(zone, min(halves) - 2)
    stick = AxisControl(kind="axis", raw=[low, rest, 1023], dead_zone_raw=given_zone)
    one = OneControl(stick)

    def level(raw: int) -> int | None:
        one.read(raw)
        return one.value

    assert not any(level(raw) for raw in range(rest - given_zone, rest + given_zone + 1))
    nearer = 1 if halves[1] <= halves[0] else -1
    assert level(rest + nearer * (given_zone + 2)) != 0 and abs(level(rest + nearer * min(halves))) == 16384


def test_a_button_stands_for_two_values(tmp_path: Path) -> None:
    """A place goes here or there; what turns must rest at one of the two, or it never arms."""
    text = starter_text("pan_tilt")
    button = '\n[controls.look]\nkind = "button"\n\n[channels.pan]\n'
    first = text.index('from = "', text.index("[channels.pan]"))
    line = text[first : text.index("\n", first)]
    text = text.replace("[channels.pan]\n", button, 1).replace(
        line, 'from = "look"\nwhen_on = 0.8\nwhen_off = -0.8', 1
    )
    link = nuvrik.parse(text)
    handset = nuvrik.Handset(link)
    for pressed, wanted in ((0, -0.8), (1, 0.8), (0, -0.8)):
        for now_ms in range(0, 100, 10):
            handset.read(now_ms, look=pressed)
        assert handset.values["pan"] == pytest.approx(wanted, abs=0.001)
    without = text.replace("when_on = 0.8\nwhen_off = -0.8", "")
    refused = nuvrik_command("check", write(tmp_path, "a.toml", without), code=1)
    assert "feed a level by itself" in refused and "add when_on" in refused
    turning = starter_text("tug").replace(
        'from = "left_stick"', 'from = "arm_button"\nwhen_on = 1.0\nwhen_off = -1.0'
    )
    refused = nuvrik_command("check", write(tmp_path, "b.toml", turning), code=1)
    assert "never at rest, so nothing ever arms" in refused
