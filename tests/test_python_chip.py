"""Exports to MicroPython, run whole in virtual time on a stand-in for a chip: their pins looked at."""

import contextlib
import itertools
import random
import subprocess
from pathlib import Path

import pytest
from python_chips import (
    BOOT_MS,
    MICROPYTHON,
    STAND_IN,
    TUG,
    Chip,
    Host,
    Row,
    around,
    exported,
    full_ahead,
    needs_micropython,
    on_line,
    powered,
    run,
)
from test_traces import SEED

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.export.micropython import How
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import practice

pytestmark = [needs_micropython, pytest.mark.slow]


def driven(link: nuvrik.Link, seed: int, until_ms: int) -> list[tuple[float, bytes]]:
    """What a handset sends while somebody practises, from when the board has started."""
    handset, recording = nuvrik.Handset(link, stream=True), practice(link, seed, until_ms)
    sent = []
    for t_ms in range(0, until_ms, 5):
        recording.play_into(handset, t_ms, t_ms)
        sent.append((BOOT_MS + t_ms, handset.send(t_ms)))
    return [(t_ms, data) for t_ms, data in sent if data]


def check_bridges(link: nuvrik.Link, rows: list[Row]) -> None:
    """No direction changes under power, and both directions are never on together."""
    for output in link.outputs.values():
        if getattr(output, "driver", "") != "pwm_2dir":
            continue
        pins, at = output.pins, dict.fromkeys(output.pins.values(), 0)
        for row in rows:
            if row.pin in at and row.what in ("duty", "pin"):
                if row.pin != pins["pwm"] and row.value != at[row.pin]:
                    assert at[pins["pwm"]] == 0, row
                at[row.pin] = row.value
                if output.idle != "brake" and output.on_loss != "brake":
                    assert not (at[pins["forward"]] and at[pins["backward"]]), row


@pytest.mark.parametrize(("name", "how"), [("tug", How()), ("rover", How(precompiled=True))])
def test_whoever_drives_it_is_followed_and_a_silence_stops_it(name: str, how: How, tmp_path: Path) -> None:
    link = nuvrik.parse(starter_text(name))
    exported(link, tmp_path, how=how)
    sent = driven(link, SEED, 12_000)
    alone = run(tmp_path, on_line(sent), 14_000)
    assert alone.code == 0, alone.said
    times = powered(link, alone.rows)
    assert len(times) > 2 and not times[-1][1]
    check_bridges(link, alone.rows)
    # Cut off at any moment at which something turns: off within the bound, and it stays off.
    on = [(t, until) for (t, is_on), (until, _) in itertools.pairwise(times) if is_on and until - t > 60]
    start, until = random.Random(SEED).choice(on)
    cut = random.Random(SEED + 1).randint(start + 1, until - 1)
    heard = [(t_ms, data) for t_ms, data in sent if t_ms <= cut]
    noise = [(cut + k, random.Random(k).randbytes(40)) for k in range(1, 1500, 7)]
    lost = run(tmp_path, on_line([*heard, *noise]), cut + 2500)
    times = powered(link, lost.rows)
    assert not times[-1][1] and times[-1][0] - heard[-1][0] <= stop_bound(link).worst_ms + 1
    check_bridges(link, lost.rows)


def test_nothing_is_on_before_it_is_armed_and_outputs_are_off_first(tmp_path: Path) -> None:
    exported(TUG, tmp_path)
    rows = run(tmp_path, [], 500).rows
    first = [row for row in rows if row.what in ("pin", "duty")]
    assert {row.pin for row in first[:6]} == {5, 6, 7, 8, 9, 10} and not any(row.value for row in first)
    assert [row.value for row in rows if row.what == "watchdog"] == [250]
    fed = [row.t_ms for row in rows if row.what == "alive"]
    assert len(fed) == pytest.approx(500 / TUG.tick_ms, abs=2)


ALLOCATES = """
import sys, gc, micropython
import machine, nuvrik
loop = nuvrik.start(watchdog=False)
clock = 0
def now():
    return clock
board = sys.modules["nuvrik.%(loop)s"]
if hasattr(board, "board_chip_now_ms"):
    board.board_chip_now_ms = now
else:
    board.board.now_ms = now
class Fed:
    def __init__(self):
        self.at = self.told = 0
    def readinto(self, into):
        if self.told == clock:
            return 0
        self.told = clock
        frame = frames[self.at %% len(frames)]
        self.at += 1
        for i in range(len(frame)):
            into[i] = frame[i]
        return len(frame)
    def write(self, frame, count):
        pass
loop.around.uart = Fed()
loop.around.free = lambda: True
frames = %(frames)r
states = set()
gc.collect()
before = gc.mem_alloc()
for turn in range(10000):
    clock = clock + 5 & 0x3FFFFFFF
    micropython.heap_lock()
    loop.turn()
    micropython.heap_unlock()
    if turn == 9000:
        state = loop.end.machine.watch.state
print(gc.mem_alloc() - before, state, loop.end.accepted, loop.end.refused)
"""


