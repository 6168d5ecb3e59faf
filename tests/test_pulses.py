"""Pulse trains, servo pulses, PWM, and what a clock can do."""

import json
import random
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many, problem_in
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.clocks import Timer, divisors, leaves_margin, nearest_clock, servo
from nuvrik.budget.clocks import settings as timer_settings
from nuvrik.budget.conditions import Conditions
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.train import TrainDecoder, as_levels, edge_times, train
from nuvrik.pulses.waves import pwm, servo_angle, servo_pulse
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.medium import medium_of
from nuvrik.rehearsal.verdict import rehearse, unasked_motion
from nuvrik.rehearsal.world import World
from nuvrik.wire.styles.train import in_bytes, in_slots

pytestmark = pytest.mark.slow

TRAIN_TEXT = """
link = { name = "glider", rate_hz = 40 }
medium = { kind = "pulses", active = "low" }
failsafe = { arm = "arm", timeout_ms = 300 }
[frame]
style = "train"
accept = ["no_sequence", "no_pair", "no_layout", "no_check"]
[controls]
stick = { kind = "axis", raw = [0, 512, 1023] }
arm_button = { kind = "button" }
[channels]
throttle = { kind = "level", bits = 11, from = "stick" }
spare = { kind = "share" }
gear = { kind = "choice", options = ["up", "half", "down"] }
arm = { kind = "flag", from = "arm_button" }
[outputs]
screw = { kind = "motor", driver = "pwm_2dir", ramp_ms = 200, mix = { throttle = 1.0 } }
"""
TRAIN = nuvrik.parse(TRAIN_TEXT)


