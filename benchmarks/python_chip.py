"""What an export to MicroPython costs, on the interpreter for Unix with a stand-in for ``machine``.

    python benchmarks/bench.py python_heap python_pace python_start

Times are ratios in one run: beside ours stands what a builder writes by hand, a line of comma-separated
numbers, split, made whole numbers, and the same pins set, with no check and no failsafe."""

import os
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from python_chips import MICROPYTHON, STAND_IN, exported

import nuvrik
from nuvrik.export.micropython import How
from nuvrik.export.pace import frames_of_a_drive
from nuvrik.plan.starters import starter_text

PRECOMPILED = How(precompiled=True)

MOST_KIB = {"tug": 48, "marram": 96}
MOST_PACE = 5.0

MOST_START = 0.5
"""It is there to be light: in half the time at most."""

ROUNDS = 7
TURNS = 2000

COUNTS = "import machine, gc; gc.collect(); print(gc.mem_alloc())"


def _interpreted(folder: Path, program: str, heap_kib: float = 2048) -> subprocess.CompletedProcess[str]:
    paths = f"{folder}:{STAND_IN / 'quiet'}:.frozen"
    words = [MICROPYTHON, "-X", f"heapsize={int(1024 * heap_kib)}", "-c", program]
    surroundings = {**os.environ, "MICROPYPATH": paths}
    return subprocess.run(words, env=surroundings, cwd=folder, capture_output=True, text=True, check=False)


def heap_needed(name: str, how: How, folder: Path) -> float:
    """The smallest heap in KiB, but for what the stand-in takes, with which an export starts and turns."""
    exported(nuvrik.parse(starter_text(name)), folder, how=how)
    taken = int(_interpreted(folder, COUNTS).stdout) / 1024
    low, high = 8.0, 1024.0
    while high - low > 0.25:
        middle = (low + high) / 2
        fits = _interpreted(folder, "import machine, main", middle).returncode == 0
        low, high = (low, middle) if fits else (middle, high)
    return high - taken


def python_heap() -> dict[str, float]:
    """The heap that an export needs, in KiB of words of 64 bits: precompiled, as text, and readable."""
    figures: dict[str, float] = {}
    for name, most in MOST_KIB.items():
        for word, how in (("", PRECOMPILED), ("_as_text", How()), ("_readable", How(readable=True))):
            with tempfile.TemporaryDirectory() as folder:
                figures[f"{name}_kib{word}"] = heap_needed(name, how, Path(folder))
        figures[f"{name}_kib_most"] = most
    return figures


OURS = """
import sys, time
import machine, nuvrik
frames = {frames!r}
loop = nuvrik.start(watchdog=False)
class Fed:
    def __init__(self):
        self.at, self.new = 0, False
    def readinto(self, into):
        if not self.new:
            return 0
        self.new = False
        frame = frames[self.at]
        self.at = (self.at + 1) % len(frames)
        into[:len(frame)] = frame
        return len(frame)
    def free(self):
        return True
    def write(self, frame, count):
        pass
fed = loop.around.uart = Fed()
loop.around.free = fed.free
clock = 0
def now():
    return clock
sys.modules["nuvrik.board_chip"].now_ms = now
loop.before_ms = 0
def turn():
    global clock
    clock = clock + {tick_ms} & 0x3FFFFFFF
    fed.new = True
    loop.turn()
for _ in range(len(frames)):
    turn()
"""

BY_HAND = """
lines = {lines!r}
class Pin:
    def value(self, to):
        pass
    duty_u16 = value
pins = [(Pin(), Pin(), Pin()) for _ in range({outputs})]
class Uart:
    def __init__(self):
        self.at = 0
    def readline(self):
        self.at = (self.at + 1) % len(lines)
        return lines[self.at]
uart = Uart()
def by_hand():
    values = [int(one) for one in uart.readline().decode().split(",")]
    for i in range(len(pins)):
        pwm, forward, backward = pins[i]
        value = values[i]
        forward.value(1 if value > 0 else 0)
        backward.value(1 if value < 0 else 0)
        pwm.duty_u16(abs(value) * 257)
def timed(what):
    before = time.ticks_us()
    for _ in range({turns}):
        what()
    return time.ticks_diff(time.ticks_us(), before) / {turns}
print(min([timed(turn) for _ in range({rounds})]), min([timed(by_hand) for _ in range({rounds})]))
print(loop.end.machine.watch.state, loop.end.accepted)
"""


def python_pace() -> dict[str, float]:
    """A frame and a tick, beside the same done by hand: the shortest of several rounds of each."""
    figures: dict[str, float] = {}
    for name in MOST_KIB:
        link = nuvrik.parse(starter_text(name))
        frames, rng = frames_of_a_drive(link, 256, stream=True), random.Random(1)
        lines = [",".join(str(rng.randint(-255, 255)) for _ in link.channels).encode() for _ in frames]
        words = {
            "frames": frames,
            "tick_ms": link.tick_ms,
            "lines": lines,
            "outputs": len(link.outputs),
            "turns": TURNS,
            "rounds": ROUNDS,
        }
        with tempfile.TemporaryDirectory() as there:
            folder = exported(link, Path(there))
            done = _interpreted(folder, (OURS + BY_HAND).format(**words))
        ours, by_hand, state, _ = map(float, done.stdout.split())
        assert state == 2, done.stdout + done.stderr
        figures |= {f"{name}_us": ours, f"{name}_by_hand_us": by_hand, f"{name}_ratio": ours / by_hand}
        figures[f"{name}_ratio_most"] = MOST_PACE
    return figures


def python_start() -> dict[str, float]:
    """Until it is ready: an export for a small computer beside ``nuvrik machine``, and the
    memory of each."""
    figures: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as there:
        folder = exported(nuvrik.parse(starter_text("tug")), Path(there), "posix")
        alone = folder / "alone.py"
        alone.write_text((folder / "main.py").read_text().replace("link.run()", ""))
        master, slave = os.openpty()
        (folder / "link.toml").write_text(starter_text("tug"))
        library = (
            "import sys; from nuvrik.plan.load import load; from nuvrik.ends.machine import Machine; "
            "from nuvrik.cli import machine; Machine(load(sys.argv[1]), stream=True)"
        )
        ways = {
            "export": [sys.executable, "-S", str(alone), "--port", os.ttyname(slave)],
            "library": [sys.executable, "-c", library, str(folder / "link.toml")],
        }
        for name, words in ways.items():
            took = []
            for _ in range(ROUNDS):
                before = time.perf_counter()
                subprocess.run(words, check=True, cwd="/", capture_output=True)
                took.append(time.perf_counter() - before)
            figures[f"{name}_s"] = min(took)
            figures[f"{name}_mib"] = _memory_mib(words)
        figures |= {"ratio": figures["export_s"] / figures["library_s"], "most": MOST_START}
        os.close(master)
        os.close(slave)
    return figures


def _memory_mib(words: list[str]) -> float:
    """The most memory that a program had."""
    program = (
        "import resource, subprocess, sys; subprocess.run(sys.argv[1:], check=True, capture_output=True); "
        "print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
    )
    done = subprocess.run(
        [sys.executable, "-S", "-c", program, *words], check=True, cwd="/", capture_output=True, text=True
    )
    return int(done.stdout) / 1024


PYTHON_FIGURES = (python_heap, python_pace, python_start)
