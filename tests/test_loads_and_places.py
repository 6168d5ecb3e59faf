"""Loads, places, the builder's own code, and moves by steps: what they do in the corners."""

import random
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many

import nuvrik
from nuvrik.core.machine.demand import FOLLOW
from nuvrik.core.machine.desk import DONE, NO_MOTION, steps_between
from nuvrik.core.machine.machine import Machine
from nuvrik.core.machine.states import State
from nuvrik.core.machine.stepper import NO_LIMIT
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.plan.tables.machine import machine_table
from nuvrik.wire.frames import Encoder

AT_REST = {"left_stick": 508, "right_stick": 515, "arm_button": 0, "stop_button": 0}
ENCODER = Encoder(TUG)
NOT_ARMED = [state for state in State if state is not State.ARMED]


# ---- holding a load ------------------------------------------------------------------------


@pytest.mark.parametrize("hold_ms", [0, 3000])
@pytest.mark.parametrize("from_arming", [False, True])
def test_a_hold_has_no_gap_says_when_it_ends_and_may_begin_with_arming(
    hold_ms: int, from_arming: bool
) -> None:
    from nuvrik.plan.outputs import MotorOutput
    from nuvrik.plan.outputs.demand import Mode
    from nuvrik.plan.outputs.motor import Motor

    model = MotorOutput(
        kind="motor",
        driver="pwm_2dir",
        hold_duty=0.25,
        hold_ms=hold_ms,
        hold_from_arming=from_arming,
        ramp_ms=100,
        reverse_pause_ms=200,
        hold_toward="forward",
    )
    winch = Motor("winch", model)
    first = [winch.tick(0, 20, Mode.FOLLOW).value for _ in range(10)]
    assert set(first) == ({64} if from_arming else {0})
    for way in (FULL, -FULL):
        up = [winch.tick(way, 20, Mode.FOLLOW).signed for _ in range(20)]
        down = [winch.tick(0, 20, Mode.FOLLOW) for _ in range(30)]
        resting = [demand for demand in down if demand.level == 0]
        assert max(map(abs, up)) == 255
        if way > 0:
            assert all(demand.signed == 64 for demand in resting), "from the very tick that comes to rest"
        else:
            # A reverse pause wins over a hold.
            assert [demand.signed for demand in resting[:10]] == [0] * 10 and resting[-1].signed == 64
    ends = []
    for _ in range(300):
        held = winch.tick(0, 20, Mode.FOLLOW).driven
        ends.append((held, winch.hold_ends, winch.why(0, Mode.FOLLOW)))
    if hold_ms == 0:
        assert all(held and not ending and why == "holding its load forward" for held, ending, why in ends)
    else:
        last = [why for held, ending, why in ends if ending]
        assert len(last) in (49, 50, 51) and "about to let go" in last[0] and not ends[-1][0]
    assert not winch.tick(None, 20, Mode.LOST).driven


def test_a_hold_that_is_about_to_end_is_said_in_telemetry() -> None:
    text = starter_text("marram")
    link = nuvrik.parse(
        text.replace("hold_ms = 20000", "hold_ms = 2000").replace("hold_ms = 30000", "hold_ms = 2000")
    )
    winch = next(n for n, o in link.outputs.items() if getattr(o, "hold_duty", 0))
    machine, handset, encoder = (
        nuvrik.Machine(link),
        nuvrik.Handset(link, without=link.controls),
        Encoder(link),
    )
    names, channel = list(link.channels), next(iter(link.outputs[winch].mix))
    said = []
    for i in range(400):
        now, values = 20 * i, [0] * len(names)
        values[names.index("arm")] = int(i > 10)
        values[names.index(channel)] = FULL if 20 < i < 60 else 0
        machine.feed(encoder.command(values, i & 0xFF), now)
        machine.tick(now)
        handset.feed(machine.send(now), now)
        said.append(handset.hold_ends)
    assert 40 <= sum(said) <= 52, "for the last second"


# ---- keys ----------------------------------------------------------------------------------

