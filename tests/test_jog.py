"""The jog: small, brief, only when armed and at rest, and it always ends."""

import json
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import WIRED_TEXT, many, write
from payloads import taken
from terminals import cable, start, wait_for
from typed import nuvrik_command

import nuvrik
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plan.wiring import place_channels
from nuvrik.ports.jog import jog_once, place_once
from nuvrik.ports.sim import SimLine
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import REQUEST
from nuvrik.wire.messages import Jog, pack_jog

BOX = nuvrik.parse(starter_text("marram"))
NAMES = list(BOX.outputs)
ENCODER = Encoder(BOX)
ARM = list(BOX.channels).index("arm")


def command(seq: int, arm: int, **values: int | None) -> bytes:
    sent: list[int | None] = [values.get(name, 0) for name in BOX.channels]
    sent[ARM] = arm
    return ENCODER.command(sent, seq & 0xFF)


def armed() -> tuple[nuvrik.Machine, int]:
    machine = nuvrik.Machine(BOX)
    for seq in range(10):
        machine.feed(command(seq, int(seq > 6)), 20 * seq)
        machine.tick(20 * seq)
    assert machine.state is nuvrik.State.ARMED
    return machine, 10


@given(st.integers(0, 255), st.integers(-200, 200), st.integers(0, 255))
def test_only_a_small_short_move_of_something_that_moves_is_a_jog(place: int, step: int, time: int) -> None:
    payload = bytes((0xFF, place, step & 0xFF, time))
    jog = taken(BOX, REQUEST, payload)
    signed = (step & 0xFF) - 256 * ((step & 0xFF) > 127)
    turning = place < len(NAMES) and BOX.outputs[NAMES[place]].kind in ("motor", "stepper")
    sound = place < len(NAMES) - 1 and 1 <= time <= 50 and abs(signed) <= (64 if turning else 127)
    assert (jog is not None) == sound, "the last output of the list is a switch"
    if jog is not None:
        assert pack_jog(jog) == payload and jog.for_ms == 10 * time and abs(jog.level) <= FULL
    (event,) = nuvrik.Decoder(BOX).feed_datagram(ENCODER.sealed(REQUEST, 3, payload))
    assert isinstance(event, nuvrik.Frame) == sound
    assert taken(BOX, REQUEST, b"\x01" + payload[1:]) is None


@settings(max_examples=many(60))
@given(
    st.integers(0, len(NAMES) - 2),
    st.integers(-FULL, FULL),
    st.integers(10, 500),
    st.sampled_from(["none", "moved", "bare", "off", "lost", "stop"]),
)
def test_a_jog_moves_one_output_and_ends_whatever_happens(
    place: int, level: int, for_ms: int, then: str
) -> None:
    machine, seq = armed()
    name, now = NAMES[place], 20 * seq
    turning = BOX.outputs[name].kind == "motor"
    level = max(-8000, min(8000, level)) if turning else level
    machine.feed(ENCODER.sealed(REQUEST, seq, pack_jog(Jog(place, level, for_ms))), now)
    rested_ms, start_ms = None, now
    for step in range(1, 100):
        now += 20
        if step == 3 and then == "moved":
            machine.feed(command(seq + step, 1, throttle=4000), now)
        elif step == 3 and then == "bare":
            machine.feed(command(seq + step, 1, throttle=None), now)
        elif step >= 3 and then == "off":
            machine.feed(command(seq + step, 0), now)
        elif step == 3 and then == "stop":
            machine.feed(ENCODER.stop(seq + step), now)
        elif step < 3 or then == "none":
            machine.feed(command(seq + step, 1), now)
        demands = machine.tick(now)
        others = [d for d in demands if d.output != name and not d.output.endswith("_screw") and d.driven]
        assert not others, "nothing but the one moves"
        if demands[place].driven:
            assert turning and demands[place].value <= 0.55 * 255 + 70
            # A winch holds what the jog has moved, which is not the jog going on.
            rested_ms = None if demands[place].level else rested_ms or now
        else:
            rested_ms = rested_ms or now
        if turning and now - start_ms >= for_ms + 20 + 250 and then != "moved":
            assert demands[place].level == 0
    assert rested_ms is not None or then == "moved"


@pytest.mark.parametrize("how", ["standby", "moved", "failsafe", "stopped"])
def test_a_jog_is_not_obeyed_unless_armed_and_at_rest(how: str) -> None:
    machine, seq = armed()
    now = 20 * seq
    if how == "standby":
        machine.feed(command(seq, 0), now)
    elif how == "moved":
        machine.feed(command(seq, 1, winch=4000), now)
        machine.feed(command(seq, 1, winch=4000), now)
    elif how == "failsafe":
        now += 500
        machine.tick(now)
    else:
        machine.feed(ENCODER.stop(seq), now)
    machine.feed(ENCODER.sealed(REQUEST, (seq + 1) & 0xFF, pack_jog(Jog(0, 8000, 400))), now)
    for _ in range(20):
        now += 10
        assert not machine.tick(now)[0].driven


