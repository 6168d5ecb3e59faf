"""Every kind of control, channel, output and mix: properties, and the rules that keep hands safe."""

from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.levels import FULL, div, level_of, mul
from nuvrik.mixing.demand import Demand, Mode
from nuvrik.mixing.mix import Mix
from nuvrik.mixing.motor import Motor
from nuvrik.mixing.others import Servo, Switch
from nuvrik.mixing.pins import pin_writes
from nuvrik.plan.channels import FlagChannel, LevelChannel
from nuvrik.plan.controls import AxisControl, KeyControl, SliderControl
from nuvrik.plan.outputs import CAN_BRAKE, MotorOutput, ServoOutput, SwitchOutput
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plan.wiring import side_routes
from nuvrik.rehearsal.faults import faults_for
from nuvrik.rehearsal.pilot import practice
from nuvrik.rehearsal.verdict import rehearse
from nuvrik.shaping.channels import build_source
from nuvrik.shaping.controls import Control, Key, Moved
from nuvrik.wire.packing import quantised

levels = st.integers(-FULL, FULL)


class Fixed(Control):
    """A control that says what it is told to."""

    def __init__(self, value: int | None) -> None:
        super().__init__("fixed", 500)
        self.value = value


# ---- controls ------------------------------------------------------------------------------