KEYS = """
[link]
name = "keys"
rate_hz = 20
[medium]
kind = "serial"
[frame]
style = "keys"
pair = 5
accept = ["no_sequence", "no_pair", "no_layout", "no_check"]
[frame.keys]
"w" = { set = { ahead = 0.7, turn = 0.0 } }
"d" = { set = { ahead = 0.0, turn = 0.7 } }
"s" = { set = { ahead = -0.7, turn = 0.0 } }
"x" = { set = { ahead = 0.0, turn = 0.0 } }
"u" = { add = { lift = 0.1 } }
"j" = { add = { lift = -0.1 } }
"a" = { set = { arm = 1 } }
"o" = { set = { arm = 0 } }
" " = { stop = true }
[channels]
ahead = { kind = "level" }
turn = { kind = "level" }
lift = { kind = "level" }
arm = { kind = "flag" }
[outputs.left]
kind = "motor"
driver = "pwm_2dir"
mix = { ahead = 1.0, turn = 1.0 }
[outputs.lift]
kind = "servo"
mix = { lift = 1.0 }
at_start = "centre"
[failsafe]
arm = "arm"
timeout_ms = 400
"""
KEYED = nuvrik.parse(KEYS)


@given(st.floats(0.1, 1), st.sampled_from("wdx"), st.integers(0, 2**32))
def test_one_stick_position_is_one_key_however_it_trembles(place: float, before: str, seed: int) -> None:
    from nuvrik.wire.styles.style import PlainMaker

    commands, rng = PlainMaker(KEYED), random.Random(seed)
    level = round(place * FULL)
    first = {"w": [level, 0, 0, 0], "d": [0, level, 0, 0], "x": [0, 0, 0, 0]}[before]
    for _ in range(6):
        commands.text(first)
    sent = []
    for _ in range(60):
        sent.append(commands.text([level + rng.randint(-65, 65), level + rng.randint(-65, 65), 0, 0]))
    changing = [a for a, b in pairwise(sent) if a in (b"w", b"d") and b in (b"w", b"d") and a != b]
    # A stick just short of the next key may come over it with its first tremble, once and not back.
    keys = [key for key in sent[1:] if key in b"wdx"]
    assert not changing and sum(a != b for a, b in pairwise(keys)) <= 1


@settings(max_examples=many(60))
@given(st.lists(st.tuples(st.sampled_from("ujaowx "), st.sampled_from([20, 20, 60, 380, 900])), max_size=60))
def test_places_survive_silence_and_move_only_by_keys_that_are_followed(keys: list) -> None:
    machine, now, place = nuvrik.Machine(KEYED), 0, 0
    for key, wait in keys:
        for _ in range(0, wait, 20):
            now += 20
            machine.tick(now & 0xFFFF)
        machine.feed(key.encode(), now & 0xFFFF)
        machine.tick(now & 0xFFFF)
        if machine.state is State.ARMED and key in "uj":
            place = max(-FULL, min(FULL, place + {"u": 1638, "j": -1638}[key]))
        assert machine.demands[1].level == place
    both = nuvrik.Machine(KEYED)
    both.feed(b"oooo", 0)
    for now in range(0, 100, 20):
        both.tick(now)
        both.feed(b"o", now)
    both.feed(b"auuuj", 100)
    assert both.tick(100)[1].level == 2 * 1638, "in one piece as one by one"


# ---- the builder's own code ----------------------------------------------------------------

CALLS = nuvrik.parse(starter_text("panel"))


