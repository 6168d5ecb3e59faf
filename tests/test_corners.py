"""The corners in which a motor could start, or go on, although nobody asked for it."""

import random
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many

import nuvrik
from nuvrik.failsafe.table import State
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.wire.frames import Encoder
from nuvrik.wire.messages import Status

AT_REST = {"left_stick": 508, "right_stick": 515, "arm_button": 0, "stop_button": 0}
ENCODER = Encoder(TUG)
NOT_ARMED = [state for state in State if state is not State.ARMED]


class Bench:
    """Both ends on a perfect wire, a turn of 5 ms at a time, and what the motors were told."""

    def __init__(self, link: nuvrik.Link, **hands: int | None) -> None:
        self.link, self.now = link, 0
        self.handset, self.machine = nuvrik.Handset(link), nuvrik.Machine(link)
        self.hands = dict(AT_REST, **hands) if link.failsafe.stop else hands
        self.duties: list[tuple[int, ...]] = []

    def run(self, ms: int, **hands: int | None) -> "Bench":
        self.hands |= hands
        for now in range(self.now + 5, self.now + ms + 5, 5):
            self.now = now
            self.handset.read(self.now, **self.hands)
            wire = self.handset.send(self.now)
            if wire:
                self.machine.feed(wire, self.now)
            if self.now % 20 == 0:
                self.duties.append(tuple(demand.signed for demand in self.machine.tick(self.now)))
                answer = self.machine.send(self.now)
                if answer:
                    self.handset.feed(answer, self.now)
        return self

    def arm(self) -> "Bench":
        self.run(1000).run(100, arm_button=1).run(400, arm_button=0)
        assert self.machine.state is State.ARMED, self.machine.why
        return self


# ---- stop ----------------------------------------------------------------------------------


def test_a_stop_button_without_a_reading_is_pressed_whatever_its_wire_looked_like_before() -> None:
    never = Bench(TUG, stop_button=None).run(1500)
    assert never.handset.stopping and never.machine.state is State.STOPPED
    assert never.handset.why == "stop_button has no reading, which counts as pressed"
    bench = Bench(TUG).arm().run(500, left_stick=900)
    assert not bench.machine.safe and bench.handset.why == ""
    # Its readings end: a stop, as soon as the last one is stale, and no ramp.
    del bench.hands["stop_button"]
    bench.run(600)
    assert bench.machine.state is State.STOPPED and bench.machine.safe
    # Read again: let go of, and the toggled arm has fallen with the stop, so that one press arms again.
    bench.run(1500, stop_button=0, left_stick=508)
    assert bench.machine.state is State.STANDBY and bench.handset.latched == []
    assert bench.run(100, arm_button=1).run(300, arm_button=0).machine.state is State.ARMED


def test_without_a_stop_control_a_program_has_a_stop_of_its_own_and_says_nothing_before_it_begins() -> None:
    handset = nuvrik.Handset(TUG, without={"stop_button"})
    assert not any(handset.send(now) for now in range(0, 500, 5)) and "nothing is sent" in handset.why
    handset.read(500, left_stick=508, right_stick=515, arm_button=0)
    decoder = nuvrik.Decoder(TUG)
    kinds = []
    for now in range(500, 3000, 5):
        handset.read(now, left_stick=508, right_stick=515, arm_button=0)
        if now == 1000:
            handset.press_stop(now)
        if now == 1100:
            handset.press_stop(now, pressed=False)
        wire = handset.send(now)
        kinds += [(now, bool(event.values)) for event in decoder.feed_datagram(wire) if wire]
    stops = [now for now, command in kinds if not command]
    assert 1000 <= stops[0] <= 1020 and 1100 + 400 <= stops[-1] <= 1560
    assert next(now for now, command in kinds if command) <= 520


# ---- what is at rest counts as zero --------------------------------------------------------


@given(
    st.integers(-320, 320), st.integers(-320, 320), st.sampled_from(["clip", "scale"]), st.floats(0.01, 0.6)
)
def test_what_counts_as_at_rest_puts_no_duty_on_a_motor(a: int, b: int, overflow: str, start: float) -> None:
    text = starter_text("tug").replace("start_duty = 0.18", f"start_duty = {start}")
    link = nuvrik.parse(text.replace("[mix]", f'[mix]\noverflow = "{overflow}"'))
    machine, encoder = nuvrik.Machine(link), Encoder(link)
    for i in range(30):
        machine.feed(encoder.command([a, b, int(i > 6)], i), 20 * i)
        demands = machine.tick(20 * i)
    throttle, turn, _ = encoder_values(encoder, [a, b, 1])
    resting = max(abs(throttle), abs(turn)) <= 300
    assert (machine.state is State.ARMED) == resting
    assert all(demand.value == 0 for demand in demands)
    for i in range(30, 90):
        machine.feed(encoder.command([a, FULL, 1], i), 20 * i)
        demands = machine.tick(20 * i)
    if resting:  # inside the band a channel adds nothing to one that is moved either
        assert [demand.level for demand in demands] == [9830, -9830]


