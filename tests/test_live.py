"""Two real processes over real pseudo-terminals, and everything that can happen to the line between."""

import fcntl
import os
import pty
import signal
import socket
import struct
import subprocess
import sys
import termios
import time
from pathlib import Path

import pytest
from links import TUG, WIRED, WIRED_TEXT, write
from terminals import Cable, cable, ended, rows_of, start, wait_for

from nuvrik.budget.stop import stop_bound
from nuvrik.recordings.pilot import play
from nuvrik.wire.frames import Encoder

pytestmark = pytest.mark.live

SCREWS = ("port_screw", "starboard_screw")
SLACK_MS = 300
"""For two processes that share a busy processor with other tests; the bound itself is near 670 ms."""


def moving(row: dict[str, str]) -> bool:
    return any(row[screw] != "0" for screw in SCREWS)


def full_ahead(tmp_path: Path, link=TUG, seconds: int = 60) -> Path:
    """A recording that arms after half a second and holds the stick hard ahead from one second on."""
    frames = [
        (500, {"arm_button": 1}),
        (600, {"arm_button": 0}),
        (900, {"left_stick": 0}),
        (1000, {"left_stick": 1}),
    ]
    text = "".join(line + "\n" for line in play(link, frames, 1000 * seconds, seed=1).csv_lines())
    return write(tmp_path, "ahead.csv", text)


@pytest.fixture
def line():
    with cable() as made:
        yield made


def under_way(tmp_path: Path, line: Cable, link_file: Path, recording: Path):
    """Both ends running, the motors turning at full, and never a stop until then."""
    log = tmp_path / "log.csv"
    machine = start("machine", link_file, "--port", line.ports[1], "--log", log)
    # A machine that starts late would find arm on already, and rightly not follow.
    end = time.monotonic() + 15
    while not log.exists() and time.monotonic() < end:
        time.sleep(0.02)
    handset = start("drive", link_file, "--port", line.ports[0], "--from", recording, "--headless")
    full = wait_for(log, lambda row: row["port_screw"] == "230" and row["starboard_screw"] == "-230")
    # The one is mounted the other way round; both go forward.
    assert full["port_screw.percent"] == full["starboard_screw.percent"] == "100"
    assert "FAILSAFE" not in {row["state"] for row in rows_of(log)}
    return handset, machine, log


def disarmed_after_driving(log: Path) -> None:
    armed = wait_for(log, lambda row: row["state"] == "ARMED")
    wait_for(
        log,
        lambda row: row["state"] == "STANDBY" and not moving(row) and int(row["t_ms"]) > int(armed["t_ms"]),
    )


@pytest.mark.parametrize("text", [None, WIRED_TEXT], ids=["radio", "serial"])
def test_killing_the_handset_stops_the_machine_within_the_bound(
    tmp_path: Path, line: Cable, text: str | None
) -> None:
    link_file = (
        write(tmp_path, "link.toml", text)
        if text
        else Path(__file__).parents[1] / "src/nuvrik/plan/starters/tug.toml"
    )
    handset, machine, log = under_way(tmp_path, line, link_file, full_ahead(tmp_path))
    killed = time.monotonic()
    handset.send_signal(signal.SIGKILL)
    handset.wait()
    tripped = wait_for(log, lambda row: row["state"] == "FAILSAFE")
    at_rest = wait_for(log, lambda row: row["state"] == "FAILSAFE" and not moving(row))
    assert 1000 * (time.monotonic() - killed) < stop_bound(WIRED if text else TUG).worst_ms + SLACK_MS
    assert tripped["why"] == "no drive frame for 400 ms"
    # From noticing to rest: the ramp.
    assert int(at_rest["t_ms"]) - int(tripped["t_ms"]) <= 250 + SLACK_MS
    assert ended(machine, signal.SIGINT)[0] == 0
    after = rows_of(log)
    assert not any(moving(row) for row in after[after.index(at_rest) :])


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM])
def test_interrupting_the_handset_disarms_before_it_leaves(
    tmp_path: Path, line: Cable, how: signal.Signals
) -> None:
    handset, machine, log = under_way(
        tmp_path, line, write(tmp_path, "link.toml", WIRED_TEXT), full_ahead(tmp_path, WIRED)
    )
    code, said = ended(handset, how)
    assert code == 0 and "arm off" in said
    # It went through STANDBY, by a frame that said so, and not through FAILSAFE.
    disarmed_after_driving(log)
    assert "FAILSAFE" not in [row["state"] for row in rows_of(log)]
    assert ended(machine, signal.SIGINT)[0] == 0


def test_interrupting_the_machine_brings_it_to_rest_first(tmp_path: Path, line: Cable) -> None:
    handset, machine, log = under_way(
        tmp_path, line, write(tmp_path, "link.toml", WIRED_TEXT), full_ahead(tmp_path, WIRED)
    )
    code, said = ended(machine, signal.SIGTERM)
    assert code == 0 and "at rest" in said
    assert not moving(rows_of(log)[-1])
    assert ended(handset, signal.SIGINT)[0] == 0


