"""docs/live.md, command by command, and the examples beside it, as a user runs them."""

import contextlib
import os
import pty
import re
import shlex
import shutil
import signal
import subprocess
import sys
import threading
import time
import tty
from collections.abc import Iterator
from pathlib import Path

import pytest
from links import starter_text, write
from terminals import ended, rows_of, start, wait_for
from test_programs import free_port, said
from test_sources import command, pad, put, until, with_pads

import nuvrik
from nuvrik.recordings.pilot import practice

pytestmark = pytest.mark.live

ROOT = Path(__file__).parents[1]
PAGE = (ROOT / "docs/live.md").read_text("utf-8")
EXAMPLES = ROOT / "examples/live"
LINES = [line.strip() for line in PAGE.splitlines() if re.match(r"    .*nuvrik ", line)]
MOTORS = """
def drive_port(demand):
    pass


OUTPUTS = {"port_screw": drive_port}
"""


@contextlib.contextmanager
def hand_on_pads(tmp_path: Path, poses: list[dict]) -> Iterator[None]:
    """Somebody who holds a pad in one pose after the other, half a second each, over and over."""
    over = threading.Event()

    def hold() -> None:
        while not over.is_set():
            for pose in poses:
                put(tmp_path / "pads.json", pose)
                over.wait(0.3)

    put(tmp_path / "pads.json", poses[0])
    thread = threading.Thread(target=hold, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()


def asked_for_each(tmp_path: Path, words: list[str]) -> None:
    """Which stick is which: move what is asked for."""
    moves = {
        "left_stick": pad(1, left_y=-1.0),
        "right_stick": pad(1, right_x=1.0),
        "arm_button": pad(1, pressed=(7,)),
        "stop_button": pad(1, pressed=(1,)),
    }
    put(tmp_path / "pads.json", pad(1))
    env = with_pads(tmp_path) | {"PYTHONUNBUFFERED": "1"}
    asking = command(*words, env=env, cwd=tmp_path, stdout=subprocess.PIPE, text=True)
    for line in asking.stdout:
        time.sleep(0.2)
        put(tmp_path / "pads.json", moves.get(line.partition(":")[0], pad(1)))
    assert asking.wait(20) == 0


def a_pair_of_logs(tmp_path: Path) -> None:
    """Both ends of one run, each with its log."""
    port = free_port()
    words = ("boat.toml", "--port", f"socket://:{port}", "--log", "machine.csv", "--bytes")
    machine = start("machine", *words, cwd=tmp_path)
    until((tmp_path / "machine.csv").exists)
    words = ("boat.toml", "--port", f"socket://127.0.0.1:{port}", "--from", "boat.csv", "--log", "hand.csv")
    assert start("drive", *words, "--headless", cwd=tmp_path).wait(60) == 0
    assert ended(machine, signal.SIGTERM)[0] == 0


def test_every_command_of_the_page_does_what_it_says(tmp_path: Path) -> None:
    shutil.copytree(EXAMPLES, tmp_path / "examples/live")
    write(tmp_path, "head.toml", starter_text("pan_tilt"))
    write(tmp_path, "motors.py", MOTORS)
    sweep = [pad(1, left_y=place, right_x=place) for place in (-1.0, -0.5, 0.0, 0.5, 1.0, 0.0)]
    assert len(LINES) >= 15
    for line in LINES:
        first, _, second = line.partition(" | ")
        words = shlex.split((second or first).removeprefix("nuvrik "))
        if "--assign" in words:
            asked_for_each(tmp_path, words)
        elif "pad" in words or "machine" in words[:1]:
            with hand_on_pads(tmp_path, sweep):
                process = command(
                    *words, cwd=tmp_path, env=with_pads(tmp_path), stderr=subprocess.PIPE, text=True
                )
                time.sleep(6)
                if "sweep.csv" in words:  # and hands off, for two seconds
                    put(tmp_path / "pads.json", pad(1))
            time.sleep(2.5 if "sweep.csv" in words else 0)
            code, errors = ended(process, signal.SIGINT)
            assert code == 0 and "Traceback" not in errors, (line, errors)
        else:
            if "boat.csv" in words:  # whose readings are those of the sticks as they have been calibrated
                rows = practice(nuvrik.load(tmp_path / "boat.toml"), seed=3, duration_ms=9000).csv_lines()
                write(tmp_path, "boat.csv", "\n".join(rows) + "\n")
            if "--against" in words:
                a_pair_of_logs(tmp_path)
            hands = None
            if second:
                program = [sys.executable, *shlex.split(first)[1:]]
                hands = subprocess.Popen(program, cwd=tmp_path, stdout=subprocess.PIPE)
            done = subprocess.run(
                [sys.executable, "-m", "nuvrik", *words],
                cwd=tmp_path,
                stdin=hands.stdout if hands else subprocess.DEVNULL,
                capture_output=True,
                text=True,
                timeout=120,
                check=False,
            )
            # What was swept by one hand is doubted, and said to be.
            fine = (0, 1) if words[0] == "calibrate" else (0,)
            assert done.returncode in fine and "Traceback" not in done.stderr, (line, done.stderr)
    link = nuvrik.load(tmp_path / "boat.toml")
    assert link.controls["left_stick"].source == "pad.left_y" and link.controls["left_stick"].raw[2] > 30_000


def test_five_motors_and_three_servos_from_a_pad_on_a_small_computer(tmp_path: Path) -> None:
    port, log = free_port(), tmp_path / "barge.csv"
    barge = EXAMPLES / "barge.toml"
    put(tmp_path / "pads.json", pad(1))
    words = ("machine", barge, "--port", f"socket://:{port}", "--code", EXAMPLES / "barge.py", "--log", log)
    machine = start(*words)
    until(log.exists)
    drive = command(
        "drive", barge, "--port", f"socket://127.0.0.1:{port}", "--from", "pad", "--headless",
        env=with_pads(tmp_path),
    )  # fmt: skip
    wait_for(log, lambda row: row["state"] == "STANDBY")
    put(tmp_path / "pads.json", pad(1, pressed=(7,)))
    wait_for(log, lambda row: row["state"] == "ARMED")
    put(tmp_path / "pads.json", pad(1, left_y=-1.0, right_y=-1.0))
    full = lambda row: all(row[name] == "204" for name in row if name.endswith(("_bow", "_stern")))  # noqa: E731
    wait_for(log, full)
    put(tmp_path / "pads.json", pad(1, left_y=-1.0, right_y=-1.0, pressed=(1,)))
    wait_for(log, lambda row: row["state"] == "STOPPED")
    drive.terminate()
    assert drive.wait(20) == 0
    code, errors = ended(machine, signal.SIGTERM)
    assert code == 0 and "channel  3:  +204" in errors and "channel 14: +1500" in errors
    assert errors.rindex("channel  0:    +0") > errors.rindex("channel  0:  +204")


def test_a_knob_for_two_motors_with_a_stop(tmp_path: Path) -> None:
    """Its board prints columns of its own, which the link file names."""
    log = tmp_path / "knob.csv"
    master, slave = pty.openpty()
    tty.setraw(slave)
    drive = command(
        "drive", EXAMPLES / "knob.toml", "--port", "sim", "--from", f"knob=board:{os.ttyname(slave)}",
        *("--headless", "--log", log),
    )  # fmt: skip
    until(log.exists)
    os.write(master, b"t_ms,a0,d2,d3\n")
    for number in range(150):
        knob = 12 if number < 60 else min(1023, 40 * (number - 60))
        os.write(master, f"{number},{knob},{int(number < 40)},{int(number >= 130)}\n".encode())
        time.sleep(0.02)
    drive.terminate()
    assert drive.wait(20) == 0
    rows = rows_of(log)
    assert any(row["channel.speed"] == "1" and row["channel.arm"] == "1" for row in rows)
    assert all(row["channel.speed"] == "0" for row in rows if row["knob"] == "12")
    assert any("stop_button" in row["handset.why"] for row in rows)
    os.close(master)
    os.close(slave)


def test_a_board_that_answers_and_a_grip(tmp_path: Path) -> None:
    panel, port = write(tmp_path, "panel.toml", starter_text("panel")), free_port()
    machine = start("machine", panel, "--port", f"socket://:{port}", "--code", EXAMPLES / "answer.py")
    end = time.monotonic() + 20
    words = ("ask", panel, "beep", "times=3", "--port", f"socket://127.0.0.1:{port}")
    while (asked := said(*words)).returncode == 2:
        assert time.monotonic() < end
    assert asked.stdout == "beep: done, 3\n"
    assert ended(machine, signal.SIGTERM)[0] == 0
    grip = subprocess.run([sys.executable, EXAMPLES / "grip.py"], capture_output=True, text=True, check=True)
    speeds = [float(line.split()[3]) for line in grip.stdout.splitlines() if "speed" in line]
    assert max(speeds) > 0.5 and speeds[0] == 0 and "disarmed" in grip.stdout
    assert all(len(file.read_text().splitlines()) < 60 for file in EXAMPLES.glob("*.py"))