def encoder_values(encoder: Encoder, values: list[int]) -> tuple[int, ...]:
    """The values as they arrive."""
    (event,) = nuvrik.Decoder(TUG).feed_datagram(Encoder(TUG).command(values, 0))
    return event.values


OPTIONAL = nuvrik.parse(
    starter_text("tug").replace(
        '[channels.turn]\nkind = "level"', '[channels.turn]\noptional = true\nkind = "level"'
    )
)


@settings(max_examples=many(60))
@given(st.lists(st.sampled_from([None, None, 0, 250, -FULL, 9000]), min_size=1, max_size=12), st.booleans())
def test_an_optional_channel_has_a_say_only_once_it_has_been_at_rest(turns: list, armed_first: bool) -> None:
    machine, encoder, now = nuvrik.Machine(OPTIONAL), Encoder(OPTIONAL), 0
    ready = False
    script = [(None, int(i > 6)) for i in range(12)] if armed_first else [(None, 0)] * 8
    script += [(turn, 1) for turn in turns for _ in range(30)]
    for seq, (turn, arm) in enumerate(script):
        now += 20
        before = machine.state
        machine.feed(encoder.command([0, turn, arm], seq & 0xFF), now & 0xFFFF)
        demands = machine.tick(now & 0xFFFF)
        ready = turn is not None and (abs(turn) <= 300 or ready)
        if before is not State.ARMED and machine.state is State.ARMED:
            assert turn is None or abs(turn) <= 300, "armed with an optional stick pushed"
        if not ready:
            assert all(abs(demand.level) <= (FULL if turn is None else 16384) for demand in demands)
            assert machine._targets[0] in (0, None)
        elif machine.state is State.ARMED:
            assert machine._targets[0] == (0 if abs(turn) <= 300 else pytest.approx(0.6 * turn, abs=20))


# ---- what is known, and for how long -------------------------------------------------------

MARRAM = nuvrik.parse(starter_text("marram"))


def test_a_machine_that_is_not_heard_has_no_state_and_its_readings_say_how_old_they_are() -> None:
    bench = Bench(MARRAM, **dict.fromkeys(()))
    rest = {
        n: c.raw[-2] if c.kind == "axis" else c.raw[0]
        for n, c in MARRAM.controls.items()
        if c.kind in ("axis", "slider")
    }
    rest |= {n: 0 for n, c in MARRAM.controls.items() if c.kind == "button"}
    bench.hands = rest
    machine, handset = bench.machine, bench.handset
    for now in range(0, 3000, 5):
        machine.sense(now, battery=200)
        bench.run(5)
    assert handset.machine_state is State.STANDBY and not handset.telemetry["battery"].lost
    every = min(item.every_ms for item in MARRAM.telemetry.values())
    limit, silent_from = max(MARRAM.failsafe.timeout_ms, 3 * every), bench.now - handset.machine_age_ms
    for now in range(bench.now + 5, bench.now + 4000, 5):
        handset.read(now, **rest)
        handset.send(now)
        assert (handset.machine_state is None) == (now - silent_from >= limit)
    battery = handset.telemetry["battery"]
    assert battery.lost and battery.age_ms > 3500 and "not heard for" in battery.words
    assert handset.cues(bench.now + 4000) == []


def test_smoothing_and_slew_go_on_from_the_value_sent_last() -> None:
    text = starter_text("tug").replace(
        "raw = [0, 508, 1023]", "raw = [0, 508, 1023]\nsmooth_ms = 300\nslew_ms = 1500", 1
    )
    link = nuvrik.parse(text)
    handset, sent = nuvrik.Handset(link, without={"stop_button"}), []
    for now in range(0, 4000, 20):
        gap = 2000 <= now < 2300
        handset.read(now, left_stick=None if gap else 1023 if now < 2000 else 508, right_stick=515)
        sent.append(handset.values["throttle"])
    known = [value for value in sent if value is not None]
    most = FULL * 20 / 1500 + 2
    assert max(known) > 15000 and sent[-1] < 200
    assert all(abs(a - b) <= most for a, b in pairwise(known)), "no jump across the gap"