@pytest.mark.parametrize("how", [How(), How(precompiled=True)])
def test_in_ten_thousand_turns_nothing_is_allocated(how: How, tmp_path: Path) -> None:
    """With the heap locked whatever allocates raises MemoryError; and frames, questions and noise come."""
    link = nuvrik.parse(starter_text("marram"))
    handset, recording = nuvrik.Handset(link, stream=True), practice(link, SEED, 40_000)
    frames = []
    for t_ms in range(0, 40_000, 5):
        if t_ms % 500 == 0:
            handset.greet()
        recording.play_into(handset, t_ms, t_ms)
        frames.append(handset.send(t_ms) or (b"\0noise\0" if t_ms % 1000 == 15 else b""))
    loop = "link" if how.precompiled else "guard"
    program = ALLOCATES % {"loop": loop, "frames": frames}
    exported(link, tmp_path, how=how, own={"main.py": program})
    surroundings = around(tmp_path, virtual=False) | {
        "MICROPYPATH": f"{tmp_path}:{STAND_IN / 'quiet'}:.frozen"
    }
    words = [MICROPYTHON, "-X", "heapsize=4M", str(tmp_path / "main.py")]
    done = subprocess.run(words, env=surroundings, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    allocated, state, accepted, refused = map(int, done.stdout.split())
    assert (allocated, state) == (0, 2) and accepted > 1000 and refused >= 5


# ---- the builder's own code ----


def test_requests_move_a_flap_and_beep(tmp_path: Path) -> None:
    link = nuvrik.parse(starter_text("panel"))
    text = (Path(__file__).parents[1] / "examples" / "firmware" / "panel_requests.py").read_text("utf-8")
    exported(link, tmp_path, own={"main.py": text})
    with contextlib.closing(Chip(tmp_path)) as chip:
        host = Host(link, chip)
        host.handset.greet()
        host.go_on(600)
        beep = host.handset.request("beep", times=3)
        host.go_on(900)
        host.handset.put_arm(True)
        host.go_on(700)
        refused = host.handset.request("routine", number=2)
        host.go_on(300)
        routine = host.handset.request("routine", number=1)
        host.go_on(1500)
        rows = chip.rows
    assert beep.state == "done" and refused.state == "refused"
    assert routine.state == "done" and routine.value == 41, chip.said
    buzzer = [row.value for row in rows if row.pin == 13 and row.what == "pin"]
    assert sum(after and not before for before, after in itertools.pairwise(buzzer)) == 3
    lengths = [row.value for row in rows if row.what == "pulse"]
    assert max(lengths) - min(lengths) > 300


def test_a_cut_off_and_a_bumper(tmp_path: Path) -> None:
    """A low battery leaves the screws half, at once and for as long as it is low; a bumper stops."""
    text = (Path(__file__).parents[1] / "examples" / "firmware" / "tug_own_code.py").read_text("utf-8")
    exported(TUG, tmp_path, own={"main.py": text})
    battery, bumper = ["volts 26 60000", "volts 26 30000"], ["pin 14 0", "pin 14 1"]
    touched_ms = BOOT_MS + 3000
    events = [(0, battery[0]), (0, bumper[0]), (BOOT_MS + 2000, battery[1]), (touched_ms, bumper[1])]
    ran = run(tmp_path, [*events, *on_line(full_ahead(4000))], 4200)
    duties = [(row.t_ms, row.value) for row in ran.rows if row.what == "duty"]
    full = max(value for t_ms, value in duties if t_ms < BOOT_MS + 2000)
    low = [value for t_ms, value in duties if BOOT_MS + 2700 < t_ms < touched_ms]
    assert full > 40_000 and low and 0.4 * full < max(low) < 0.6 * full, ran.said
    assert all(value == 0 for t_ms, value in duties if t_ms > touched_ms + 2 * TUG.tick_ms)


FAILS = """
import nuvrik
ticks = 0
def before_outputs():
    global ticks
    ticks += 1
    if 200 <= ticks < 230:
        {what}
link = nuvrik.start()
link.before_outputs = before_outputs
link.run()
"""


def test_what_a_builders_function_raises_is_told_and_stops_the_machine(tmp_path: Path) -> None:
    exported(TUG, tmp_path, own={"main.py": FAILS.format(what="raise ValueError('no echo')")})
    ran = run(tmp_path, on_line(full_ahead(12_000)), 9000)
    times = powered(TUG, ran.rows)
    fails_ms = 200 * TUG.tick_ms
    # Told once although it fails thirty times, off at once; and once it does better the machine can be armed
    # again, which nobody does here.
    assert ran.said.count("ValueError: no echo") == 1 and "before_outputs" in ran.said
    assert times[-1][1] is False and abs(times[-1][0] - fails_ms) <= 2 * TUG.tick_ms
    assert [on for _, on in times] == [False, True, False]


COLLECTS = """
import machine
import nuvrik
link = nuvrik.start()
from nuvrik import guard
class Slow:
    def collect(self):
        machine.note("gc", 0, 1)
        machine.Clock.us += 30000
guard.gc = Slow()
link.before_outputs = lambda: [1, 2, 3]
link.run()
"""


def test_garbage_is_collected_only_where_it_delays_nothing(tmp_path: Path) -> None:
    """A collection that takes longer than a tick: once it is known to, only while nothing moves."""
    exported(TUG, tmp_path, own={"main.py": COLLECTS})
    rows = run(tmp_path, on_line(full_ahead(8000)), 14_000).rows
    on, off = [t_ms for t_ms, _ in powered(TUG, rows)][1:]
    collected = [row.t_ms for row in rows if row.what == "gc"]
    assert off - on > 6000 and not [t_ms for t_ms in collected if on <= t_ms < off]
    assert len([t_ms for t_ms in collected if t_ms > off]) >= 4


def test_a_loop_that_hangs_feeds_no_watchdog(tmp_path: Path) -> None:
    """What a chip's watchdog does about it is a chip's; that it is not fed is ours, and that whatever starts
    after it begins with everything off, and says why it has started."""
    exported(TUG, tmp_path, own={"main.py": FAILS.format(what="import time; time.sleep_ms(700)")})
    ran = run(tmp_path, on_line(full_ahead(4500)), 6000)
    fed = [row.t_ms for row in ran.rows if row.what == "alive"]
    (limit,) = [row.value for row in ran.rows if row.what == "watchdog"]
    assert max(after - before for before, after in itertools.pairwise(fed)) >= 700 > limit
    hello = nuvrik.Handset(TUG, stream=True)
    hello.greet()
    hello.read(0, left_stick=512, right_stick=512, arm_button=0, stop_button=0)
    asks = [(BOOT_MS + t_ms, hello.send(t_ms)) for t_ms in range(0, 300, 5)]
    again = run(tmp_path, on_line(asks), 900, cause=3)
    for row in again.rows:
        hello.feed(row.sent, row.t_ms - BOOT_MS)
    assert hello.identity is not None and "watchdog" in str(hello.identity)


# ---- what is wrong ----


def spoilt(folder: Path, link: nuvrik.Link, way: str, tmp: Path) -> None:
    """Make an export into none, one way or another."""
    core = folder / "nuvrik" / "core" / "machine" / "motor.py"
    if way == "mixed":
        other = nuvrik.parse(starter_text("tug").replace("ramp_ms = 250", "ramp_ms = 300", 1))
        core.write_bytes((exported(other, tmp) / "nuvrik" / "core" / "machine" / "motor.py").read_bytes())
    elif way == "damaged":
        data = bytearray(core.read_bytes())
        data[-20] ^= 1
        core.write_bytes(data)
    elif way == "missing":
        core.unlink()
    elif way == "unlisted":
        listed = folder / "nuvrik" / "files.txt"
        listed.write_bytes(listed.read_bytes()[:-9])
    elif way == "stale":
        (folder / "nuvrik" / "link.py").write_text("from nuvrik.older import *\n")


@pytest.mark.parametrize(
    ("way", "says"),
    [
        ("mixed", "core/machine/motor.py is of another export: its first line says build tags"),
        ("damaged", "core/machine/motor.py is damaged"),
        ("missing", "core/machine/motor.py is missing"),
        ("unlisted", "files.txt is missing or damaged"),
        ("stale", "link.py is of another export, and stands before link.mpy"),
        ("small", "it does not fit into this chip's memory; export it with --precompiled"),
    ],
)
def test_what_is_no_whole_export_does_not_start_and_leaves_outputs_off(
    way: str, says: str, tmp_path: Path
) -> None:
    folder = exported(TUG, tmp_path / "firmware", how=How(precompiled=way == "stale"))
    spoilt(folder, TUG, way, tmp_path / "other")
    ran = run(folder, [], 1000, heap="64K" if way == "small" else "1M")
    assert says in ran.said and "Traceback" not in ran.said
    assert ran.code == 1 and {row.pin for row in ran.rows} == {5, 6, 7, 8, 9, 10}
    assert not any(row.value for row in ran.rows)


# ---- what it needs ----


@pytest.mark.parametrize(("name", "most_kib"), [("tug", 64), ("marram", 96)])
def test_it_starts_in_the_heap_that_is_promised(name: str, most_kib: int, tmp_path: Path) -> None:
    """Precompiled; what the stand-in takes comes on top."""
    exported(nuvrik.parse(starter_text(name)), tmp_path, how=How(precompiled=True))
    surroundings = around(tmp_path, virtual=False) | {
        "MICROPYPATH": f"{tmp_path}:{STAND_IN / 'quiet'}:.frozen"
    }

    def interpreted(program: str, heap: int) -> subprocess.CompletedProcess[str]:
        words = [MICROPYTHON, "-X", f"heapsize={heap}", "-c", program]
        return subprocess.run(
            words, env=surroundings, cwd=tmp_path, capture_output=True, text=True, check=False
        )

    taken = int(interpreted("import machine, gc; gc.collect(); print(gc.mem_alloc())", 500_000).stdout)
    done = interpreted("import machine, main", taken + 1024 * most_kib)
    assert done.returncode == 0, done.stdout + done.stderr
