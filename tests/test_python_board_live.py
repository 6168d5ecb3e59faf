"""Exports in MicroPython and in Python alone, driven live: on real pseudo-terminals, by other processes,
which are killed."""

import contextlib
import itertools
import os
import random
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from links import write
from python_chips import MICROPYTHON, TUG, Row, around, exported, needs_micropython, powered, rows_of
from terminals import Cable, cable, start
from test_board_live import nuvrik_says
from test_chip import full_ahead

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.plan.starters import starter_text

pytestmark = [pytest.mark.live]


class Board:
    """An export on the interpreter for Unix, on one end of a cable, as a stand-in for a board."""

    def __init__(self, folder: Path, line: Cable) -> None:
        self.folder, self.pins, self._line = folder, folder / "pins.csv", line
        self.said = folder / "said.txt"
        self._process: subprocess.Popen[bytes] | None = None
        self.power(cause=1)

    def power(self, cause: int) -> None:
        """Power comes, or a watchdog has bitten."""
        self.off()
        surroundings = around(
            self.folder, virtual=False, pins=self.pins, line=self._line.ports[1], cause=cause
        )
        words = [MICROPYTHON, "-X", "heapsize=256K", str(self.folder / "main.py")]
        with self.said.open("ab") as said:
            self._process = subprocess.Popen(
                words, env=surroundings, cwd=self.folder, stdout=said, stderr=said
            )
        self.wait(lambda rows: any(row.what == "alive" for row in rows))

    def off(self) -> None:
        """Power goes."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self.pins.unlink()

    def wait(self, wanted: Callable[[list[Row]], bool], seconds: float = 20) -> list[Row]:
        """Wait until something is true of what has been done to pins."""
        end = time.monotonic() + seconds
        while not wanted(rows := rows_of(self.pins)):
            assert time.monotonic() < end, (self.said.read_text(), rows[-20:])
            time.sleep(0.02)
        return rows

    def wait_on(self) -> None:
        """Until a motor turns."""
        self.wait(lambda rows: bool(powered(TUG, rows)) and powered(TUG, rows)[-1][1])

    def wait_off(self) -> list[Row]:
        """Until none does."""
        return self.wait(lambda rows: not powered(TUG, rows)[-1][1])


@contextlib.contextmanager
def boarded(folder: Path, main: dict[str, str] | None = None) -> Iterator[tuple[Board, Cable]]:
    exported(TUG, folder, own=main)
    with cable() as line:
        board = Board(folder, line)
        try:
            yield board, line
        finally:
            board.off()


def held_up_ms(rows: list[Row], since_ms: float, until_ms: float) -> float:
    """For how long the stand-in itself stood still, because its computer was busy with something else."""
    fed = [
        since_ms,
        *(row.t_ms for row in rows if row.what == "alive" and since_ms < row.t_ms < until_ms),
        until_ms,
    ]
    return sum(max(0, after - before - TUG.tick_ms) for before, after in itertools.pairwise(fed))


def check_stop(rows: list[Row], heard_ms: float) -> None:
    """Every motor was off within the bound after what was heard last."""
    off_ms, on = powered(TUG, rows)[-1]
    bound_ms = stop_bound(TUG).worst_ms + held_up_ms(rows, heard_ms, off_ms)
    assert not on and off_ms - heard_ms <= bound_ms + 2, (heard_ms, off_ms, bound_ms)


@needs_micropython
def test_a_board_in_micropython_is_driven_and_stops_when_its_host_is_killed(tmp_path: Path) -> None:
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    with boarded(tmp_path / "firmware") as (board, line):
        said = nuvrik_says("hello", tug, "--port", line.ports[0], "--for-s", 10)
        assert "built from this file" in said and "started by power" in said
        text = "".join(one + "\n" for one in full_ahead(TUG, 60).csv_lines())
        ahead = write(tmp_path, "ahead.csv", text)
        handset = start("drive", tug, "--port", line.ports[0], "--from", ahead, "--headless")
        board.wait_on()
        time.sleep(0.5)
        handset.send_signal(signal.SIGKILL)
        handset.wait()
        rows = board.wait_off()
        off_ms = powered(TUG, rows)[-1][0]
        check_stop(rows, max(row.t_ms for row in rows if row.what == "heard" and row.t_ms < off_ms))
        # And again; and then garbage in place of frames, as fast as the line takes it.
        with nuvrik.connect(tug, line.ports[0]) as connected:
            connected.arm()
            connected.set(throttle=0.5, for_s=20)
            board.wait_on()
            line.whole = False
            rng = random.Random(1)
            for _ in range(150):
                with contextlib.suppress(BlockingIOError):
                    os.write(line.masters[1], rng.randbytes(60))
                time.sleep(0.01)
            rows = board.wait_off()
            assert len(powered(TUG, rows)) == 5


BLOCKS = """
import nuvrik
ticks = 0
def before_outputs():
    global ticks
    ticks += link.end.machine.watch.state == 2
    while ticks > 100:
        pass