def test_a_gap_that_no_timer_can_tell_withdraws_everything_at_both_ends() -> None:
    handset = nuvrik.Handset(MARRAM, without=MARRAM.controls)
    handset.put_arm(False)
    handset.put(0, "throttle", 9000, 5000)
    handset.put(0, "hook", 9000)
    for now in range(0, 1000, 20):
        handset.send(now)
        if now == 600:
            handset.put_arm(True)
    assert handset.values["arm"] == 1 and handset.values["throttle"] == 9000
    handset.expire((1000 + 65_600) & 0xFFFF)  # 65.6 s: to a 16-bit clock 64 ms
    assert handset.values["throttle"] == 0 and handset.values["arm"] == 0
    assert handset.values["hook"] == 9000, "a place stays"
    handset.put_arm(True)
    for now in range(66_600, 68_000, 20):
        handset.send(now & 0xFFFF)
    assert handset.values["arm"] == 0, "off first, then on"
    bench = Bench(TUG).arm().run(400, left_stick=900)
    bench.handset.expire(bench.now)
    assert all(value in (0, None) for value in bench.handset.values.values())


def test_what_turns_ramps_down_after_a_gap_too() -> None:
    bench = Bench(TUG).arm().run(600, left_stick=1023)
    top = bench.machine.demands[0].level
    bench.machine.expire(bench.now)
    levels = [bench.machine.tick(bench.now + 20 * i)[0].level for i in range(20)]
    step = FULL * 20 / 250 + 2
    assert bench.machine.state is State.FAILSAFE and top > 15000
    assert all(abs(a - b) <= step for a, b in pairwise([top, *levels])) and levels[-1] == 0


def test_a_backlog_counts_as_one_frame_and_after_a_gap_only_its_stops_count() -> None:
    text = starter_text("tug").replace('recover = "neutral"', 'recover = "resume"')
    link = nuvrik.parse(text)
    encoder = Encoder(link)
    bench = Bench(link).arm().run(300, left_stick=1023)
    seq = bench.handset._seq
    full = [encoder.command([FULL, 0, 1], seq + i & 0xFF) for i in range(100)]
    bench.machine.expire(bench.now)
    for packet in full[:50]:
        bench.machine.skip(packet, bench.now)
    assert bench.machine.state is State.FAILSAFE and bench.machine.counts["queued_up"] == 50
    for packet in full[50:]:
        bench.machine.feed(packet, bench.now)
    assert bench.machine.state is State.FAILSAFE, "however many come between two ticks"
    stops = [bench.machine.skip(encoder.stop(9), bench.now), bench.machine.skip(full[0], bench.now)]
    assert bench.machine.state is State.STOPPED and [len(found) for found in stops] == [1, 0]
    assert bench.machine.safe


def test_a_silence_forgets_the_sequence_once() -> None:
    """One echo with one sequence number is answered once, however often it comes in one silence."""
    from nuvrik.wire.kinds import ECHO
    from nuvrik.wire.messages import Echo, pack_echo

    machine, encoder = nuvrik.Machine(MARRAM), Encoder(MARRAM)
    for i in range(5):
        machine.feed(encoder.command([0] * len(MARRAM.channels), 200 + i), 20 * i)
    echo = encoder.sealed(ECHO, 7, pack_echo(Echo(False, b"xy")))
    reasons = []
    for now in range(1000, 3000, 50):
        (event,) = machine.feed(echo, now)
        machine.tick(now)
        reasons.append(getattr(event, "reason", "accepted"))
    assert reasons == ["accepted"] + ["repeated"] * 39


# ---- holding a load ------------------------------------------------------------------------


