"""The arithmetic, and readings to levels: properties, and numbers worked out by hand."""

import itertools
from fractions import Fraction

import pytest
from hands import OneControl
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many

from nuvrik.core.hand.controls import bent_level
from nuvrik.core.ramp import Ramp
from nuvrik.levels import FULL, Clock, div, level_of, mul
from nuvrik.plan.controls import AxisControl, ButtonControl
from nuvrik.plan.tables.made import ramp_table

WIDE = 2**30
"""What div takes."""
levels = st.integers(-FULL, FULL)


@given(st.integers(-WIDE, WIDE), st.integers(-WIDE, WIDE).filter(bool))
def test_div_is_the_nearest_whole_number_halves_away_from_zero(a: int, b: int) -> None:
    exact = Fraction(a, b)
    assert abs(div(a, b) - exact) <= Fraction(1, 2)
    if abs(div(a, b) - exact) == Fraction(1, 2):
        assert abs(div(a, b)) > abs(exact)


@given(st.integers(-2 * FULL, 2 * FULL), levels)
def test_mul_is_div_by_full(a: int, b: int) -> None:
    assert mul(a, b) == div(a * b, FULL)


def test_fractions_become_levels_as_written() -> None:
    assert [level_of(x) for x in (1, -1, 0.35, -0.35, 0.0183, 0.5 / FULL)] == [
        FULL,
        -FULL,
        5734,
        -5734,
        300,
        1,
    ]


@given(st.lists(st.integers(0, 65535), min_size=2, max_size=30), st.integers(0, 10**6))
def test_a_clock_that_wraps_still_only_grows(steps: list[int], start: int) -> None:
    clock, true = Clock(), start
    clock.read(true & 0xFFFF)
    for step in steps:
        true += step
        assert clock.read(true & 0xFFFF) == true - start


@st.composite
def axes(draw: st.DrawFn, **fixed: float) -> AxisControl:
    low, high = draw(
        st.tuples(st.integers(-2000, 65000), st.integers(-2000, 65000)).filter(
            lambda r: 1 <= abs(r[0] - r[1]) <= 65535
        )
    )
    rest = draw(st.integers(min(low, high), max(low, high)))
    options = {
        "dead_zone": draw(st.floats(0, 0.9)),
        "expo": draw(st.floats(0, 1)),
        "reverse": draw(st.booleans()),
        "trim": draw(st.floats(-0.5, 0.5)),
    } | fixed
    return AxisControl(kind="axis", raw=[low, rest, high], **options)


def shape(model: AxisControl, raw: int) -> int:
    axis = OneControl(model)
    axis.read(raw, 0)
    assert axis.value is not None
    return axis.value


@given(axes(), st.integers(-70000, 70000), st.integers(-70000, 70000))
def test_shaping_is_monotonic_and_stays_in_range(model: AxisControl, a: int, b: int) -> None:
    up = (model.raw[2] > model.raw[0]) != model.reverse
    first, second = sorted((a, b), reverse=not up)
    assert -FULL <= shape(model, first) <= shape(model, second) <= FULL


@given(axes(trim=0.0))
def test_rest_is_zero_and_the_ends_are_full(model: AxisControl) -> None:
    low, rest, high = model.raw
    sign = -1 if model.reverse else 1
    assert shape(model, rest) == 0
    if high != rest:
        assert shape(model, high) == sign * FULL
    if low != rest:
        assert shape(model, low) == -sign * FULL


@given(axes(trim=0.0), st.integers(-70000, 70000))
def test_reversing_mirrors(model: AxisControl, raw: int) -> None:
    assert shape(model.model_copy(update={"reverse": not model.reverse}), raw) == -shape(model, raw)


@settings(max_examples=many(30))
@given(st.floats(0, 0.9))
def test_the_dead_zone_is_left_without_a_step(zone: float) -> None:
    model = AxisControl(kind="axis", raw=[0, 32768, 65535], dead_zone=zone)
    edge, bend = 32768 + int(zone * 32768), model.table({})
    values = [bent_level(bend, raw) for raw in range(edge - 40, edge + 40)]
    assert values[0] == 0 or zone < 0.001
    assert all(b - a <= 2 + 2 / (1 - zone) for a, b in itertools.pairwise(values))


def test_an_axis_worked_out_by_hand() -> None:
    # d = 900 - 508 = 392 of 515: 392 * 16384 / 515 = 12470.9 -> 12471.
    # Dead zone 0.04 = 655: (12471 - 655) * 16384 / 15729 = 12308.06 -> 12308.
    # Expo 0.3 = 4915: 0.7 x + 0.3 x^3 with x = 12308: mul(11469, x) = 8615.8 -> 8616; x^2 -> 9246,
    # x^3 -> 6946 (9246 * 12308 / 16384 = 6945.8), mul(4915, 6946) = 2083.7 -> 2084; sum 10700.
    model = AxisControl(kind="axis", raw=[0, 508, 1023], dead_zone=0.04, expo=0.3, ignore=[127])
    assert shape(model, 900) == 10700
    axis = OneControl(model)
    axis.read(900, 0)
    axis.read(127, 10)
    assert axis.value is None, "a reading to ignore is no reading, whatever the raw range"


@given(st.lists(st.tuples(st.booleans(), st.integers(1, 15)), max_size=60), st.booleans())
def test_a_button_ignores_bounces_and_counts_presses(samples: list[tuple[bool, int]], toggle: bool) -> None:
    button = OneControl(ButtonControl(kind="button", toggle=toggle, debounce_ms=20))
    now, settled, since, changed_over = 0, None, 0, False
    previous: bool | None = None
    for pressed, gap in samples:
        now += gap
        button.read(int(pressed), now)
        if settled is None:
            settled = pressed
        elif pressed == settled:
            previous = None
        else:
            since = now if previous is None else since
            previous = pressed
            if now - since >= 20:
                settled, previous = pressed, None
                changed_over ^= pressed
        assert bool(button.value) == (changed_over if toggle else settled)


@given(
    st.integers(0, 3000), st.integers(0, 500), st.lists(st.tuples(levels, st.integers(1, 400)), max_size=60)
)
def test_a_ramp_never_jumps_and_rests_before_reversing(
    ramp_ms: int, pause_ms: int, moves: list[tuple[int, int]]
) -> None:
    ramp = Ramp(ramp_table(ramp_ms, pause_ms))
    before, sign, at_rest = 0, 0, 10**6
    for target, dt in moves:
        ramp.towards(target, dt)
        level = ramp.at()
        at_rest = at_rest + dt if before == 0 else 0
        if ramp_ms:
            assert abs(level - before) <= dt * FULL / ramp_ms + dt / 1024 + 1
        assert level * before >= 0, "it stops at zero before it turns the other way"
        if level and sign and (level > 0) != (sign > 0):
            assert at_rest >= pause_ms
        sign = (level > 0) - (level < 0) or sign
        before = level
    for _ in range(3):
        ramp.towards(0, ramp_ms + 1)
    assert ramp.at() == 0 and ramp.fine == 0


@pytest.mark.parametrize("target", [FULL, -FULL, 5000])
def test_a_ramp_takes_as_long_as_it_says(target: int) -> None:
    ramp, ticks = Ramp(ramp_table(250)), 0
    while ramp.at() != target:
        ramp.towards(target, 1)
        ticks += 1
    assert ticks == -(-250 * abs(target) // FULL)