def test_a_jog_does_not_outlive_a_disarming_between_two_ticks() -> None:
    machine, seq = armed()
    machine.feed(ENCODER.sealed(REQUEST, seq, pack_jog(Jog(0, 8000, 500))), 20 * seq)
    for later, arm in enumerate((0, 1), 1):
        machine.feed(command(seq + later, arm), 20 * seq + later)
    assert machine.state is nuvrik.State.ARMED and not machine.tick(20 * seq + 20)[0].driven


def test_the_simulated_machine_turns_as_it_is_wired() -> None:
    for backwards, sign in ((frozenset(), 1), (frozenset({"port_screw", "winch"}), -1)):
        line = SimLine(BOX, backwards)
        for name in ("port_screw", "winch"):
            for way in (1, -1):
                before = line.turns(name)
                jog_once(BOX, line, line, name, way * 0.3, 300)
                assert (line.turns(name) - before) * way * sign > 0.1
                assert line.machine.safe and line.machine.state is not nuvrik.State.ARMED
        assert line.turns("starboard_screw") == 0


@pytest.mark.parametrize("starter", starter_names())
def test_a_jog_moves_nothing_but_its_output(starter: str) -> None:
    """A place that was told none stays where it is, wherever that is; one that was goes a little from there,
    and back. Everything else keeps its pulses, also where a selector or a nudge stands somewhere else."""
    link = nuvrik.parse(starter_text(starter))
    stand = place_channels(link)
    for name, output in link.outputs.items():
        for told in (False, True) if stand and output.kind == "servo" else (True,):
            line = SimLine(link)
            if told and stand:
                place_once(link, line, line, dict.fromkeys(stand, 0.4), 1500)
            before, moved = list(line.machine.demands), set()
            tick = line.machine.tick

            def watched(now_ms: int, tick=tick, moved=moved, before=before) -> list[nuvrik.Demand]:
                demands = tick(now_ms)
                moved |= {one.output for one, was in zip(demands, before, strict=True) if one != was}
                return demands

            line.machine.tick = watched  # type: ignore[method-assign]
            if output.kind != "switch":
                jog_once(link, line, line, name, 0.25, 300)
            assert moved == ({name} if told and output.kind != "switch" else set())
            assert (
                line.machine.demands[list(link.outputs).index(name)].level
                == before[list(link.outputs).index(name)].level
            ), "and back"


def test_a_machine_without_arm_can_be_jogged_too() -> None:
    text = starter_text("tug").replace('arm = "arm"  ', 'arm = "none"')
    link = nuvrik.parse(text)
    line = SimLine(link)
    jog_once(link, line, line, "port_screw", 0.3, 300)
    assert line.turns("port_screw") > 0.1 and line.machine.safe


def asked(answers: str, *words: object, code: int = 0) -> str:
    return nuvrik_command("jog", *words, code=code, given=answers.encode())


@pytest.mark.live
def test_jog_as_a_user_types_it(tmp_path: Path) -> None:
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    assert "nothing to change" in asked(
        "y\n", tug, "port_screw", "--port", "sim"
    ) and tug.read_text() == starter_text("tug")
    said = asked("what\nn\ny\n", tug, "port_screw", "--port", "sim:port_screw")
    assert "turned -" in said and "reverse = true written" in said
    assert nuvrik.load(tug).outputs["port_screw"].reverse and tug.read_text().count("#") == starter_text(
        "tug"
    ).count("#")
    assert "reverse = false written" in asked(
        "n\ny\n", tug, "starboard_screw", "--port", "sim:starboard_screw"
    )
    before = tug.read_text()
    assert "no answer" in asked("", tug, "port_screw", "--port", "sim", code=1)
    assert (
        "nothing written" in asked("n\nn\n", tug, "port_screw", "--port", "sim", code=1)
        and tug.read_text() == before
    )
    assert "set it to 0 first" in asked("", tug, "port_screw", "--port", "sim", "--find-start", code=1)
    tug.write_text(before.replace("start_duty = 0.18", "start_duty = 0.0"))
    assert "start_duty = 0.161 written" in asked("", tug, "port_screw", "--port", "sim", "--find-start")
    head = write(tmp_path, "head.toml", starter_text("pan_tilt"))
    answers = "y\n" * 9 + "n\n" + "y\n" * 6 + "n\n"
    said = asked(answers, head, "pan_servo", "--port", "sim")
    assert "goes to its centre first" in said and "meets its stop" in said
    assert nuvrik.load(head).outputs["pan_servo"].travel == [-0.8, 0.6]
    assert 'did you mean "port_screw"' in asked("", tug, "port_scew", "--port", "sim", code=2)
    assert "no output" in asked("", tug, "port_screw", "--port", "sim:winch", code=2)
    slow = write(tmp_path, "slow.toml", starter_text("pan_tilt").replace("ramp_ms = 500", "ramp_ms = 900"))
    assert "lower its ramp_ms" in asked("", slow, "pan_servo", "--port", "sim", code=2)
    assert "for one motor" in asked("", head, "pan_servo", "--port", "sim", "--find-start", code=2)
    assert "cannot be opened" in asked("", tug, "port_screw", "--port", "/dev/none", code=2)


