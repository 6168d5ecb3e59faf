"""Leaving: whatever ends a program, the farewell is sent whole and every output is at rest."""

import gc
import os
import signal
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from links import THOROUGH, TUG, WIRED, WIRED_TEXT, write
from terminals import FarEnd, rows_of, start, wait_for
from test_live import full_ahead

import nuvrik
from nuvrik.ports.driving import run_handset
from nuvrik.ports.live import run_machine
from nuvrik.recordings.pilot import play
from nuvrik.wire.frames import Encoder

pytestmark = pytest.mark.live

SIGNALS = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)
TIMES = {"once": (1, 0.0), "twice": (2, 0.05), "ten times": (10, 0.01)}
"""How often a signal comes, and how long apart, in seconds."""
OFTEN = list(TIMES) if THOROUGH else ["once", "ten times"]
FAREWELL_S = (400 + 3 * 20) / 1000
"""From the last frame with arm on to the last with arm off: the timeout and two frames more."""

CONNECTED = """
import sys, time, nuvrik
vent = nuvrik.connect(sys.argv[1], sys.argv[2])
vent.arm()
vent.set(throttle=0.8, for_s=60)
time.sleep(60)
"""
IN_A_BLOCK = """
import sys, time, nuvrik
with nuvrik.connect(sys.argv[1], sys.argv[2]) as vent:
    vent.arm()
    vent.set(throttle=0.8, for_s=60)
    time.sleep(60)
"""


def signalled(process, how: signal.Signals, times: str) -> None:
    count, apart = TIMES[times]
    for _ in range(count):
        if process.poll() is None:
            process.send_signal(how)
        time.sleep(apart)


def one_sender(tmp_path: Path, program: str, how: signal.Signals, times: str) -> str:
    """A program that drives, ended by signals; gives its line of the table."""
    folder = tmp_path / f"{program} {how.name} {times}".replace(" ", "_")
    folder.mkdir()
    link_file, far = write(folder, "link.toml", WIRED_TEXT), FarEnd(WIRED)
    if program == "drive":
        recording = full_ahead(folder, WIRED)
        process = start("drive", link_file, "--port", far.port, "--from", recording, "--headless")
    elif program == "jog":
        process = start("jog", link_file, "port_screw", "--port", far.port, "--for-ms", 500)
    else:
        text = IN_A_BLOCK if program == "connect in with" else CONNECTED
        process = start(link_file, far.port, program=text)
    far.wait_armed()
    time.sleep(0.1)
    signalled(process, how, times)
    _, errors = process.communicate(timeout=30)
    time.sleep(0.1)
    far.close()
    last_on = max(at for at, arm in far.arms if arm)
    offs = [at for at, arm in far.arms if at > last_on]
    # From the last frame that was on: where this computer stands still, what comes next is read late.
    span = (offs[-1] - last_on) if offs else 0.0
    at_once = how is signal.SIGINT and TIMES[times][0] > 2
    row = f"{program:16} {how.name:8} {times:10} {len(offs):3} frames with arm off over {1000 * span:4.0f} ms"
    row += f", exit {process.returncode}"
    assert "Traceback" not in errors or "connect" in program, (row, errors)
    # A computer that stands still makes fewer frames at the sender, or bunches them up here: never both.
    whole = span > 0.9 * FAREWELL_S or (len(offs) + 1) * WIRED.period_ms / 1000 > 0.9 * FAREWELL_S
    if not at_once:
        assert len(offs) > 3 and whole, (row, errors)
        assert "left at once" not in errors
        if program in ("drive", "jog"):
            assert process.returncode == 0 and f"{len(offs)} frames with arm off" in errors, (row, errors)
    elif not whole:
        assert "left" in errors, ("it says that it did", row, errors)
    return row


@pytest.mark.parametrize("program", ["drive", "jog", "connect in with", "connect"])
def test_every_signal_is_followed_by_the_whole_farewell(tmp_path: Path, program: str) -> None:
    cases = [(how, times) for how in SIGNALS for times in OFTEN]
    with ThreadPoolExecutor(5) as several:
        rows = list(several.map(lambda case: one_sender(tmp_path, program, *case), cases))
    print("\n" + "\n".join(rows))


