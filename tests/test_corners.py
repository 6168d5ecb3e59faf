"""The corners in which a motor could start, or go on, although nobody asked for it."""

from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many

import nuvrik
from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.states import State
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.wire.frames import Encoder

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
            assert machine._moving.targets[0] in (0, None)
        elif machine.state is State.ARMED:
            assert machine._moving.targets[0] == (
                0 if abs(turn) <= 300 else pytest.approx(0.6 * turn, abs=20)
            )


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


def test_behind_a_gap_what_turns_begins_from_rest_and_a_place_goes_on() -> None:
    text = starter_text("tug").replace(
        "raw = [0, 508, 1023]", "raw = [0, 508, 1023]\nsmooth_ms = 300\nramp_ms = 1500", 1
    )
    link = nuvrik.parse(text)
    handset, sent = nuvrik.Handset(link, without={"stop_button"}), []
    for now in range(0, 4000, 20):
        gap = 2000 <= now < 2300
        handset.read(now, left_stick=None if gap else 1023, right_stick=515)
        sent.append(handset.wire_values["throttle"])
    most = FULL * 20 / 1500 + 2
    behind = sent.index(None) + sent.count(None)
    assert max(sent[:100]) > 15000 and sent[behind] == 0 and sent[-1] > 12000
    for part in (sent[:100], sent[behind:]):
        assert all(abs(a - b) <= most for a, b in pairwise(part)), "no jump"
    pan = nuvrik.parse(starter_text("pan_tilt"))
    name = next(iter(pan.controls))
    moved = pan.controls[name].model_copy(update={"smooth_ms": 300})
    handset = nuvrik.Handset(pan.model_copy(update={"controls": {**pan.controls, name: moved}}))
    channel = next(key for key, one in pan.channels.items() if one.sources.get("from") == name)
    for now in range(0, 3000, 20):
        handset.read(now, **{name: None if 2000 <= now < 2300 else moved.points[2]})
    assert handset.wire_values[channel] > 15000


def test_a_gap_that_no_timer_can_tell_withdraws_everything_at_both_ends() -> None:
    handset = nuvrik.Handset(MARRAM, without=MARRAM.controls)
    handset.put_arm(False)
    handset.put(0, "throttle", 9000 / FULL, 5000)
    handset.put(0, "hook", 9000 / FULL)
    for now in range(0, 1000, 20):
        handset.send(now)
        if now == 600:
            handset.put_arm(True)
    assert handset.values["arm"] == 1 and handset.values["throttle"] == 9000 / FULL
    handset.expire((1000 + 65_600) & 0xFFFF)  # 65.6 s: to a 16-bit clock 64 ms
    assert handset.values["throttle"] == 0 and handset.values["arm"] == 0
    assert handset.values["hook"] == 9000 / FULL, "a place stays"
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
    text = starter_text("tug").replace('recover = "at_rest"', 'recover = "resume"')
    link = nuvrik.parse(text)
    encoder = Encoder(link)
    bench = Bench(link).arm().run(300, left_stick=1023)
    seq = bench.handset._sending.seq
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
    assert machine.core.outputs.jogged == NOBODY, "a missing reading is not rest"
    machine.feed(encoder.command([0, 0, 1], seq + 2), 430)
    machine.feed(jog_body(encoder, seq + 3), 435)
    assert machine.tick(440)[0].driven
    machine.feed(encoder.command([0, 9000, 1], seq + 4), 450)
    assert machine.core.outputs.jogged == NOBODY, "a hand wins over a jog"


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
    from nuvrik.plan.outputs import MotorOutput
    from nuvrik.plan.outputs.demand import Mode
    from nuvrik.plan.outputs.motor import Motor

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


@pytest.mark.parametrize("rate", [10, 4])
def test_a_slow_link_with_a_toggled_arm_is_rehearsed_too(rate: int) -> None:
    from nuvrik.rehearsal.faults import FAULTS
    from nuvrik.rehearsal.verdict import rehearse

    text = starter_text("tug").replace("rate_hz = 50", f"rate_hz = {rate}")
    link = nuvrik.parse(text.replace("timeout_ms = 400", "timeout_ms = 1200"))
    for name in ("cable_pulled", "stick_pushed_at_power_up", "disarm_lost", "stop_wire_broken"):
        runs = [rehearse(link, FAULTS[name], seed) for seed in range(3)]
        assert [run.why for run in runs if run.verdict == "fail"] == [], name


def test_hex_digits_have_nothing_between_them_and_no_more_than_a_body(tmp_path) -> None:
    text = starter_text("vent")
    link = nuvrik.parse(text)
    body = Encoder(link, stream=True).sealed(5, 1, b"")
    decoder = nuvrik.Decoder(link)

    def reason(line: bytes) -> str:
        (event,) = decoder.feed(line + b"\n")
        return getattr(event, "reason", "accepted")

    assert reason(body) == "accepted"
    for spaced in (body[:5] + b" " + body[5:], body + b"\r", body[:-1], body[:3] + "٣".encode() + body[4:]):
        assert reason(spaced) in ("stuffing", "wrong_kind"), spaced
    assert reason(b"#" + b"11" * 201) == "too_long" and reason(b"#" + b"11" * 200) == "check"


def test_a_nearest_key_is_said_to_be_one(tmp_path) -> None:
    from links import write
    from test_loads_and_places import KEYS
    from typer.testing import CliRunner

    from nuvrik.cli import app

    file = str(write(tmp_path, "keys.toml", KEYS))
    done = CliRunner().invoke(app, ["encode", file, "ahead=0.33"])
    assert done.exit_code == 0 and "the nearest single key" in done.stderr, done.output
    assert "asked for +0.330" in done.stderr
    done = CliRunner().invoke(app, ["encode", file, "ahead=0.7"])
    assert done.stdout.strip() == "77" and done.stderr == ""
    done = CliRunner().invoke(app, ["inspect", file, "--hex", "wx"])
    assert done.exit_code == 0 and "2 frames" in done.stdout
