"""Outputs and mixes: what channels come to, and every starter driven."""

from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.core.machine.outputs import Outputs
from nuvrik.levels import FULL, div, level_of, mul
from nuvrik.plan.outputs import MotorOutput, ServoOutput, SwitchOutput
from nuvrik.plan.outputs.demand import Mode
from nuvrik.plan.outputs.motor import CAN_BRAKE, Motor
from nuvrik.plan.outputs.pins import OutputPins
from nuvrik.plan.outputs.servo import Servo
from nuvrik.plan.outputs.switch import Switch
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plan.tables.outputs import outputs_table
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal.faults import faults_for
from nuvrik.rehearsal.verdict import rehearse
from nuvrik.wire.packing import quantised

levels = st.integers(-FULL, FULL)


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
        hold_toward=draw(st.sampled_from(["forward", "backward"])),
        idle=draw(st.sampled_from(["coast", "brake"] if driver in CAN_BRAKE else ["coast"])),
        on_loss=draw(st.sampled_from(["ramp", "off", "brake"] if driver in CAN_BRAKE else ["ramp", "off"])),
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
    motor, pins, written = Motor("m", model), {}, OutputPins(model)
    pulses = model.driver == "servo_pulse"
    powered = {"two_pwm": ("forward", "backward"), "servo_pulse": ("pulse",)}.get(model.driver, ("pwm",))
    outside_ms = 0
    for target, dt, mode in moves:
        was = motor.demand
        demand = motor.tick(target, dt, mode)
        # A limit is kept to half of the finest level, of which a count of 16 bits is finer.
        most = model.limit * model.duty_max + model.duty_max / (2 * FULL)
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
                outside_ms <= model.ramp_ms and not (mode is Mode.LOST and model.on_loss != "ramp")
            )
        at_once = mode is Mode.LOST and model.on_loss != "ramp"
        if not demand.level and not demand.driven:
            assert demand.braked == ((model.on_loss if at_once else model.idle) == "brake")
        assert not demand.braked or not demand.value
        for role, value in written.follow(demand):
            if role not in powered:
                assert not pins.get("pwm"), "a direction pin never changes while there is power"
            pins[role] = value
        if not pulses:
            sides = [pins.get(role, 0) for role in ("forward", "backward")]
            assert all(sides) == demand.braked, "both sides together to brake, and never else"
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
        MotorOutput(kind="motor", driver="pwm_2dir", hold_duty=0.2, hold_ms=1000, hold_toward="backward"),
    )
    assert not winch.tick(0, 20, Mode.FOLLOW).driven, "nothing has been moved yet"
    winch.tick(FULL, 20, Mode.FOLLOW)
    winch.tick(0, 20, Mode.FOLLOW)
    held = winch.tick(0, 20, Mode.FOLLOW)
    assert (held.signed, held.driven) == (-51, True) and "holding its load backward" in winch.why(
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
        ramp_ms=500,
        on_loss=on_loss,
        preset=0.5,
        reverse=reverse,
    )
    servo, twin = Servo("s", model, 400), Servo("t", model.model_copy(update={"reverse": not reverse}), 400)
    centred = Servo("s", model.model_copy(update={"at_start": "centre"}), 400)
    assert (servo.demand.value, centred.demand.value) == (0, 1500), "no pulses at power-up, unless asked for"
    for mode in (Mode.SAFE, Mode.LOST, Mode.HELD):
        assert servo.tick(FULL, 20, mode).value == 0 and centred.tick(FULL, 20, Mode.SAFE).value == 1500
    assert servo.tick(None, 20, Mode.FOLLOW).value == 0, "nor before it is told a place"
    assert servo.tick(0, 20, Mode.FOLLOW).value == twin.tick(0, 20, Mode.FOLLOW).value == 1500
    mode, frozen = Mode.FOLLOW, servo.demand
    for target, dt, to in moves:
        if mode is Mode.FOLLOW and to is not mode:
            frozen = servo.demand
        mode, was = to, servo.demand.level
        demand, other = servo.tick(target, dt, mode), twin.tick(target, dt, mode)
        assert level_of(-0.5) <= demand.level <= level_of(0.75)
        assert abs(demand.level - was) <= dt * FULL / 500 + dt / 1024 + 1
        assert servo.why(target, mode)
        if mode is Mode.FOLLOW and target is not None:
            frozen = None
        elif mode is not Mode.FOLLOW and (mode is Mode.LOST or frozen is None) and on_loss != "hold":
            frozen = None  # what a loss has begun is finished
        elif mode is not Mode.FOLLOW and frozen is not None:
            assert demand.value == frozen.value, "it stays: the pulses of that moment"
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


def sides(text: str, throttle: int, turn: int, band: float = 0.0) -> tuple[int, int]:
    start, end = starter_text("tug").index("[mix]"), starter_text("tug").index("# ---- who may move")
    link = nuvrik.parse(starter_text("tug").replace(starter_text("tug")[start:end], f"[mix]\n{text}\n"))
    # A rest band is mostly not wanted here: what is mixed is the matter.
    rules = link.failsafe.model_copy(update={"rest_band": band})
    outputs = Outputs(outputs_table(link.model_copy(update={"failsafe": rules})))
    outputs.follow([throttle, turn, 1])
    return outputs.targets[0], outputs.targets[1]


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


BAND = 300


@given(*[st.sampled_from([sign * (BAND + away) for sign in (1, -1) for away in (-1, 0, 1, 900)])] * 2)
def test_mixes_take_what_is_within_the_rest_band_for_rest(throttle: int, turn: int) -> None:
    settled = [0 if abs(value) <= BAND else value for value in (throttle, turn)]
    for style in ("one_stick", "pivot"):
        text = ONE.replace("one_stick", style)
        assert sides(text, throttle, turn, BAND / FULL) == sides(text, *settled)


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
            for sent, heard, field in zip(handset.wire_values.values(), event.values, fields, strict=True):
                # In text, steps are as fine as its numbers are; in bits, each code means itself.
                coarse = FULL // 500 if link.frame.style == "line" else 0
                assert heard == quantised(sent, field) or abs((sent or 0) - (heard or 0)) <= coarse
            machine.feed(wire, now)
        if now % link.tick_ms == 0:
            machine.tick(now)
            armed += machine.state is nuvrik.State.ARMED
            said |= set(machine.reasons().values())
    assert armed * link.tick_ms > 6000 and len(said) > 3 and all(said)


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
    assert seen[6].startswith("asked for +100 %, ramp at +") and "reversing: 120 ms of pause left" in seen
    for later in (390, 410):
        machine.tick(20 * (len(frames) - 1) + later)
    assert machine.reasons()["port_screw"].startswith("failsafe: no drive frame for 400 ms; coming to rest")
    assert all(before != after for before, after in pairwise(sorted(set(seen))))