@given(st.lists(st.tuples(st.floats(-1, 1), st.floats(-1, 1)), min_size=2, max_size=8), st.booleans())
def test_a_curve_is_followed_and_stays_monotonic(points: list[tuple[float, float]], falling: bool) -> None:
    places = sorted({round(x, 3) for x, _ in points})
    values = sorted((round(y, 3) for _, y in points), reverse=falling)[: len(places)]
    if len(places) < 2:
        return
    curve = [list(point) for point in zip(places, values, strict=True)]
    axis = Moved("a", AxisControl(kind="axis", raw=[0, 16384, 32768], curve=curve))
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
    slider = Moved("s", SliderControl(kind="slider", raw=[low, high], reverse=reverse))
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
    smooth = Moved("a", AxisControl(kind="axis", raw=[0, 512, 1023], smooth_ms=ms))
    slewed = Moved("a", AxisControl(kind="axis", raw=[0, 512, 1023], slew_ms=ms))
    plain = Moved("a", AxisControl(kind="axis", raw=[0, 512, 1023]))
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
    axis = Moved("a", AxisControl(kind="axis", raw=[-100, 0, 100], dead_zone=0.1, on_release="hold"))
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
    key = Key("k", KeyControl(kind="key", hold_ms=200, repeat=repeat))
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
        return handset.values

    hold(50)
    assert hold(60, winch_in=1)["winch"] == FULL and hold(60, winch_out=1)["winch"] == -FULL
    assert hold(60, winch_in=1, winch_out=1)["winch"] == 0 and hold(60)["winch"] == 0
    for step in range(1, 13):
        hold(60, light_right=1)
        assert hold(60)["searchlight"] == min(step * level_of(0.1), FULL)
    assert "light_nudge" in handset.latched
    assert hold(60, hook_open=1)["hook"] == hold(60)["hook"] == level_of(0.9)
    ahead = hold(60, left_stick=1023)["throttle"]
    assert ahead == FULL and hold(60, left_stick=1023, grip=545)["throttle"] < 0.5 * FULL
    hold(60, creep_switch=1)
    assert (
        hold(60, left_stick=1023)["throttle"] == mul(FULL, level_of(0.4))
        and "creep_switch" in handset.latched
    )
    assert hold(60, horn_button=1)["horn"] == 1 and hold(60)["horn"] == 0
    handset.read(now + 700, left_stick=508)
    assert handset.values["winch"] is None and handset.values["throttle"] is None, (
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
            assert (handset.values[name] is not None) == fresh, (name, now)


@given(
    st.lists(st.none() | levels, min_size=3, max_size=3), st.floats(-1, 1), st.floats(0.1, 1), st.booleans()
)
def test_channels_are_built_from_controls_as_they_say(
    given_: list[int | None], weight: float, slow: float, on: bool
) -> None:
    controls = dict(zip("abc", map(Fixed, given_), strict=True)) | {"on": Fixed(FULL * on)}
    a, b, _ = given_

    def value(**keys: object) -> int | None:
        source = build_source(LevelChannel.model_validate({"kind": "level", **keys}), controls, 300)
        source.refresh()
        return source.value()

    assert value(**{"from": "a"}) == a
    assert value(**{"from": "a", "times": "b"}) == (None if a is None or b is None else mul(a, b))
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
    teacher, pupil = Fixed(0), Fixed(0)
    model = LevelChannel.model_validate({"kind": "level", "from": ["t", "p"], "rule": "first"})
    source, seen = build_source(model, {"t": teacher, "p": pupil}, 20), []
    for teacher.value, pupil.value in (
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
    # Behind a gap the teacher has no say before the stick has been read at rest; nor has anybody at first.
    assert seen == [0, 50, 60, 90, 80, 70, 70, 0, 30, 30, 90, None, 0, 0, 70]


LYING = st.none() | st.sampled_from([0, 200, -300, 301, -9000, FULL])


@given(
    st.sampled_from(["priority", "first", "sum"]),
    st.booleans(),
    st.lists(st.tuples(LYING, LYING, LYING), min_size=1, max_size=30),
)
def test_a_source_has_a_say_only_once_it_has_been_at_rest_since_its_readings_began(
    rule: str, place: bool, rows: list[tuple[int | None, ...]]
) -> None:
    controls = {name: Fixed(None) for name in "abc"}
    model = LevelChannel.model_validate({"kind": "level", "from": list(controls), "rule": rule})
    source, ready = build_source(model, controls, 300, place=place), {}
    for row in rows:
        for (name, control), value in zip(controls.items(), row, strict=True):
            control.value = value
            rests = value is not None and (place or abs(value) <= 300)
            ready[name] = rests or (ready.get(name, False) and value is not None)
        source.refresh()
        allowed = [value for (name, value) in zip(controls, row, strict=True) if ready[name]]
        said = source.value()
        assert (said is None) == (not allowed), "no say of anybody is no reading"
        if said is not None and rule == "priority":
            assert said == allowed[0]
        elif said is not None and rule == "sum":
            assert said == max(-FULL, min(FULL, sum(allowed)))
        elif said is not None:
            assert said in (0, *allowed)


@given(st.lists(st.none() | levels, max_size=60), st.floats(-0.8, 0.9), st.floats(0, 0.5))
def test_a_threshold_has_hysteresis(values: list[int | None], above: float, hysteresis: float) -> None:
    stick = Fixed(0)
    model = FlagChannel.model_validate(
        {"kind": "flag", "from": "a", "above": above, "hysteresis": hysteresis}
    )
    source, on = build_source(model, {"a": stick}), 0
    for stick.value in values:
        if stick.value is None or stick.value < level_of(above - hysteresis):
            on = 0
        elif stick.value >= level_of(above):
            on = 1
        assert source.value() == on


# ---- outputs -------------------------------------------------------------------------------

DRIVERS = st.sampled_from(["pwm_2dir", "pwm_1dir", "two_pwm", "servo_pulse"])


@st.composite
def motors(draw: st.DrawFn) -> MotorOutput:
    driver, limit = draw(DRIVERS), draw(st.floats(0.2, 1))
    held = draw(st.sampled_from([0.0, 0.2, 0.5])) if driver != "servo_pulse" else 0.0
    return MotorOutput(
        kind="motor",
        driver=driver,
        limit=limit,
        start_duty=draw(st.floats(0, 0.9)) * limit,
        duty_max=draw(st.sampled_from([1, 100, 255, 1023, 65535])),
        ramp_ms=draw(st.integers(0, 500)),
        reverse_pause_ms=draw(st.integers(0, 300)),
        reverse=draw(st.booleans()),
        hold_duty=held,
        hold_ms=1000,
        hold_toward=draw(st.sampled_from(["ahead", "astern"])),
        idle=draw(st.sampled_from(["coast", "brake"] if driver in CAN_BRAKE else ["coast"])),
        on_loss=draw(st.sampled_from(["stop", "off", "brake"] if driver in CAN_BRAKE else ["stop", "off"])),
    )


MOVES = st.lists(
    st.tuples(
        st.none() | st.just(0) | levels,
        st.integers(1, 200),
        st.sampled_from([Mode.FOLLOW, Mode.FOLLOW, Mode.SAFE, Mode.LOST]),
    ),
    max_size=60,
)


@settings(max_examples=many(300))
@given(motors(), MOVES)
def test_no_motor_exceeds_its_limit_or_turns_over_under_power(model: MotorOutput, moves: list) -> None:
    motor, pins, before = Motor("m", model), {}, Demand("m", 0, 0, 0, False)
    pulses = model.driver == "servo_pulse"
    powered = {"two_pwm": ("ahead", "astern"), "servo_pulse": ("pulse",)}.get(model.driver, ("pwm",))
    outside_ms = 0
    for target, dt, mode in moves:
        was = motor.demand
        demand = motor.tick(target, dt, mode)
        most = model.limit * model.duty_max
        if pulses:
            low, rest, high = model.pulse_us
            assert (
                rest - model.limit * (rest - low) - 1
                <= demand.value
                <= rest + model.limit * (high - rest) + 1
            )
        else:
            assert 0 <= demand.value <= most + 1 and (demand.value > 0) == demand.driven
            assert (demand.direction != 0) == (demand.value > 0)
        outside_ms = 0 if mode is Mode.FOLLOW else outside_ms + dt
        if mode is not Mode.FOLLOW:
            assert abs(demand.effort) <= abs(was.effort) and (demand.level or not demand.driven)
            assert not demand.driven or (
                outside_ms <= model.ramp_ms and not (mode is Mode.LOST and model.on_loss != "stop")
            )
        at_once = mode is Mode.LOST and model.on_loss != "stop"
        if not demand.level and not demand.driven:
            assert demand.braked == ((model.on_loss if at_once else model.idle) == "brake")
        assert not demand.braked or not demand.value
        for role, value in pin_writes(model, before, demand):
            if role not in powered:
                assert not pins.get("pwm"), "a direction pin never changes while there is power"
            pins[role] = value
        if not pulses:
            sides = [pins.get(role, 0) for role in ("ahead", "astern")]
            assert all(sides) == demand.braked, "both sides together to brake, and never else"
        before = demand
    assert motor.why(0, Mode.FOLLOW) and motor.why(None, Mode.SAFE)


@given(motors(), st.lists(levels, min_size=1, max_size=20))
def test_reverse_of_reverse_is_the_same_motor(model: MotorOutput, targets: list[int]) -> None:
    motor, mirrored = (Motor("m", model.model_copy(update={"reverse": flag})) for flag in (False, True))
    for target in targets:
        one, other = motor.tick(target, 20, Mode.FOLLOW), mirrored.tick(-target, 20, Mode.FOLLOW)
        if not model.hold_duty:
            assert (one.value, one.direction) == (other.value, other.direction)


def test_a_winch_holds_only_what_it_has_moved_only_at_rest_and_not_for_ever() -> None:
    winch = Motor(
        "winch",
        MotorOutput(kind="motor", driver="pwm_2dir", hold_duty=0.2, hold_ms=1000, hold_toward="astern"),
    )
    assert not winch.tick(0, 20, Mode.FOLLOW).driven, "nothing has been moved yet"
    winch.tick(FULL, 20, Mode.FOLLOW)
    winch.tick(0, 20, Mode.FOLLOW)
    held = winch.tick(0, 20, Mode.FOLLOW)
    assert (held.signed, held.driven) == (-51, True) and "holding its load astern" in winch.why(
        0, Mode.FOLLOW
    )
    assert not winch.tick(0, 1000, Mode.FOLLOW).driven
    for mode in (Mode.SAFE, Mode.LOST):
        winch.tick(FULL, 20, Mode.FOLLOW)
        winch.tick(0, 20, Mode.FOLLOW)
        assert winch.tick(0, 20, Mode.FOLLOW).driven and not winch.tick(0, 20, mode).driven
        assert not winch.tick(0, 20, Mode.FOLLOW).driven, "and it does not begin again by itself"


@given(st.sampled_from(["hold", "centre", "release", "preset"]), st.booleans(), MOVES)
def test_a_servo_keeps_to_its_travel_its_speed_and_its_place(
    on_loss: str, reverse: bool, moves: list
) -> None:
    model = ServoOutput(
        kind="servo",
        pulse_us=[900, 1500, 2300],
        travel=[-0.5, 0.75],
        speed_ms=500,
        on_loss=on_loss,
        preset=0.5,
        reverse=reverse,
    )
    servo, twin = Servo("s", model), Servo("t", model.model_copy(update={"reverse": not reverse}))
    centred = Servo("s", model.model_copy(update={"at_start": "centre"}))
    assert (servo.demand.value, centred.demand.value) == (0, 1500), "no pulses at power-up, unless asked for"
    for mode in (Mode.SAFE, Mode.LOST, Mode.HELD):
        assert servo.tick(FULL, 20, mode).value == 0 and centred.tick(FULL, 20, Mode.SAFE).value == 1500
    assert servo.tick(None, 20, Mode.FOLLOW).value == twin.tick(None, 20, Mode.FOLLOW).value == 1500
    for target, dt, mode in moves:
        was = servo.demand.level
        demand, other = servo.tick(target, dt, mode), twin.tick(target, dt, mode)
        assert level_of(-0.5) <= demand.level <= level_of(0.75)
        assert abs(demand.level - was) <= dt * FULL / 500 + dt / 1024 + 1
        if mode is Mode.SAFE or (mode is Mode.LOST and on_loss in ("hold", "release")):
            assert servo.why(target, mode)
        assert (demand.value == 0) == (other.value == 0), "two that face each other move together"
        if demand.value:
            assert 900 <= demand.value <= 2300 and (demand.value - 1500) * (other.value - 1500) <= 0
    servo.halt()
    assert servo.tick(None, 10_000, Mode.SAFE).level == servo.demand.level
    if on_loss == "release":
        assert servo.tick(None, 20, Mode.LOST).value == 0


def test_a_switch_is_on_only_while_armed_unless_it_holds() -> None:
    for on_loss, after in (("off", 0), ("hold", 1)):
        switch = Switch("s", SwitchOutput(kind="switch", follows="horn", on_loss=on_loss))
        assert switch.tick(FULL, 20, Mode.SAFE).value == 0
        assert switch.tick(FULL, 20, Mode.FOLLOW).value == 1
        assert switch.tick(0, 20, Mode.LOST).value == after
        assert switch.tick(FULL, 20, Mode.SAFE).value == 0


# ---- mixes ---------------------------------------------------------------------------------


def sides(text: str, throttle: int, turn: int) -> tuple[int, int]:
    start, end = starter_text("tug").index("[mix]"), starter_text("tug").index("# ---- who may move")
    link = nuvrik.parse(starter_text("tug").replace(starter_text("tug")[start:end], f"[mix]\n{text}\n"))
    assert link.mix is not None
    left, right = Mix(side_routes(link.mix), list(link.channels)).demands([throttle, turn, 1])
    assert left is not None and right is not None
    return left, right


ENDS = 'left = ["port_screw"]\nright = ["starboard_screw"]\n'
ONE = f'style = "one_stick"\nthrottle = "throttle"\nturn = "turn"\n{ENDS}'


@settings(max_examples=many(60))
@given(levels, levels)
def test_mixes_do_what_they_say(throttle: int, turn: int) -> None:
    clip = lambda level: max(-FULL, min(FULL, level))  # noqa: E731
    assert sides(ONE, throttle, turn) == (clip(throttle + turn), clip(throttle - turn))
    left, right = sides(ONE + 'overflow = "scale"', throttle, turn)
    widest = max(abs(throttle + turn), abs(throttle - turn), FULL)
    assert (left, right) == (div((throttle + turn) * FULL, widest), div((throttle - turn) * FULL, widest))
    if turn:
        assert left != right, "however hard the throttle, the turn survives"
    two = f'style = "two_stick"\nleft_throttle = "turn"\nright_throttle = "throttle"\n{ENDS}'
    assert sides(two, throttle, turn) == (turn, throttle)
    outer, inner = sides(ONE.replace("one_stick", "pivot"), throttle, turn)
    if turn < 0:
        outer, inner = inner, outer
    assert outer == throttle and inner == mul(throttle, FULL - abs(turn))


# ---- starters ------------------------------------------------------------------------------


@pytest.mark.slow
@pytest.mark.parametrize("name", starter_names())
def test_every_starter_rehearses_clean_and_its_two_ends_agree(name: str) -> None:
    link = nuvrik.parse(starter_text(name))
    for fault in faults_for(link).values():
        runs = [rehearse(link, fault, seed, conditions=Conditions(loss=0.03)) for seed in range(1)]
        assert [(fault.name, run.why) for run in runs if run.verdict == "fail"] == []
    handset, machine, decoder = nuvrik.Handset(link), nuvrik.Machine(link), nuvrik.Decoder(link)
    fields = nuvrik.Encoder(link).packer.fields
    recording, armed, said = practice(link, seed=2, duration_ms=12_000), 0, set()
    for now in range(0, 12_000, 5):
        recording.play_into(handset, now, now)
        wire = handset.send(now)
        if wire:
            (event,) = decoder.feed_datagram(wire) if link.medium.datagrams else decoder.feed(wire)
            for sent, heard, field in zip(handset.values.values(), event.values, fields, strict=True):
                # In text, steps are as fine as its numbers are; in bits, each code means itself.
                coarse = FULL // 500 if link.frame.style == "line" else 0
                assert heard == quantised(sent, field) or abs((sent or 0) - (heard or 0)) <= coarse
            machine.feed(wire, now)
        if now % link.link.tick_ms == 0:
            machine.tick(now)
            armed += machine.state is nuvrik.State.ARMED
            said |= set(machine.reasons().values())
    assert armed * link.link.tick_ms > 6000 and len(said) > 3 and all(said)


def test_every_output_says_why() -> None:
    machine, encoder = nuvrik.Machine(TUG), nuvrik.Encoder(TUG)
    assert machine.reasons()["port_screw"] == "not armed: waiting for a first frame; at rest"
    frames = [(0, 0)] * 4 + [(0, 1)] + [(FULL, 1)] * 3 + [(-FULL, 1)] * 20
    seen = []
    for seq, (throttle, arm) in enumerate(frames):
        machine.feed(encoder.command([throttle, 0, arm], seq), 20 * seq)
        machine.tick(20 * seq)
        seen.append(machine.reasons()["port_screw"])
    assert seen[3] == "not armed: arm is off; at rest" and seen[4] == "asked to rest"
    assert seen[6].startswith("asked for 100 %, ramp at") and "reversing: 120 ms of pause left" in seen
    for later in (390, 410):
        machine.tick(20 * (len(frames) - 1) + later)
    assert machine.reasons()["port_screw"].startswith("failsafe: no drive frame for 400 ms; coming to rest")
    assert all(before != after for before, after in pairwise(sorted(set(seen))))