def test_the_status_says_why_a_machine_does_not_move_that_says_nothing_itself(tmp_path: Path) -> None:
    """A stick is held while arm is switched on, which the handset may send and no machine follows."""
    link_file, log = write(tmp_path, "wired.toml", WIRED_TEXT), tmp_path / "log.csv"
    moves = [(300, {"left_stick": 1}), (600, {"arm_button": 1}), (700, {"arm_button": 0})]
    rows = play(WIRED, moves, 60_000, 1).csv_lines()
    recording = write(tmp_path, "held.csv", "".join(f"{row}\n" for row in rows))
    ours, theirs = pty.openpty()
    fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", 24, 120, 0, 0))
    with cable() as line:
        machine = start("machine", link_file, "--port", line.ports[1], "--log", log)
        wait_for(log, lambda row: row["state"] == "WAITING")
        words = ("drive", link_file, "--port", line.ports[0], "--from", recording)
        drive = subprocess.Popen(
            [sys.executable, "-m", "nuvrik", *map(str, words)],
            stderr=theirs,
        )
        shown, end = b"", time.monotonic() + 20
        while b"left_stick is not" not in shown and time.monotonic() < end:
            shown += os.read(ours, 65536)
        wait_for(log, lambda row: row["state"] == "STANDBY" and row["why"] == "left_stick is not at rest")
        drive.terminate()
        assert drive.wait(20) == 0 and ended(machine, signal.SIGTERM)[0] == 0
    assert b"to a machine in STANDBY: left_stick is not at rest" in shown


def test_a_pulled_cable_and_its_return(tmp_path: Path, line: Cable) -> None:
    """The stick is still hard ahead when the frames come back, so nothing moves."""
    handset, machine, log = under_way(
        tmp_path, line, write(tmp_path, "link.toml", WIRED_TEXT), full_ahead(tmp_path, WIRED)
    )
    line.whole = False
    wait_for(log, lambda row: row["state"] == "FAILSAFE" and not moving(row))
    line.whole = True
    held = wait_for(log, lambda row: row["why"] == "left_stick is not at rest")
    assert held["state"] == "FAILSAFE" and not moving(held)
    time.sleep(0.3)
    assert not moving(rows_of(log)[-1])
    ended(handset, signal.SIGKILL)
    ended(machine, signal.SIGKILL)


def test_ports_that_are_not_there(tmp_path: Path) -> None:
    link_file, recording = write(tmp_path, "link.toml", WIRED_TEXT), full_ahead(tmp_path, WIRED)
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        nobody = f"socket://127.0.0.1:{unused.getsockname()[1]}"
        for port in ("/dev/ttyNONE9", nobody, str(tmp_path), "nonsense://x", ""):
            both = [
                start(words[0], link_file, "--port", port, *words[1:])
                for words in (["machine"], ["drive", "--from", recording])
            ]
            for process in both:
                code, said = ended(process)
                assert code == 2 and "cannot be opened" in said, (port, said)
    code, said = ended(start("machine", link_file, "--port", "loop://", "--log", link_file))
    assert code == 2 and "would be written over" in said and link_file.read_text() == WIRED_TEXT


def test_over_tcp_and_a_port_that_goes_away(tmp_path: Path) -> None:
    """The machine end reads a TCP connection that closes while the motors turn."""
    link_file, log = write(tmp_path, "link.toml", WIRED_TEXT), tmp_path / "log.csv"
    encoder = Encoder(WIRED)
    with socket.create_server(("127.0.0.1", 0)) as server:
        machine = start(
            "machine", link_file, "--port", f"socket://127.0.0.1:{server.getsockname()[1]}", "--log", log
        )
        peer, _ = server.accept()
        for i in range(140):
            # What queues up while the program starts counts as one frame, so it is given time.
            peer.sendall(encoder.on_wire(encoder.command([16384 if i > 100 else 0, 0, int(i > 60)], i)))
            time.sleep(0.02)
        wait_for(log, moving)
        peer.close()
        code, said = ended(machine)
    assert code == 2 and "has gone away" in said
    assert rows_of(log)[-1]["state"] == "FAILSAFE" and not moving(rows_of(log)[-1])


def test_a_handset_whose_port_goes_away_says_so(tmp_path: Path) -> None:
    link_file = write(tmp_path, "link.toml", WIRED_TEXT)
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = f"socket://127.0.0.1:{server.getsockname()[1]}"
        handset = start("drive", link_file, "--port", port, "--from", full_ahead(tmp_path, WIRED))
        peer, _ = server.accept()
        assert len(peer.recv(10)) > 0
        peer.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, b"\1\0\0\0\0\0\0\0")
        peer.close()
        code, said = ended(handset)
    assert code == 2 and "has gone away" in said


def test_a_recording_that_ends_ends_disarmed_and_nobody_listening_is_no_harm(
    tmp_path: Path, line: Cable
) -> None:
    recording = full_ahead(tmp_path, WIRED, seconds=2)
    log, link_file = tmp_path / "log.csv", write(tmp_path, "link.toml", WIRED_TEXT)
    machine = start("machine", link_file, "--port", line.ports[1], "--log", log)
    assert ended(start("drive", link_file, "--port", line.ports[0], "--from", recording))[0] == 0
    disarmed_after_driving(log)
    assert ended(machine, signal.SIGINT)[0] == 0
    assert ended(start("machine", link_file, "--port", "loop://", "--for-s", 0.2))[0] == 0