def one_machine(tmp_path: Path, how: signal.Signals, times: str) -> str:
    """A machine that drives a motor, ended by signals; gives its line of the table."""
    folder, encoder = tmp_path / f"{how.name} {times}".replace(" ", "_"), Encoder(WIRED)
    folder.mkdir()
    far, log = FarEnd(WIRED), folder / "log.csv"
    link_file = write(folder, "link.toml", WIRED_TEXT)
    process = start("machine", link_file, "--port", far.port, "--log", log)
    wait_for(log, lambda row: row["state"] == "WAITING")
    for i in range(60):
        values = [16384 if i > 30 else 0, 0, int(i > 12)]
        os.write(far.master, encoder.on_wire(encoder.command(values, i)))
        time.sleep(0.02)
    signalled(process, how, times)
    _, errors = process.communicate(timeout=30)
    far.close()
    last = rows_of(log)[-1]
    driven = any(row["port_screw"] != "0" for row in rows_of(log))
    row = f"machine {how.name:8} {times:10} ends {last['state']}, {last['port_screw']} of duty"
    assert driven and process.returncode == 0 and "Traceback" not in errors, (row, errors)
    assert last["port_screw"] == "0" and "every output is at rest" in errors, (row, errors)
    return row


def test_a_machine_ends_at_rest_whatever_signals_come(tmp_path: Path) -> None:
    cases = [(how, times) for how in SIGNALS for times in OFTEN]
    with ThreadPoolExecutor(3) as several:
        print("\n" + "\n".join(several.map(lambda case: one_machine(tmp_path, *case), cases)))


def test_the_end_of_a_program_and_of_a_connection_nobody_holds_disarm(tmp_path: Path) -> None:
    link_file = write(tmp_path, "link.toml", WIRED_TEXT)
    head = CONNECTED[: CONNECTED.index("time.sleep(60)")]
    endings = ("sys.exit(3)", "raise RuntimeError('slip')", "")
    ends = [FarEnd(WIRED) for _ in endings]
    started = [
        start(link_file, far.port, program=head + ending) for far, ending in zip(ends, endings, strict=True)
    ]
    for far, process, ending in zip(ends, started, endings, strict=True):
        process.communicate(timeout=30)
        far.close()
        last_on = max(at for at, arm in far.arms if arm)
        assert len([at for at, _ in far.arms if at > last_on]) > 3, ending
    far = FarEnd(WIRED)
    connection = nuvrik.connect(link_file, far.port)
    connection.arm()
    driver = connection._driver
    del connection
    gc.collect()
    end = time.monotonic() + 10
    while driver.running and time.monotonic() < end:
        time.sleep(0.02)
    assert not driver.running and far.arms[-1][1] == 0
    count = len(far.arms)
    time.sleep(0.3)
    assert len(far.arms) == count, "it sends nothing any more"
    far.close()


class Wire:
    """A line in this process: what is written is kept, what is to be read is given."""

    stream = True

    def __init__(self) -> None:
        self.sent, self.reading = bytearray(), b""

    def read(self) -> bytes:
        data, self.reading = self.reading, b""
        time.sleep(0.001)
        return data

    def write(self, data: bytes) -> bool:
        self.sent += data
        return True

    def another(self) -> bool:
        return False

    def accepted(self, *, drives: bool) -> None:
        pass


def test_a_farewell_is_whole_and_outputs_rest_whatever_those_raise_who_look_on() -> None:
    line, frames = Wire(), [(300, {"arm_button": 1}), (400, {"arm_button": 0}), (700, {"left_stick": 1})]
    recording = play(WIRED, frames, 60_000, seed=1)
    asked = 0

    def told(now_ms: int, played_ms: int, handset: nuvrik.Handset) -> None:
        nonlocal asked
        asked += 1
        if now_ms > 1500:
            raise OSError("the status line has gone away")

    with pytest.raises(OSError, match="status line"):
        run_handset(WIRED, line, recording, told)
    arms = [event.values[2] for event in nuvrik.Decoder(WIRED).feed(bytes(line.sent))]
    assert arms.index(1) and arms[-15:] == [0] * 15, "the whole farewell"

    encoder, sequence = Encoder(WIRED), 0
    machine_line, seen = Wire(), []

    def watch(t_ms: int, machine: nuvrik.Machine) -> None:
        nonlocal sequence
        seen.append([demand.value for demand in machine.demands])
        sequence += 1
        values = [16384 if sequence > 40 else 0, 0, int(sequence > 20)]
        machine_line.reading = encoder.on_wire(encoder.command(values, sequence & 0xFF))
        if seen[-1][0] > 200:
            raise OSError(28, "no space left on device")

    with pytest.raises(OSError, match="no space"):
        run_machine(WIRED, machine_line, watch, 60_000)
    assert max(row[0] for row in seen) > 200 and seen[-1] == [0, 0], "told every tick until all is at rest"
    assert len(seen) - 41 >= 5