@pytest.mark.parametrize("hold_ms", [0, 3000])
@pytest.mark.parametrize("from_arming", [False, True])
def test_a_hold_has_no_gap_says_when_it_ends_and_may_begin_with_arming(
    hold_ms: int, from_arming: bool
) -> None:
    from nuvrik.mixing.demand import Mode
    from nuvrik.mixing.motor import Motor
    from nuvrik.plan.outputs import MotorOutput

    model = MotorOutput(
        kind="motor",
        driver="pwm_2dir",
        hold_duty=0.25,
        hold_ms=hold_ms,
        hold_from_arming=from_arming,
        ramp_ms=100,
        reverse_pause_ms=200,
        hold_toward="ahead",
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
        assert all(held and not ending and why == "holding its load ahead" for held, ending, why in ends)
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
    from nuvrik.wire.keys import KeyCommands

    commands, rng = KeyCommands(KEYED.frame, KEYED), random.Random(seed)
    level = round(place * FULL)
    first = {"w": [level, 0, 0, 0], "d": [0, level, 0, 0], "x": [0, 0, 0, 0]}[before]
    for _ in range(6):
        commands.command(first)
    sent = []
    for _ in range(60):
        sent.append(commands.command([level + rng.randint(-65, 65), level + rng.randint(-65, 65), 0, 0]))
    changing = [a for a, b in pairwise(sent) if a in (b"w", b"d") and b in (b"w", b"d") and a != b]
    assert not changing and len({key for key in sent[1:] if key in b"wdx"}) == 1


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
            arguments = {key: a.limits[0] for key, a in CALLS.requests[name].arguments.items()}
            asked = handset.request(name, **arguments)
        if now == 3000:
            assert machine.demands[place].driven
            stop = Encoder(CALLS, stream=True)
            machine.feed(stop.on_wire(stop.stop(handset._seq)), now)
            assert machine.state is State.STOPPED and machine.safe and not seen, "outputs first"
            machine.tick(now)
            assert machine.safe and not seen
        wire = handset.send(now)
        machine.feed(wire, now)
        machine.tick(now)
        handset.feed(machine.send(now), now)
    assert seen == [True] and machine.safe
    assert asked is not None and asked.state == "ended", Status


# ---- moves by steps ------------------------------------------------------------------------


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
    from nuvrik.ends.motions import StepsMove
    from nuvrik.mixing.demand import Mode
    from nuvrik.mixing.stepper import Stepper
    from nuvrik.plan.outputs import StepperOutput

    model = StepperOutput(kind="stepper", rate_max=rate, ramp_ms=ramp, reverse=reverse)
    stepper, shaft, part, rng = Stepper("s", model), 0, 0, random.Random(rate + ramp)
    for asked in moves:
        if abs(asked) / rate > 200:
            asked = rate
        move, before, fastest = StepsMove(0, stepper, asked), shaft, 0
        for _ in range(10**6):
            dt = max(1, tick + rng.randint(-tick // 4, tick // 4))
            # A pulse generator of its own: it gives pulses at the rate, and no more than are left.
            demand = stepper.demand
            part += demand.value * dt
            pulses = min(part // 1000, demand.steps_left if demand.steps_left is not None else 10**9)
            part = 0 if pulses == demand.steps_left else part - 1000 * pulses
            shaft += pulses * demand.direction * (-1 if reverse else 1)
            fastest = max(fastest, demand.value)
            stepper.count_on(dt)
            levels = move.levels(dt)
            if levels is None:
                move.let_go()
                break
            stepper.tick(levels[0], dt, Mode.FOLLOW)
        assert shaft - before == asked == move.value and fastest <= rate
        assert stepper.travelled == 1000 * shaft


# ---- single changes that nothing used to notice --------------------------------------------


def jogging(link: nuvrik.Link = TUG) -> tuple[nuvrik.Machine, Encoder, int]:
    """A machine that is armed, at rest."""
    machine, encoder = nuvrik.Machine(link), Encoder(link)
    for i in range(20):
        machine.feed(encoder.command([0, 0, int(i > 8)], i), 20 * i)
        machine.tick(20 * i)
    assert machine.state is State.ARMED
    return machine, encoder, 20


def jog_body(encoder: Encoder, seq: int) -> bytes:
    from nuvrik.wire.kinds import REQUEST
    from nuvrik.wire.messages import Jog, pack_jog

    return encoder.sealed(REQUEST, seq, pack_jog(Jog(0, 5000, 400)))


def test_a_jog_needs_rest_with_every_reading_there_and_ends_with_a_moved_stick() -> None:
    machine, encoder, seq = jogging()
    machine.feed(encoder.command([None, 0, 1], seq), 400)
    machine.feed(jog_body(encoder, seq + 1), 405)
    machine.tick(420)
    assert machine._jog is None, "a missing reading is not rest"
    machine.feed(encoder.command([0, 0, 1], seq + 2), 430)
    machine.feed(jog_body(encoder, seq + 3), 435)
    assert machine.tick(440)[0].driven
    machine.feed(encoder.command([0, 9000, 1], seq + 4), 450)
    assert machine._jog is None, "a hand wins over a jog"


def test_a_missing_reading_in_armed_brings_what_turns_to_rest() -> None:
    machine, encoder, seq = jogging()
    for i in range(20):
        machine.feed(encoder.command([12_000, 0, 1], seq + i), 400 + 20 * i)
        machine.tick(400 + 20 * i)
    assert machine.demands[0].driven
    levels = []
    for i in range(18):  # within the timeout
        machine.feed(encoder.command([None, 0, 1], seq + 20 + i), 800 + 20 * i)
        levels.append(machine.tick(800 + 20 * i)[0].level)
    assert machine.state is State.ARMED and levels[-1] == 0 and levels == sorted(levels, reverse=True)


def test_a_halt_begins_the_reverse_pause() -> None:
    from nuvrik.mixing.demand import Mode
    from nuvrik.mixing.motor import Motor
    from nuvrik.plan.outputs import MotorOutput

    motor = Motor("m", MotorOutput(kind="motor", driver="pwm_2dir", reverse_pause_ms=200))
    motor.tick(FULL, 20, Mode.FOLLOW)
    motor.halt()
    signs = [motor.tick(-FULL, 20, Mode.FOLLOW).signed for _ in range(12)]
    assert signs[:9] == [0] * 9 and signs[-1] < 0


@pytest.mark.parametrize("style", ["packed", "slip"])
def test_the_longest_frame_passes_and_one_byte_more_is_refused_where_it_overflows(style: str) -> None:
    from links import WIRED_TEXT

    from nuvrik.wire.cobs import stuff
    from nuvrik.wire.sealed import sealed
    from nuvrik.wire.slip import END, escape

    link = nuvrik.parse(WIRED_TEXT.replace('style = "packed"', f'style = "{style}"'))
    tag = Encoder(link).tag
    wrap = (lambda body: stuff(body) + b"\0") if style == "packed" else (lambda body: escape(body) + END)
    for length, reason in ((200, "bad_field"), (201, "too_long")):
        if style == "slip" and length == 201:
            continue  # escapes count: its limit is on the line, below
        body = sealed(0, link.frame.pair, tag, 0, b"\x11" * (length - 6))
        events = nuvrik.Decoder(link).feed(wrap(body))
        assert [event.reason for event in events] == [reason], length
        if length == 201:
            assert nuvrik.Decoder(link).feed_datagram(body)[0].reason == "too_long"
    most = 201 if style == "packed" else 400
    decoder, seen = nuvrik.Decoder(link), []
    for count in range(1, most + 4):
        seen += [(count, event.reason) for event in decoder.feed(b"\x11")]
    assert seen == [(most + 1, "too_long")], "said once, at the byte that overflows"


def test_frames_of_another_link_on_the_same_air_are_somebody_elses() -> None:
    other = starter_text("tug").replace("bits = 11", "bits = 10").replace("pair = 90", "pair = 91")
    theirs, machine = Encoder(nuvrik.parse(other)), nuvrik.Machine(TUG)
    reasons = [machine.feed(theirs.command([i, -i, 1], i), 20 * i)[0].reason for i in range(50)]
    assert set(reasons) == {"wrong_pair"}


def test_a_hello_that_cannot_be_for_this_end_is_refused_by_its_kind_or_its_pair() -> None:
    from nuvrik.wire.kinds import HELLO

    machine, encoder = nuvrik.Machine(TUG), Encoder(TUG)
    answer = b"\1" + bytes(19) + b"\xff\xfe"  # a name that is no text
    assert machine.feed(encoder.sealed(HELLO, 1, answer), 0)[0].reason == "wrong_kind"
    assert machine.feed(encoder.sealed(HELLO, 1, answer, anyone=True), 0)[0].reason == "wrong_pair"


# ---- the faults that rehearse these corners, and that they would notice --------------------

TWO_SOURCES = nuvrik.parse(
    starter_text("tug")
    .replace(
        "[channels.throttle]",
        '[controls.pupil_stick]\nkind = "axis"\nraw = [0, 512, 1023]\n\n[channels.throttle]',
        1,
    )
    .replace('from = "left_stick"', 'from = ["left_stick", "pupil_stick"]', 1)
)
EXTRA = """[controls.extra]
kind = "axis"
raw = [0, 512, 1023]
[channels.extra]
kind = "level"
optional = true
from = "extra"
[outputs.extra]
kind = "motor"
driver = "pwm_2dir"
mix = { extra = 1.0 }
"""
OPTIONAL_ONLY = nuvrik.parse(starter_text("slider_motor") + EXTRA)
RESUMES = nuvrik.parse(starter_text("tug").replace('recover = "neutral"', 'recover = "resume"'))
CURTAIN = nuvrik.parse(starter_text("curtain"))
STEPPED = nuvrik.parse(
    KEYS.replace(
        "[channels]",
        """[controls.stick]
kind = "axis"
raw = [0, 512, 1023]
dead_zone = 0.1
[controls.up]
kind = "button"
[controls.down]
kind = "button"
[controls.lift]
kind = "nudge"
up = "up"
down = "down"
step = 0.5
[controls.arm]
kind = "button"
toggle = true
[channels]""",
    )
    .replace('ahead = { kind = "level" }', 'ahead = { kind = "level", from = "stick" }')
    .replace('turn = { kind = "level" }', 'turn = { kind = "level", from = "stick" }')
    .replace('lift = { kind = "level" }', 'lift = { kind = "level", from = "lift" }')
    .replace('arm = { kind = "flag" }', 'arm = { kind = "flag", from = "arm" }')
)


def _stop_fails_open(patch: pytest.MonkeyPatch) -> None:
    patch.setattr(
        nuvrik.Handset,
        "_stop_pressed",
        property(lambda self: self._stop is not None and bool(self._stop.value)),
    )


def _no_band(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.mixing.mix import Mix

    demands = Mix.demands

    def unsettled(self, values):
        self._band = -1
        return demands(self, values)

    patch.setattr(Mix, "demands", unsettled)


def _any_source(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.shaping.channels import Several

    def refresh(self) -> None:
        self._ready = [control for control in self._controls if control.value is not None]

    patch.setattr(Several, "refresh", refresh)


def _optional_at_once(patch: pytest.MonkeyPatch) -> None:
    look = nuvrik.Machine._look_at_optional

    def eager(self, values):
        moved = look(self, values)
        self._unready.clear()
        return moved

    patch.setattr(nuvrik.Machine, "_look_at_optional", eager)


def _leaves_armed(patch: pytest.MonkeyPatch) -> None:
    patch.setattr(nuvrik.Handset, "disarm", lambda self: setattr(self, "_hung", True))
    from nuvrik.rehearsal.world import World

    patch.setattr(World, "kill_handset", lambda self: None)


def _reads_backlog(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.rehearsal.world import World

    def read_all(self, now_ms: int, gap_us: int) -> None:
        waiting, self._waiting = self._waiting, []
        for given_ in waiting:
            self._arrive(given_)
            self.machine._watch.ticked()

    patch.setattr(World, "_read_backlog", read_all)


def _code_first(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.ends.desk import Desk

    patch.setattr(Desk, "end", lambda self, status: self._motion and self._motion.end())


def _lapse_switches_off(patch: pytest.MonkeyPatch) -> None:
    patch.setattr(nuvrik.Machine, "lapse", lambda self: None)


def _places_forgotten(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.wire.keys import _Kept

    patch.setattr(_Kept, "_with_places", lambda self, state: state)


CORNER_FAULTS = [
    ("stop_wire_broken", TUG, _stop_fails_open),
    ("stick_rests_off_centre", TUG, _no_band),
    ("second_source_lies_over", TWO_SOURCES, _any_source),
    ("optional_comes_back", OPTIONAL_ONLY, _optional_at_once),
    ("terminal_hung_up", TUG, _leaves_armed),
    ("frames_queued", RESUMES, _reads_backlog),
    ("own_code_in_a_stop", CALLS, _code_first),
    ("remote_laid_down", CURTAIN, _lapse_switches_off),
    ("place_after_silence", STEPPED, _places_forgotten),
]


@pytest.mark.parametrize(("name", "link", "broken"), CORNER_FAULTS, ids=[name for name, *_ in CORNER_FAULTS])
def test_each_corner_is_rehearsed_and_the_fault_would_notice(name, link, broken, monkeypatch) -> None:
    from nuvrik.rehearsal.faults import FAULTS
    from nuvrik.rehearsal.verdict import rehearse

    fault = FAULTS[name]
    assert fault.unfit(link) == ""
    runs = [rehearse(link, fault, seed) for seed in range(3)]
    assert [(run.seed, run.why) for run in runs if run.verdict == "fail"] == []
    broken(monkeypatch)

    def fails(seed: int) -> bool:
        try:
            return rehearse(link, fault, seed).verdict == "fail"
        except RuntimeError:  # the builder's own code has got through
            return True

    assert any(fails(seed) for seed in range(6)), "nothing noticed"