@pytest.mark.parametrize("ending", ["raises", "yields on", "stays"])
def test_outputs_stop_before_any_of_the_users_code_cleans_up(ending: str) -> None:
    name = next(n for n, r in CALLS.requests.items() if r.kind == "call" and r.moving)
    output = next(n for n, o in CALLS.outputs.items() if o.kind == "motor")
    place = list(CALLS.outputs).index(output)
    machine, handset = nuvrik.Machine(CALLS, boot=3), nuvrik.Handset(CALLS, session=2, without=CALLS.controls)
    seen: list[bool] = []

    def routine(**_: int):
        while True:
            try:
                yield {output: 1.0}
            except GeneratorExit:
                seen.append(machine.safe)
                if ending == "raises":
                    raise RuntimeError("clean-up failed") from None
                if ending == "yields on":
                    yield {output: 1.0}
                return

    machine.on_request(name, routine)
    handset.put_arm(False)
    for channel in CALLS.channels:
        if channel != CALLS.arm_channel:
            handset.put(0, channel, 0)
    asked = None
    for now in range(0, 4000, 10):
        if now == 1500:
            handset.put_arm(True)
        if now == 2200:
            called = CALLS.requests[name]
            arguments = called.given([part.low for part in called.parts])
            asked = handset.request(name, **arguments)
        if now == 3000:
            assert machine.demands[place].driven
            stop = Encoder(CALLS, stream=True)
            machine.feed(stop.on_wire(stop.stop(handset._sending.seq)), now)
            assert machine.state is State.STOPPED and machine.safe and not seen, "outputs first"
            machine.tick(now)
            assert machine.safe and not seen
        wire = handset.send(now)
        machine.feed(wire, now)
        machine.tick(now)
        handset.feed(machine.send(now), now)
    assert seen == [True] and machine.safe
    assert asked is not None and asked.state == "ended"


# ---- moves by steps ------------------------------------------------------------------------

STEPPER = """
link = {{ name = "lid", rate_hz = 50 }}
medium = {{ kind = "serial" }}
frame = {{ style = "packed", pair = 9 }}
failsafe = {{ arm = "arm", timeout_ms = 400 }}
[channels]
turn = {{ kind = "level" }}
arm = {{ kind = "flag" }}
[outputs.lid]
kind = "stepper"
rate_max = {rate}
ramp_ms = {ramp}
reverse = {reverse}
mix = {{ turn = 1.0 }}
[requests.move]
kind = "steps"
output = "lid"
"""


@settings(max_examples=many(60))
@given(
    st.sampled_from([1, 7, 50, 400, 2000, 10_000, 65_535]),
    st.sampled_from([0, 20, 300, 1000, 3000]),
    st.sampled_from([1, 5, 20, 50]),
    st.lists(st.integers(-3000, 3000) | st.sampled_from([1, -1, 0]), min_size=1, max_size=4),
    st.booleans(),
)
def test_a_move_by_steps_turns_what_is_asked_and_says_what_it_turned(
    rate: int, ramp: int, tick: int, moves: list[int], reverse: bool
) -> None:
    link = nuvrik.parse(STEPPER.format(rate=rate, ramp=ramp, reverse=str(reverse).lower()))
    machine = Machine(machine_table(link))
    machine.begin(0, 0)
    outputs, desk, stepper = machine.outputs, machine.desk, machine.outputs.steppers[0]
    shaft, part, rng = 0, 0, random.Random(rate + ramp)
    outputs.follow([0, 1])
    desk.hello(1, 0, outputs)
    for number, asked in enumerate(moves, 1):
        if abs(asked) / rate > 200:
            asked = rate
        before, fastest = shaft, 0
        desk.arguments[0] = asked
        assert not desk.ask(0, 0, 0, 1, number, True)
        for _ in range(10**6):
            # Ticks are not even, and now and then there are two in one millisecond.
            dt = 0 if rng.random() < 0.05 else max(1, tick + rng.randint(-tick // 4, tick // 4))
            # A pulse generator of its own: it gives pulses at the rate, and no more than are left.
            demand, left = stepper.demand, stepper.steps_left
            part += demand.value * dt
            pulses = min(part // 1000, left if left != NO_LIMIT else 10**9)
            part = 0 if pulses == left else part - 1000 * pulses
            shaft += pulses * demand.way * (-1 if reverse else 1)
            fastest = max(fastest, demand.value)
            outputs.count_on(dt)
            desk.overlay(outputs, dt, FOLLOW)
            if desk.motion == NO_MOTION:
                break
            outputs.tick(dt, FOLLOW, 500)
        assert shaft - before == asked == desk.value and fastest <= rate
        assert desk.status == DONE and steps_between(stepper.whole, stepper.part, 0, 0) == shaft
