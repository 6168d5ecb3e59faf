"""Firmware driven live: an emulated chip and a process in C, each on a real pseudo-terminal."""

import contextlib
import csv
import re
import shutil
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest
from chips import emulator, needs_a_chip
from links import write
from terminals import Cable, cable, ended, start
from test_chip import full_ahead

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.export.on_arm import COMPILER, EMULATOR
from nuvrik.export.on_avr import built
from nuvrik.export.wanted import Wanted
from nuvrik.plan.starters import starter_text

pytestmark = [needs_a_chip, pytest.mark.live]

STAND_IN = Path(__file__).with_name("chips.py")
SLACK_MS = 400
"""For three processes that share a busy processor."""


class Board:
    """An emulated chip on a pseudo-terminal, in a process of its own; it says when its pins go on and off."""

    def __init__(self, link_file: Path, folder: Path) -> None:
        program = built(Wanted(nuvrik.load(link_file), link_file.name, "atmega328p"), folder)
        words = [sys.executable, str(STAND_IN), str(program), str(emulator()), str(link_file)]
        self._process = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
        self.port = self._said()

    def _said(self) -> str:
        assert self._process.stdout is not None
        return self._process.stdout.readline().strip()

    def wait(self, word: str) -> int:
        """Wait until it says so; at which millisecond of its own time it did."""
        while (said := self._said()).split(" ")[0] != word:
            assert said, "the chip has ended"
        return int(said.split(" ")[1])

    def close(self) -> None:
        self._process.kill()
        self._process.communicate()


@pytest.fixture
def tug(tmp_path: Path) -> Path:
    return write(tmp_path, "tug.toml", starter_text("tug"))


def test_a_board_on_a_cable_is_driven_and_stops_when_its_host_is_killed(tug: Path, tmp_path: Path) -> None:
    folder = tmp_path / "firmware"
    folder.mkdir()
    link = nuvrik.load(tug)
    with contextlib.closing(Board(tug, folder)) as board:
        said = nuvrik_says("hello", tug, "--port", board.port, "--for-s", 10)
        assert "built from this file" in said and "started by power" in said
        older = write(tmp_path, "older.toml", tug.read_text().replace("ramp_ms = 250", "ramp_ms = 300", 1))
        assert "outputs" in nuvrik_says("hello", older, "--port", board.port, "--for-s", 10, code=1)
        recording = "".join(line + "\n" for line in full_ahead(link, 60).csv_lines())
        ahead = write(tmp_path, "ahead.csv", recording)
        handset = start("drive", tug, "--port", board.port, "--from", ahead, "--headless")
        board.wait("on")
        time.sleep(0.5)
        handset.send_signal(signal.SIGKILL)
        handset.wait()
        heard = board.wait("silent")
        assert board.wait("off") - heard <= stop_bound(link).worst_ms + SLACK_MS
        with nuvrik.connect(tug, board.port) as connected:
            connected.arm()
            connected.set(throttle=0.5, for_s=20)
            board.wait("on")
        board.wait("off")


def nuvrik_says(*words: object, code: int = 0) -> str:
    done = start(*words)
    said, errors = done.communicate(timeout=60)
    assert done.returncode == code, said + errors
    return said


def rows(log: Path) -> list[tuple[int, int, int]]:
    with contextlib.suppress(FileNotFoundError, ValueError), log.open(newline="") as file:
        return [(int(row["t_ms"]), int(row["pin"]), int(row["level"])) for row in csv.DictReader(file)]
    return []


def wait_for_pin(log: Path, pin: int, wanted, after_ms: int = 0) -> int:
    """When a pin was first set so; the log is written as it goes."""
    end = time.monotonic() + 20
    while time.monotonic() < end:
        for t_ms, number, level in rows(log):
            if number == pin and t_ms > after_ms and wanted(level):
                return t_ms
        time.sleep(0.02)
    raise AssertionError(f"pin {pin}: {rows(log)[-20:]}")


def test_a_process_in_c_is_a_machine(tug: Path, tmp_path: Path) -> None:
    with cable() as line:
        nuvrik_says("export", tug, "--out", tmp_path / "fw", "--board", "posix")
        subprocess.run(["make", "-C", str(tmp_path / "fw")], check=True, capture_output=True)
        log = tmp_path / "pins.csv"
        words = [str(tmp_path / "fw" / "nuvrik_machine"), "--port", line.ports[1], "--log", str(log)]
        machine = subprocess.Popen(words, stderr=subprocess.PIPE, text=True)
        try:
            lives(machine, line, tug, tmp_path, log)
        finally:
            machine.kill()
            machine.communicate()