@settings(max_examples=many(60))
@given(
    st.lists(
        st.tuples(st.integers(-FULL, FULL), st.integers(0, FULL), st.integers(0, 2), st.integers(0, 1)),
        min_size=2,
        max_size=6,
    ),
    st.data(),
)
def test_channels_come_back_from_the_edges_of_their_pulses(rows, data) -> None:
    """Values to slots to pulses to edges and back, from the first gap on; a pulse lost spoils its train only,
    and never becomes another command."""
    encoder, medium = nuvrik.Encoder(TRAIN), TRAIN.medium
    wires = [encoder.command(row, 0) for row in rows]
    durations = [us for wire in wires for us in train(in_slots(wire), medium)]
    assert sum(map(abs, durations)) == medium.frame_us * len(rows)
    assert as_levels(as_levels(durations, medium), medium) == durations
    assert max(as_levels(durations, medium)) > 2500  # at rest high
    edges = edge_times(durations)
    lost = data.draw(st.integers(5, len(edges) - 1))
    for kept, spoilt in ((edges, None), ([*edges[:lost], *edges[lost + 1 :]], lost // 5)):
        decoder = TrainDecoder(medium)
        events = [
            event
            for slots in (*decoder.feed(kept), *decoder.end())
            for event in nuvrik.Decoder(TRAIN).taker(stream=False)(in_bytes(slots))
        ]
        heard = [event.values for event in events if isinstance(event, nuvrik.Frame)]
        wanted = [row for number, row in enumerate(rows) if number not in (0, spoilt)]
        assert len(heard) == len(wanted) and (len(events) > len(heard)) == (spoilt is not None)
        for values, (level, share, gear, arm) in zip(heard, wanted, strict=True):
            assert values[2:] == (gear, arm)
            assert abs(values[0] - level) <= FULL / 500 and abs(values[1] - share) <= FULL / 1000
    with pytest.raises(ValueError, match="no reading"):
        encoder.command([None, 0, 0, 0], 0)
    assert encoder.command_on_wire([None, 0, 0, 0], 0) == b""


def test_a_train_stops_when_its_wire_comes_off_and_is_checked() -> None:
    for seed in range(3):
        run = rehearse(TRAIN, FAULTS["cable_pulled"], seed)
        assert run.verdict == "pass", run.why
    world = World(TRAIN, practice(TRAIN, 1), Conditions(jitter=0.1, bit_errors=0.05), seed=1)
    trace = world.run()
    assert unasked_motion(TRAIN, trace) is None
    assert {reason for _, reason in trace.refused} == {"bad_field"} and len(trace.accepted) > 300
    wrong = TRAIN_TEXT.replace('kind = "pulses", active = "low"', 'kind = "pulses", frame_us = 7000')
    assert "slots and the gap may need" in problem_in(wrong, "medium.frame_us").what
    serial = TRAIN_TEXT.replace('kind = "pulses", active = "low"', 'kind = "serial"')
    assert "the medium is serial" in problem_in(serial, "frame.style").what
    few = TRAIN_TEXT.replace('spare = { kind = "share" }\n', "")
    assert "has 4 to 16" in problem_in(few, "channels").what


@given(st.floats(-60, 60), st.integers(900, 1100), st.integers(1900, 2100))
def test_servo_pulses_and_angles_undo_each_other(angle: float, low: int, high: int) -> None:
    pulse = servo_pulse(angle, (low, 1500, high), (60, -60))
    assert low <= pulse <= high
    assert abs(servo_angle(pulse, (low, 1500, high), (60, -60)) - angle) <= 60 / 400
    with pytest.raises(ValueError, match="beyond"):
        servo_pulse(61, (low, 1500, high), (60, -60))
    with pytest.raises(ValueError, match="beyond"):
        servo_angle(high + 1, (low, 1500, high), (60, -60))


@given(st.integers(0, 255), st.floats(20, 20_000))
def test_pwm_is_on_for_its_share(duty: int, frequency: float) -> None:
    wave = pwm(duty, 255, frequency, 6.0)
    assert wave.on_us + wave.off_us == pytest.approx(1e6 / frequency)
    assert wave.mean_volts == pytest.approx(6 * duty / 255)
    lengths = wave.durations(3)
    assert all(a * b < 0 for a, b in pairwise(lengths)) or min(wave.on_us, wave.off_us) < 1
    with pytest.raises(ValueError, match="no frequency"):
        pwm(1, 2, 0)


def test_a_clock_that_cannot_and_the_nearest_that_can() -> None:
    """500 kHz, prescaler 16, an 8-bit period register, 50 Hz wanted."""
    words = ("clock", "--hz", 500_000, "--pwm", 50, "--prescalers", 16)
    said = nuvrik_command(*words, code=1)
    assert "50 Hz cannot be done with 500 kHz" in said and "204.8 kHz" in said
    assert "prescaler 16, period register 155, 50.08 Hz (+0.16 %)" in said
    found = json.loads(nuvrik_command(*words, "--clocks-per-count", 4, "--json"))
    assert (found["prescaler"], found["period"], found["steps"]) == (16, 155, 4 * 156)
    servo = json.loads(
        nuvrik_command("clock", "--hz", 8_000_000, "--servo", 50, "--clocks-per-count", 4, "--json")
    )
    assert servo["servo"]["prescaler"] == 256 and servo["servo"]["counts"] == [31, 47, 62]  # 32 us each
    assert found["actual_hz"] == pytest.approx(500_000 / 4 / 16 / 156)
    # What is worked out by hand for a 16 MHz clock.
    uart = json.loads(
        nuvrik_command("clock", "--hz", 16_000_000, "--uart", 9600, "--divide-by", "16", "--json")
    )
    assert uart["divisor"] == 103 and uart["actual_baud"] == pytest.approx(9615.3846)
    assert uart["error_percent"] == pytest.approx(0.16, abs=0.01) and uart["fits"]
    change = nuvrik_command(
        "clock",
        "--hz",
        16_000_000,
        "--instead-hz",
        8_000_000,
        "--uart",
        9600,
        "--pwm",
        490,
        "--servo",
        50,
        "--bits",
        16,
    )
    assert all(name in change for name in ("UART divisor", "PWM prescaler", "servo counts", "servo step"))
    assert "say what the clock is for" in nuvrik_command("clock", "--hz", 1000, code=2)
    assert "16ths" in nuvrik_command("clock", "--hz", 1000, "--uart", 300, "--divide-by", "7", code=2)


@settings(max_examples=many(25))
@given(
    st.sampled_from([1_000_000, 8_000_000, 11_059_200, 16_000_000, 84_000_000]),
    st.sampled_from(["uart", "pwm", "servo"]),
    st.integers(40, 400),
    st.sampled_from([8, 16]),
)
def test_what_a_person_reads_of_a_clock_is_what_a_program_reads(
    clock: int, what: str, hz: int, bits: int
) -> None:
    words = ["clock", "--hz", clock, f"--{what}", hz * (100 if what == "uart" else 1), "--bits", bits]
    said, found = nuvrik_command(*words, code=None), json.loads(nuvrik_command(*words, "--json", code=None))
    if what == "uart":
        assert f"{found['actual_baud']:.1f}" in said and f"{found['error_percent']:+.2f} %" in said
        assert ("which leaves room" in said) is found["fits"]
    elif "cannot be done" in said:
        assert "The nearest clock that can is" in said and clock / 1024 / 256 > hz and bits == 8
    elif what == "pwm":
        exact = clock / found["prescaler"] / (found["period"] + 1)
        assert found["actual_hz"] == pytest.approx(exact) and f"{exact:.6g} Hz" in said
        assert f" {found['steps']} " in said and "a step of duty is" in said
    else:
        servo = found["servo"]
        assert servo["step_us"] == pytest.approx(1e6 * servo["prescaler"] / clock)
        assert all(f"= {count}" in said for count in servo["counts"]) and f"{servo['places']} places" in said


@settings(max_examples=many(200))
@given(
    st.integers(32_768, 200_000_000),
    st.floats(1, 40_000),
    st.sampled_from([8, 10, 16]),
    st.sampled_from([(1,), (16,), (1, 8, 64, 256, 1024), (1, 2, 4, 8, 16, 32)]),
    st.sampled_from([1, 4]),
)
def test_no_setting_comes_nearer(clock, wanted, bits, prescalers, every) -> None:
    """Against every setting there is, tried one by one around the best."""
    timer = Timer(bits, prescalers, every)
    found = timer_settings(clock, wanted, timer)
    if not found:
        nearest = nearest_clock(clock, wanted, timer)
        assert nearest != clock and timer_settings(nearest, wanted, timer)
        return
    best = found[0]
    assert best.actual_hz == pytest.approx(clock / best.prescaler / every / (best.period + 1))
    for prescaler in prescalers:
        exact = clock / prescaler / every / wanted
        for steps in (int(exact), int(exact) + 1):
            if 2 <= steps <= 1 << bits:
                other = abs(clock / prescaler / every / steps / wanted - 1)
                assert 100 * other >= abs(best.error_percent) - 1e-3 * max(1, 100 * other)
    made = servo(clock, 50, timer, (1000, 1500, 2000), 90)
    if made is not None:
        assert made.step_us == pytest.approx(1e6 * made.setting.prescaler / clock)


@given(st.integers(1_000_000, 100_000_000), st.sampled_from([1200, 9600, 57_600, 115_200, 250_000]))
def test_divisors_are_what_their_formulas_say(clock: int, baud: int) -> None:
    found = divisors(clock, baud)
    for one in found:
        by = one.divisor * 16 if "16ths" in one.how else one.samples * (one.divisor + 1)
        assert one.actual_baud == pytest.approx(clock / by)
    assert all(abs(a.error_percent) <= abs(b.error_percent) + 1e-6 for a, b in pairwise(found))
    assert not leaves_margin(found[0], found[0].error_percent + 3)[0]


def test_noise_on_the_wire_is_refused() -> None:
    rng, decoder = random.Random(1), nuvrik.Decoder(TRAIN)
    accepted = sum(
        isinstance(event, nuvrik.Frame)
        for _ in range(5000)
        for event in decoder.taker(stream=False)(rng.randbytes(8))
    )
    assert accepted == 0


# ---- trains as bytes, on a wire to a host --------------------------------------------------

WIRED_TRAIN = nuvrik.parse(TRAIN_TEXT)


@settings(max_examples=many(80))
@given(
    st.lists(
        st.one_of(
            st.tuples(st.integers(-FULL, FULL), st.integers(0, FULL), st.integers(0, 2), st.integers(0, 1)),
            st.binary(max_size=12).map(lambda noise: noise.replace(b"\xff", b"\xfe")),
        ),
        max_size=12,
    ),
    st.lists(st.integers(0, 120), max_size=10),
)
def test_trains_in_a_stream_are_found_however_it_is_cut(pieces, cuts) -> None:
    """Captured slots over a serial line: noise between them spoils at most the train that follows it."""
    encoder = nuvrik.Encoder(WIRED_TRAIN, stream=True)
    stream, sent = b"", []
    for piece in pieces:
        if isinstance(piece, bytes):
            stream += piece + (b"\xff\xff" if piece else b"")  # whatever it was, a gap has followed it
        else:
            stream += encoder.command_on_wire(list(piece), 0)
            sent.append(nuvrik.Decoder(WIRED_TRAIN).feed(encoder.command_on_wire(list(piece), 0))[0].values)
    decoder, events = nuvrik.Decoder(WIRED_TRAIN), []
    places = [0, *sorted(min(cut, len(stream)) for cut in cuts), len(stream)]
    for start, end in pairwise(places):
        events += decoder.feed(stream[start:end])
    assert events == nuvrik.Decoder(WIRED_TRAIN).feed(stream)
    heard = [event.values for event in events if isinstance(event, nuvrik.Frame)]
    assert all(values in heard for values in sent)
    assert all(
        event.reason in ("bad_field", "too_long")
        for event in events
        if isinstance(event, nuvrik.RefusedFrame)
    )


@given(st.integers(500, 2500), st.integers(500, 2500), st.integers(0, 400), st.integers(300, 3000))
def test_a_slot_is_read_to_the_nearest_end_and_no_further(low: int, high: int, margin: int, us: int) -> None:
    if abs(high - low) < 100:
        return
    text = TRAIN_TEXT.replace(
        'style = "train"', f'style = "train"\nlow_us = {low}\nhigh_us = {high}\nmargin_us = {margin}'
    ).replace('active = "low"', 'active = "low", frame_us = 60000, sync_us = 20000, pulse_us = 50')
    text = text.replace("rate_hz = 40", "rate_hz = 10")
    try:
        link = nuvrik.parse(text)
    except nuvrik.LinkFileError as error:
        assert "pulse_us" in str(error)
        return
    (event,) = nuvrik.Decoder(link).feed_datagram(in_bytes([us, low, low, low]))
    inside = min(low, high) - margin <= us <= max(low, high) + margin
    assert isinstance(event, nuvrik.Frame) == inside
    if not inside:
        return
    level = event.values[0]
    assert -FULL <= level <= FULL
    clipped = min(max(us, min(low, high)), max(low, high))
    wanted = (clipped - low) / (high - low) * 2 * FULL - FULL
    assert abs(level - wanted) <= 1
    (again,) = in_slots(nuvrik.Encoder(link).command([level, 0, 0, 0], 0)[:2])
    assert abs(again - clipped) <= 1


def test_a_train_is_inspected_and_encoded_as_a_user_types_it(tmp_path) -> None:
    file = tmp_path / "glider.toml"
    file.write_text(TRAIN_TEXT)
    made = json.loads(nuvrik_command("encode", file, "throttle=-0.5", "arm=1", "--json"))
    assert in_slots(bytes.fromhex(made["hex"])) == [1250, 1000, 1000, 2000]
    said = nuvrik_command("inspect", file, "--hex", made["hex"], "--each-byte")
    assert "a slot of 1250 us" in said and "arm on, a slot of 2000 us" in said
    assert "bad_field" in nuvrik_command("inspect", file, "--hex", "0bb8", code=1)
    meant = nuvrik_command("check", file)
    assert "a slot from 1000 to 2000 us" in meant and "anybody's frames" in meant
    found = json.loads(nuvrik_command("budget", file, "--json"))
    assert found["airtime_ms"] == 22.5 and found["frame_bytes"] == 8
    runs = [json.loads(line) for line in nuvrik_command("rehearse", file, "--runs", 1, "--json").splitlines()]
    assert {run["verdict"] for run in runs} == {"pass"} and len(runs) > 10
    with pytest.raises(ValueError, match="leave no gap"):
        train([2000] * 12, TRAIN.medium)
    with pytest.raises(ValueError, match="no longer than its pulse"):
        train([200], TRAIN.medium)


# ---- carrier on and off, rehearsed ---------------------------------------------------------

TUG_TEXT = starter_text("tug")
KEYED = nuvrik.parse(
    TUG_TEXT[: TUG_TEXT.index("[medium]")]
    + '[medium]\nkind = "on_off_keyed"\nbitrate = 8000\n\n'
    + TUG_TEXT[TUG_TEXT.index("[frame]") :]
)


def test_frames_by_carrier_on_and_off_arrive_until_the_edges_stray_too_far() -> None:
    encoder = nuvrik.Encoder(KEYED)
    arrived = {}
    for how in (
        Conditions(jitter=0.1),
        Conditions(jitter=0.15, mark_stretch_us=15),
        Conditions(bit_errors=0.01),
        Conditions(jitter=0.6),
    ):
        medium = medium_of(KEYED.medium, how, random.Random(2))
        sent = [encoder.command([100 * n, -50 * n, 1], n) for n in range(100)]
        heard = [medium.send(body, 50_000 * n) for n, body in enumerate(sent)]
        sound = [one[1] == body for one, body in zip(heard, sent, strict=True) if one is not None]
        assert sum(sound) >= len(sound) - 3, "Manchester code notices nearly all of it; the check the rest"
        arrived[how] = sum(sound)
    clean, leaning, lossy, hopeless = arrived.values()
    assert clean == 100 and leaning >= 97 and 10 < lossy < 90 and hopeless < 3


def test_a_keyed_link_stops_in_time_whatever_the_edges_do() -> None:
    for fault in ("cable_pulled", "jam", "handset_reset"):
        run = rehearse(KEYED, FAULTS[fault], 3, conditions=Conditions(jitter=0.15, bit_errors=0.001))
        assert run.verdict == "pass", run.why