def test_a_hook_that_blocks_is_named_and_what_queued_up_meanwhile_is_thrown_away() -> None:
    from links import PANEL_SERIAL

    link, said = PANEL_SERIAL, []
    encoder, line = Encoder(link, stream=True), Wire()
    names = list(link.channels)
    machine_seen: list[nuvrik.Machine] = []
    blocked = False

    def watch(t_ms: int, machine: nuvrik.Machine) -> None:
        nonlocal blocked
        machine_seen[:] = [machine]
        if not blocked and t_ms > 300:
            blocked = True
            time.sleep(link.failsafe.timeout_ms / 1000 + 0.1)
            line.reading = b"".join(encoder.on_wire(encoder.command([0] * len(names), i)) for i in range(40))

    run_machine(link, line, watch, 1500, warn=said.append)
    assert machine_seen[0].counts["queued_up"] == 40 and machine_seen[0].counts["accepted"] == 0
    assert not said, "that was not a hook"


def test_a_watchdog_is_a_device_and_is_only_let_go_by_a_machine_at_rest(tmp_path: Path) -> None:
    far, dog = FarEnd(WIRED), FarEnd(WIRED)
    link_file = write(tmp_path, "link.toml", WIRED_TEXT)
    process = start("machine", link_file, "--port", far.port, "--for-s", 1, "--watchdog", link_file)
    assert "is no device" in process.communicate(timeout=20)[1] and process.returncode == 2
    assert link_file.read_text() == WIRED_TEXT
    missing = tmp_path / "none"
    process = start("machine", link_file, "--port", far.port, "--for-s", 1, "--watchdog", missing)
    assert "no such file" in process.communicate(timeout=20)[1] and process.returncode == 2
    dog._running = False
    dog._thread.join()
    process = start("machine", link_file, "--port", far.port, "--for-s", 1, "--watchdog", dog.port)
    process.communicate(timeout=20)
    kept = os.read(dog.master, 4096)
    assert process.returncode == 0 and kept.endswith(b"\0V") and set(kept[:-1]) == {0}
    far.close()
    dog.close()


def test_values_that_cannot_be_are_refused_at_once(tmp_path: Path) -> None:
    far = FarEnd(WIRED)
    with nuvrik.connect(write(tmp_path, "link.toml", WIRED_TEXT), far.port) as link:
        for values in ({"throttle": True}, {"throttle": float("nan")}, {"throttle": 1.5}, {"throttle": "x"}):
            with pytest.raises(ValueError):
                link.set(**values)
        for for_s in (float("nan"), -1.0, float("-inf")):
            with pytest.raises(ValueError, match="for_s"):
                link.set(throttle=0.1, for_s=for_s)
        with pytest.raises(nuvrik.LinkError):
            link.hello(wait_s=0.2)
    with pytest.raises(nuvrik.LinkError, match="closed"):
        link.hello(wait_s=0.2)
    far.close()
    handset = nuvrik.Handset(TUG)
    for value in ("x", True):
        with pytest.raises(TypeError):
            handset.put(0, "throttle", value)  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="must be from"):
        handset.put(0, "throttle", 1.01)


def test_a_board_on_a_one_way_link_is_given_its_time_to_start(tmp_path: Path) -> None:
    text = WIRED_TEXT.replace("[link]", "[link]\nsettle_ms = 1500", 1)
    far, began = FarEnd(WIRED), time.monotonic()
    with nuvrik.connect(write(tmp_path, "link.toml", text), far.port) as link:
        link.arm()
        first_on = next(at for at, arm in far.arms if arm)
        assert first_on - began > 1.5, "not before the board runs"
        link.stop()
        with pytest.raises(nuvrik.LinkError, match="closed"):
            link.close()
            link.arm()
    far.close()
