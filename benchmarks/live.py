"""Live hands against the clock: how evenly frames go out, and how soon a reading is a demand.

Each figure is a ratio to a bare program that does the same over the same pseudo-terminals in the same run.
"""

import contextlib
import itertools
import os
import pty
import subprocess
import sys
import tempfile
import threading
import time
import tty
from pathlib import Path
from select import select

import nuvrik

SECONDS = 30
PERIOD_S = 0.010
LINK = """
[link]
name = "bench"
rate_hz = 100
tick_ms = 2
[medium]
kind = "serial"
baud = 115200
[frame]
style = "packed"
pair = 9
[controls.stick]
kind = "axis"
raw = [0, 512, 1023]
[controls.arm_button]
kind = "button"
[channels.throttle]
kind = "level"
from = "stick"
[channels.arm]
kind = "flag"
from = "arm_button"
[outputs.motor]
kind = "motor"
driver = "pwm_1dir"
pins = { pwm = 9, dir = 8 }
mix = { throttle = 1.0 }
[failsafe]
arm = "arm"
timeout_ms = 300
"""

BARE_SENDER = """
import os, sys, time
out, period, seconds, data = os.open(sys.argv[1], os.O_WRONLY), 0.010, float(sys.argv[2]), bytes(10)
start = time.monotonic()
for turn in range(round(seconds / period)):
    time.sleep(max(0.0, start + turn * period - time.monotonic()))
    os.write(out, data)
"""

BARE_ECHO = """
import os, sys
there, back = os.open(sys.argv[1], os.O_RDONLY), os.open(sys.argv[2], os.O_WRONLY)
while data := os.read(there, 64):
    os.write(back, data)
"""


def _terminal() -> tuple[int, str, int]:
    master, slave = pty.openpty()
    tty.setraw(slave)
    return master, os.ttyname(slave), slave


def _arrivals(master: int, process: subprocess.Popen[bytes], seconds: float) -> list[float]:
    """When bytes came, frame by frame, until the program has ended."""
    times: list[float] = []
    end = time.monotonic() + seconds + 20
    while process.poll() is None and time.monotonic() < end:
        if select([master], [], [], 0.05)[0]:
            os.read(master, 4096)
            times.append(time.monotonic())
    return times


def _strays_ms(times: list[float]) -> list[float]:
    """How far each frame was from an even beat, beyond the first second."""
    gaps = [1000 * abs(b - a - PERIOD_S) for a, b in itertools.pairwise(times)]
    return sorted(gaps)


def _p(values: list[float], share: float) -> float:
    return values[min(len(values) - 1, int(share * len(values)))]


def send_jitter() -> dict[str, float]:
    """Frames at 100 Hz over a pseudo-terminal: how far from an even beat, 99 of 100 times."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "link.toml").write_text(LINK)
        rows = "".join(f"{t_ms},512,0\n" for t_ms in range(0, 1000 * SECONDS, 20))
        (folder / "hand.csv").write_text("t_ms,stick,arm_button\n" + rows)
        found: dict[str, list[float]] = {"bare": [], "ours": []}
        for _ in range(2):
            for what in found:
                master, port, slave = _terminal()
                words = [sys.executable, "-c", BARE_SENDER, port, str(SECONDS)]
                if what == "ours":
                    words = [
                        sys.executable,
                        "-m",
                        "nuvrik",
                        "drive",
                        str(folder / "link.toml"),
                        "--port",
                        port,
                    ]
                    words += ["--from", str(folder / "hand.csv"), "--headless"]
                process = subprocess.Popen(words, stderr=subprocess.DEVNULL)
                found[what] += _strays_ms(_arrivals(master, process, SECONDS))
                os.close(master)
                os.close(slave)
    bare, ours = (sorted(found[what]) for what in ("bare", "ours"))
    return {
        "bare_p99_ms": _p(bare, 0.99),
        "ours_p99_ms": _p(ours, 0.99),
        "bare_p50_ms": _p(bare, 0.5),
        "ours_p50_ms": _p(ours, 0.5),
        "ratio": _p(ours, 0.99) / _p(bare, 0.99),
        "most": 1.5,
    }


def reading_to_demand() -> dict[str, float]:
    """A line to `drive --from -`, through a pseudo-terminal to `machine`, to the row of its log; beside bytes
    that one program hands on to another. Ours may take a period longer."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "link.toml").write_text(LINK)
        bare, ours = _echo_ms(), _through_both_ms(folder)
    allowed = 1000 * PERIOD_S
    return {
        "bare_p50_ms": _p(bare, 0.5),
        "bare_p99_ms": _p(bare, 0.99),
        "ours_p50_ms": _p(ours, 0.5),
        "ours_p99_ms": _p(ours, 0.99),
        "p50_beyond": (_p(ours, 0.5) - allowed) / _p(bare, 0.5),
        "p99_beyond": (_p(ours, 0.99) - allowed) / _p(bare, 0.99),
        "p50_beyond_most": 1.3,
        "p99_beyond_most": 1.3,
    }