def lives(machine: subprocess.Popen[str], line: Cable, tug: Path, tmp_path: Path, log: Path) -> None:
    link = nuvrik.load(tug)
    pwm = link.outputs["port_screw"].pins["pwm"]
    ahead = write(tmp_path, "a.csv", "".join(row + "\n" for row in full_ahead(link, 60).csv_lines()))
    handset = start("drive", tug, "--port", line.ports[0], "--from", ahead, "--headless")
    wait_for_pin(log, pwm, lambda level: level == 230)
    handset.send_signal(signal.SIGKILL)
    handset.wait()
    # The process has the same clock.
    killed_ms = int(1000 * time.monotonic()) % (1 << 32)
    off_ms = wait_for_pin(log, pwm, lambda level: level == 0, after_ms=killed_ms)
    assert off_ms - killed_ms <= stop_bound(link).worst_ms + SLACK_MS
    again = start("drive", tug, "--port", line.ports[0], "--from", ahead, "--headless")
    on_ms = wait_for_pin(log, pwm, lambda level: level == 230, after_ms=off_ms)
    machine.send_signal(signal.SIGTERM)
    assert machine.wait(timeout=20) == 0
    levels = [level for t_ms, pin, level in rows(log) if pin == pwm and t_ms > on_ms]
    assert levels[-1] == 0 and len(levels) > 3, "it comes to rest by its ramp before it leaves"
    assert ended(again, signal.SIGTERM)[0] == 0


def test_a_handset_in_c_that_is_asked_to_leave_does(tug: Path, tmp_path: Path) -> None:
    folder = tmp_path / "hand"
    with cable() as line:
        nuvrik_says("export", tug, "--out", folder, "--board", "posix", "--end", "handset")
        subprocess.run(["make", "-C", str(folder)], check=True, capture_output=True)
        program = subprocess.Popen([str(folder / "nuvrik_handset"), "--port", line.ports[0]])
        try:
            time.sleep(0.3)
            program.send_signal(signal.SIGTERM)
            assert program.wait(timeout=20) == 0
        finally:
            program.kill()
            program.wait()


class Cortex:
    """Firmware on an emulated Cortex-M3, its line behind a socket, its pins in its memory."""

    def __init__(self, program: Path) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            place = f"127.0.0.1:{free.getsockname()[1]}"
        self.port = f"socket://{place}"
        words = [EMULATOR, "-M", "mps2-an385", "-display", "none", "-monitor", "stdio"]
        words += ["-serial", f"tcp:{place},server=on,wait=off"]
        # Its clock goes by what it has executed: where the computer stands still its watchdog does too.
        words += ["-icount", "shift=auto"]
        self._process = subprocess.Popen(
            [*words, "-kernel", str(program)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self._said("(monitor)")
        names = subprocess.run(["nm", str(program)], check=True, capture_output=True, text=True).stdout
        found = re.search(r"(\w+) \w board_pins$", names, re.MULTILINE)
        assert found is not None
        self._pins = int(found[1], 16)

    def _said(self, pattern: str) -> str:
        assert self._process.stdout is not None
        while line := self._process.stdout.readline():
            if found := re.search(pattern, line):
                return found[1]
        raise AssertionError("the emulator has ended")

    def pin(self, number: int) -> int:
        """What a pin is at."""
        assert self._process.stdin is not None
        self._process.stdin.write(f"xp /1hx {self._pins + 2 * number:#x}\n")
        self._process.stdin.flush()
        return int(self._said(r"^[0-9a-f]+: 0x([0-9a-f]+)"), 16)

    def wait(self, number: int, wanted) -> None:
        """Until a pin is so."""
        end = time.monotonic() + 20
        while not wanted(self.pin(number)):
            assert time.monotonic() < end, self.pin(number)
            time.sleep(0.02)

    def close(self) -> None:
        self._process.kill()
        self._process.communicate()


@pytest.mark.skipif(not (shutil.which(COMPILER) and shutil.which(EMULATOR)), reason="make toolchain")
def test_a_board_of_32_bits_is_driven_and_stops_when_its_host_is_killed(tug: Path, tmp_path: Path) -> None:
    link, folder = nuvrik.load(tug), tmp_path / "cortex"
    nuvrik_says("export", tug, "--out", folder, "--board", "cortex_m3", "--wire")
    subprocess.run(["make", "-C", str(folder)], check=True, capture_output=True)
    pwm = link.outputs["port_screw"].pins["pwm"]
    ahead = write(tmp_path, "a.csv", "".join(row + "\n" for row in full_ahead(link, 60).csv_lines()))
    with contextlib.closing(Cortex(folder / "firmware.elf")) as board:
        said = nuvrik_says("hello", tug, "--port", board.port, "--for-s", 10)
        assert "built from this file" in said and board.pin(pwm) == 0
        handset = start("drive", tug, "--port", board.port, "--from", ahead, "--headless")
        board.wait(pwm, lambda level: level == 230)
        handset.send_signal(signal.SIGKILL)
        handset.wait()
        board.wait(pwm, lambda level: level == 0)
        assert "frames: " in nuvrik_says("hello", tug, "--port", board.port, "--for-s", 10)