link = nuvrik.start()
link.before_outputs = before_outputs
link.run()
"""


@needs_micropython
def test_a_function_that_never_comes_back_is_the_watchdogs(tmp_path: Path) -> None:
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    with boarded(tmp_path / "firmware", {"main.py": BLOCKS}) as (board, line):
        with nuvrik.connect(tug, line.ports[0]) as connected:
            connected.arm()
            connected.set(throttle=0.5, for_s=20)
            board.wait_on()
            # A chip's watchdog, from outside: nobody has fed it, so power goes from every pin.
            before, since = -1, time.monotonic()
            while time.monotonic() - since < 1.0:
                fed = len([row for row in rows_of(board.pins) if row.what == "alive"])
                if fed != before:
                    before, since = fed, time.monotonic()
                time.sleep(0.05)
            board.power(cause=3)
        first = [row for row in rows_of(board.pins) if row.what in ("pin", "duty")]
        assert first and not any(row.value for row in first)
        said = nuvrik_says("hello", tug, "--port", line.ports[0], "--for-s", 10)
        assert "watchdog" in said


# ---- in Python alone ----

PROCESS = """
import sys, time
log = open({log!r}, "w")
calls = 0
def tell(pin, told):
    global calls
    calls += told.way != 0
    if {fails}:
        {what}
    log.write("%d,duty,%d,%d\\n" % (time.monotonic() * 1e6, pin, told.value * (told.way != 0)))
    log.flush()
def port_screw(told):
    tell(5, told)
def starboard_screw(told):
    tell(6, told)
import nuvrik
link = nuvrik.start()
link.run()
"""


class Process:
    """An export for a small computer, run by Python with nothing else installed."""

    def __init__(
        self, link: nuvrik.Link, folder: Path, port: str, fails: str = "False", what: str = "pass"
    ) -> None:
        self.log = folder / "pins.csv"
        main = PROCESS.format(log=str(self.log), fails=fails, what=what)
        exported(
            link, folder, "posix", own={"main.py": main}, packets=link.medium.datagrams and "udp" in port
        )
        words = [sys.executable, "-S", str(folder / "main.py"), "--port", port]
        self.process = subprocess.Popen(words, cwd="/", stderr=subprocess.PIPE, text=True)

    def wait(self, wanted: bool, seconds: float = 20) -> list[Row]:
        """Until a motor turns, or none does."""
        end = time.monotonic() + seconds
        while True:
            rows = rows_of(self.log)
            times = powered(TUG, rows)
            if times and times[-1][1] == wanted:
                return rows
            assert time.monotonic() < end and self.process.poll() is None, rows[-10:]
            time.sleep(0.02)

    def close(self) -> None:
        self.process.kill()
        self.process.communicate()


@pytest.mark.parametrize(
    ("fails", "what", "says"),
    [
        ("False", "pass", ""),
        (
            "calls == 4 and told.way",
            'raise OSError("no answer from the driver")',
            "no answer from the driver",
        ),
        ("calls == 4 and told.way", "time.sleep(30)", "it took longer than 250 ms"),
    ],
)
def test_a_small_computer_is_a_machine_and_stops(fails: str, what: str, says: str, tmp_path: Path) -> None:
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    with (
        cable() as line,
        contextlib.closing(Process(TUG, tmp_path / "firmware", line.ports[1], fails, what)) as machine,
    ):
        driver = start(tug, line.ports[0], program=DRIVES)
        if not says:
            machine.wait(True)
            driver.kill()
        rows = machine.wait(False) if not says else None
        if says:
            # It fails once, on the fourth call; that stops the machine, and it is asked again, and told rest.
            end = time.monotonic() + 20
            while not (rows := rows_of(machine.log)) or len(powered(TUG, rows)) < 3:
                assert time.monotonic() < end, rows
                time.sleep(0.02)
        assert rows and not powered(TUG, rows)[-1][1]
        driver.kill()
        machine.process.send_signal(signal.SIGTERM)
        _, errors = machine.process.communicate(timeout=20)
        assert machine.process.returncode == 0 and says in errors
        assert bool(says) == ("Traceback" in errors)


DRIVES = """
import sys, time, nuvrik
with nuvrik.connect(sys.argv[1], sys.argv[2]) as tug:
    tug.arm()
    tug.set(throttle=0.5, for_s=30)
    time.sleep(30)
