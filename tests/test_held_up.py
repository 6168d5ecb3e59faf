"""Either end held up for seconds while hands go on: what queued up meanwhile moves nothing."""

import signal
import subprocess
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from links import write
from terminals import cable, rows_of, start, wait_for
from test_sources import command, until

from nuvrik.plan.starters import starter_text

pytestmark = pytest.mark.live

HELD_UP_S = 1.5
MOTORS = "def port(demand):\n    pass\nOUTPUTS = {'port_screw': port}\n"


class Rows:
    """A program that writes rows into `drive --from -` without a pause, whether they are read or not."""

    def __init__(self, drive: subprocess.Popen[bytes]) -> None:
        assert drive.stdin is not None
        self._pipe = drive.stdin
        self.row = "508,508,0"
        self._on = True
        self._thread = threading.Thread(target=self._write, daemon=True)
        self._thread.start()

    def _write(self) -> None:
        while self._on:
            try:
                self._pipe.write(f"{self.row}\n".encode())
                self._pipe.flush()
            except (OSError, ValueError):
                return
            time.sleep(0.005)

    def end(self) -> None:
        self._on = False


@contextmanager
def both_ends(folder: Path) -> Iterator[tuple[subprocess.Popen[bytes], subprocess.Popen[str], Rows, Path]]:
    """A machine with motors of its own and a handset that a program drives, full ahead."""
    link_file = write(folder, "tug.toml", starter_text("tug"))
    code, log = write(folder, "motors.py", MOTORS), folder / "log.csv"
    with cable() as line:
        words = ("--port", line.ports[1], "--log", log, "--code", code)
        machine = start("machine", link_file, *words)
        until(log.exists)
        words = ("--port", line.ports[0], "--from", "-", "--headless")
        drive = command("drive", link_file, *words, stdin=subprocess.PIPE, stderr=subprocess.PIPE)
        assert drive.stdin is not None
        drive.stdin.write(b"left_stick,right_stick,arm_button\n")
        rows = Rows(drive)
        wait_for(log, lambda row: row["state"] == "STANDBY")
        rows.row = "508,508,1"
        wait_for(log, lambda row: row["state"] == "ARMED")
        rows.row = "1023,508,0"
        wait_for(log, lambda row: int(row["port_screw"]) > 200)
        yield drive, machine, rows, log
        rows.end()
        drive.terminate()
        machine.terminate()
        machine.wait(20)
        drive.wait(20)


@pytest.mark.parametrize("who", ["handset", "machine"])
def test_what_queued_up_while_an_end_was_held_up_moves_nothing(tmp_path: Path, who: str) -> None:
    """The rows, and the frames, of that time lie in full buffers when it goes on."""
    with both_ends(tmp_path) as (drive, machine, rows, log):
        held = drive if who == "handset" else machine
        held.send_signal(signal.SIGSTOP)
        # Whoever did now what lies in the buffers would see a stick that comes to rest, and then full ahead.
        rows.row = "508,508,0"
        time.sleep(HELD_UP_S)
        rows.row = "1023,508,0"
        time.sleep(HELD_UP_S)
        before = len(rows_of(log))
        held.send_signal(signal.SIGCONT)
        wait_for(log, lambda row: row["state"] == "FAILSAFE" and row["port_screw"] == "0")
        time.sleep(1.5)
        after = rows_of(log)[before:]
        assert after and after[-1]["state"] != "ARMED" and after[-1]["port_screw"] == "0"
        silent = [row for row in rows_of(log) if row["state"] == "FAILSAFE"]
        falls = [int(row["port_screw"]) for row in silent]
        assert falls == sorted(falls, reverse=True), "it only ever ran down"