def _echo_ms(times: int = 300) -> list[float]:
    (near, near_port, near_slave), (far, far_port, far_slave) = _terminal(), _terminal()
    process = subprocess.Popen([sys.executable, "-c", BARE_ECHO, near_port, far_port])
    took = []
    time.sleep(0.5)
    for _ in range(times):
        start = time.monotonic()
        os.write(near, b"0123456789")
        os.read(far, 64)
        took.append(1000 * (time.monotonic() - start))
        time.sleep(0.02)
    process.kill()
    process.wait()
    for descriptor in (near, near_slave, far, far_slave):
        os.close(descriptor)
    return sorted(took)


def _through_both_ms(folder: Path, times: int = 300) -> list[float]:
    ours, port, slave = _terminal()
    theirs, their_port, their_slave = _terminal()

    def carry() -> None:
        with contextlib.suppress(OSError):  # both ends are closed in the end
            carry_on()

    def carry_on() -> None:
        while True:
            for one, other in ((ours, theirs), (theirs, ours)):
                if select([one], [], [], 0.0005)[0]:
                    os.write(other, os.read(one, 4096))

    threading.Thread(target=carry, daemon=True).start()
    command = [sys.executable, "-m", "nuvrik"]
    link = str(folder / "link.toml")
    machine = subprocess.Popen(
        [*command, "machine", link, "--port", their_port], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    )
    drive = subprocess.Popen(
        [*command, "drive", link, "--port", port, "--from", "-", "--headless"],
        stdin=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
    )
    assert machine.stdout is not None and drive.stdin is not None
    os.set_blocking(machine.stdout.fileno(), False)
    took: list[float] = []
    text = b""
    stick, arm, wanted = 512, 0, ""
    asked = began = time.monotonic()
    while len(took) < times and time.monotonic() - began < 120:
        now = time.monotonic()
        arm = int(now - began > 6)
        if now - began > 7 and not wanted and now - asked > 0.05:
            # Another place each time; the row in which the motor is told something else is the answer.
            stick = 800 if stick != 800 else 900
            wanted, asked = "changes", now
        drive.stdin.write(f"stick,{stick}\narm_button,{arm}\n".encode())
        drive.stdin.flush()
        if select([machine.stdout], [], [], 0.0005)[0]:
            text += machine.stdout.read() or b""
            *lines, text = text.split(b"\n")
            if wanted and any(b"ARMED" in line for line in lines):
                took.append(1000 * (time.monotonic() - asked))
                wanted, asked = "", time.monotonic()
        time.sleep(0.001)
    drive.stdin.close()
    drive.wait()
    machine.terminate()
    machine.wait()
    os.close(slave)
    os.close(their_slave)
    return sorted(took[2:])


def source_to_frame(times: int = 300) -> dict[str, float]:
    """From a line to `drive --from -` to the first byte of the frame that carries it: within a period."""
    took: list[float] = []
    with tempfile.TemporaryDirectory() as name:
        link = Path(name) / "link.toml"
        link.write_text(LINK)
        master, port, slave = _terminal()
        drive = subprocess.Popen(
            [sys.executable, "-m", "nuvrik", "drive", str(link), "--port", port, "--from", "-", "--headless"],
            stdin=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        assert drive.stdin is not None
        decoder = nuvrik.Decoder(nuvrik.load(link))
        stick, wanted, asked = 512, False, time.monotonic()
        began = asked
        while len(took) < times and time.monotonic() - began < 120:
            if not wanted and time.monotonic() - asked > 0.03:
                stick = 800 if stick != 800 else 900
                wanted, asked = True, time.monotonic()
                drive.stdin.write(f"stick,{stick}\narm_button,0\n".encode())
                drive.stdin.flush()
            if not select([master], [], [], 0.001)[0]:
                continue
            heard = time.monotonic()
            for event in decoder.feed(os.read(master, 4096)):
                level = event.values[0] if isinstance(event, nuvrik.Frame) and event.values else None
                if wanted and level is not None and abs(level / 16384 - (stick - 512) / 511) < 0.05:
                    took.append(1000 * (heard - asked))
                    wanted, asked = False, heard
        drive.kill()
        drive.wait()
        os.close(master)
        os.close(slave)
    found = sorted(took[2:])
    return {
        "p50_ms": _p(found, 0.5),
        "p99_ms": _p(found, 0.99),
        "ratio": _p(found, 0.99) / (1000 * PERIOD_S),
        "most": 1.0,
    }


LIVE_FIGURES = (send_jitter, reading_to_demand, source_to_frame)