"""


def test_a_small_computer_answers_datagrams(tmp_path: Path) -> None:
    """Only whoever sent the last frame that was accepted; and a datagram that is none changes nothing."""
    text = starter_text("tug")
    begin = text.index("[medium]")
    end = text.index("\n[", begin)
    text = f'{text[:begin]}[medium]\nkind = "udp"\n{text[end:]}'
    tug = write(tmp_path, "tug.toml", text)
    link = nuvrik.load(tug)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    with contextlib.closing(Process(link, tmp_path / "firmware", f"udp://:{port}")) as machine:
        with nuvrik.connect(tug, f"udp://127.0.0.1:{port}") as connected:
            connected.arm()
            connected.set(throttle=0.5, for_s=20)
            machine.wait(True)
            with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as stranger:
                stranger.settimeout(0.5)
                for _ in range(20):
                    stranger.sendto(b"hello?", ("127.0.0.1", port))
                with pytest.raises(TimeoutError):
                    stranger.recv(100)
            assert powered(link, rows_of(machine.log))[-1][1]
        machine.wait(False)


HAND = """
import time
import nuvrik
link = nuvrik.start()
from nuvrik import own
began = time.monotonic()
def before_frame():
    s = time.monotonic() - began
    own.read("left_stick", 512 if s < 1.5 else 1023)
    own.read("right_stick", 512)
    own.read("arm_button", 1.0 < s < 1.1)
    own.read("stop_button", 0)
link.before_frame = before_frame
link.run()
"""


def test_both_ends_run_in_python_alone_and_a_hand_that_leaves_disarms(tmp_path: Path) -> None:
    exported(TUG, tmp_path / "hand", "posix", "handset", own={"main.py": HAND})
    with (
        cable() as line,
        contextlib.closing(Process(TUG, tmp_path / "firmware", line.ports[1])) as machine,
    ):
        words = [sys.executable, "-S", str(tmp_path / "hand" / "main.py"), "--port", line.ports[0]]
        hand = subprocess.Popen(words, cwd="/", stderr=subprocess.PIPE, text=True)
        try:
            machine.wait(True)
            hand.send_signal(signal.SIGTERM)
            machine.wait(False)
            assert hand.wait(timeout=20) == 0
        finally:
            hand.kill()
            hand.communicate()


def test_a_process_says_what_is_wrong_with_its_port(tmp_path: Path) -> None:
    exported(TUG, tmp_path, "posix")
    for port, says in (
        ("/dev/nothing", "No such file"),
        ("/dev/null", "is no serial port"),
        ("", "say --port"),
    ):
        words = [sys.executable, str(tmp_path / "main.py"), *(["--port", port] if port else [])]
        done = subprocess.run(words, capture_output=True, text=True, check=False)
        assert done.returncode == 1 and says in done.stderr and "Traceback" not in done.stderr


PAGE = Path(__file__).parents[1] / "docs" / "micropython.md"
DEVICE = "/dev/ttyUSB0"


@needs_micropython
def test_every_command_of_the_page_runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """In its order, in one folder. Where the page copies files onto a board, they go where a stand-in runs
    them; and the board hangs on a cable in place of the page's device."""
    monkeypatch.chdir(tmp_path)
    commands = [
        line.split("#")[0].split() for line in PAGE.read_text("utf-8").splitlines() if line[:4] == "    "
    ]
    commands = [words for words in commands if words and words[0] in ("nuvrik", "mpremote")]
    assert len(commands) >= 14
    board = None
    with cable() as line:
        try:
            for words in commands:
                if words[0] == "mpremote":
                    # It copies from where the page has exported to.
                    assert all((tmp_path / one).exists() for one in words if one.startswith("board"))
                    continue
                if DEVICE in words and board is None:
                    board = Board(tmp_path / "board", line)
                words = [line.ports[0] if one == DEVICE else one for one in words]
                process = start(*words[1:], cwd=tmp_path)
                said, errors = process.communicate(input="y\n" * 5, timeout=240)
                assert process.returncode == 0, (words, said, errors)
        finally:
            if board is not None:
                board.off()
    assert (tmp_path / "small" / "nuvrik" / "link.mpy").exists()