@pytest.mark.live
def test_a_jog_over_a_real_line_and_why_it_moves(tmp_path: Path) -> None:
    link_file, log = write(tmp_path, "link.toml", WIRED_TEXT), tmp_path / "log.csv"
    with cable() as line:
        machine = start("machine", link_file, "--port", line.ports[1], "--log", log, "--why")
        wait_for(log, lambda row: row["state"] == "WAITING")
        words = [sys.executable, "-m", "nuvrik", "jog", link_file, "port_screw", "--port", line.ports[0]]
        done = subprocess.run(
            list(map(str, words)), input="y\n", capture_output=True, text=True, timeout=30, check=True
        )
        assert "nothing to change" in done.stdout
        moved = wait_for(log, lambda row: row["port_screw"] not in ("0", ""))
        wait_for(
            log,
            lambda row: (
                row["state"] != "ARMED" and row["port_screw"] == "0" and int(row["t_ms"]) > int(moved["t_ms"])
            ),
        )
        machine.terminate()
        _, said = machine.communicate(timeout=10)
    assert machine.returncode == 0 and "port_screw: not armed: arm is off; at rest" in said


@pytest.mark.live
def test_sheets_are_drawn_for_every_starter_and_drive_knows_the_simulated_port(tmp_path: Path) -> None:
    from nuvrik.figures.sheet import draw_sheet, effects

    for name in starter_names():
        link = nuvrik.parse(starter_text(name))
        draw_sheet(link, tmp_path / f"{name}.png")
        assert (tmp_path / f"{name}.png").read_bytes().startswith(b"\x89PNG")
        used = [said for control in link.controls for said in effects(link, control)]
        assert "arms the machine" in used or not link.controls
    assert "STOPS EVERYTHING" in effects(BOX, "stop_button") and "on: throttle slowed to 40 %" in effects(
        BOX, "slow_switch"
    )
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    nuvrik_command("check", tug, "--sheet", tmp_path / "sheet.png")
    assert (tmp_path / "sheet.png").exists()
    recording = write(
        tmp_path, "r.csv", "t_ms,left_stick,right_stick,arm_button\n0,508,515,0\n9000,508,515,0\n"
    )
    nuvrik_command("drive", tug, "--port", "sim", "--from", recording)


def test_a_sweep_of_a_simulated_screw_finds_the_start_that_it_was_made_with(tmp_path: Path) -> None:
    """Up and down, a jog at a time; and calibrate makes of it what the plant was given."""
    text = starter_text("marram").replace("start_duty = 0.18", "start_duty = 0.0", 1)
    link_file, log = write(tmp_path, "boat.toml", text), tmp_path / "port.csv"
    nuvrik_command("jog", link_file, "port_screw", "--port", "sim", "--sweep", log)
    rows = [tuple(map(float, line.split(","))) for line in log.read_text().splitlines()[1:]]
    stood = [duty for _, duty, speed in rows if speed == 0]
    turned = [duty for _, duty, speed in rows if speed > 0]
    assert max(stood) > 10 and max(turned) > 100 and len(rows) == 26
    found = json.loads(nuvrik_command("calibrate", link_file, log, "--output", "port_screw", "--json"))
    assert max(stood) / 255 < found["start_duty"] <= (min(turned) + 12) / 255 and not found["doubts"]
    for name, why, code in (("hook_left", "servo", 2), ("winch", "shaft", None)):
        refused = nuvrik_command("jog", link_file, name, "--port", "sim", "--sweep", log, code=code)
        assert why in refused


def test_a_side_is_jogged_and_reversed_as_one(tmp_path: Path) -> None:
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    before = nuvrik.load(link_file)
    for answers, code, same in ((b"y\n", 0, True), (b"n\nn\n", 1, True), (b"n\ny\n", 0, False)):
        words = ("jog", link_file, "port_screw,starboard_screw", "--port", "sim")
        assert nuvrik_command(*words, given=answers, code=code).count("forward at 25 %") == 2
        after = nuvrik.load(link_file)
        for name, output in before.outputs.items():
            assert (after.outputs[name].reverse == output.reverse) == same
    left = nuvrik_command("jog", link_file, "left", "--port", "sim", given=b"y\n")
    assert "port_screw: forward" in left
    wrong = nuvrik_command("jog", link_file, "lift", "--port", "sim", code=2)
    assert 'did you mean "left"' in wrong
