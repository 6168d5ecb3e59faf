"""Exports to MicroPython that go by the radio chip, whole, in virtual time."""

import subprocess
from pathlib import Path

import pytest
from on_air import PINS, by_radio
from python_chips import (
    BOOT_MS,
    MICROPYTHON,
    STAND_IN,
    Ran,
    around,
    exported,
    needs_micropython,
    powered,
    run,
)

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.export.micropython import How
from nuvrik.plan.starters import starter_text
from nuvrik.plant import radio_chip
from nuvrik.recordings.pilot import practice
from nuvrik.wire.events import Frame

pytestmark = [needs_micropython, pytest.mark.slow]

TUG = nuvrik.parse(by_radio(starter_text("tug")))
MARRAM = nuvrik.parse(by_radio(starter_text("marram")))
CSN_CE_IRQ = "32,33,34"
assert PINS.startswith("{ csn = 32, ce = 33, irq = 34")


def flown(link: nuvrik.Link, data: bytes) -> str:
    """A packet that comes through the air."""
    return "air " + bytes([len(data), *data]).ljust(link.medium.payload_max + 1, b"\0").hex()


def with_chip(
    folder: Path, events: list[tuple[float, str]], until_ms: float, monkeypatch: pytest.MonkeyPatch
) -> Ran:
    """Run an export that has a radio chip."""
    text = Path(radio_chip.__file__).read_text("utf-8").replace("from typing import Any\n", "")
    (folder / "radio_chip.py").write_text(text, "utf-8")
    monkeypatch.setenv("NUVRIK_RADIO", CSN_CE_IRQ)
    return run(folder, events, until_ms)


def ahead(link: nuvrik.Link, until_ms: int) -> list[tuple[float, str]]:
    """Armed after a second, and the stick hard ahead from a second and a half on; let go of now and then."""
    handset, sent = nuvrik.Handset(link), []
    for t_ms in range(0, until_ms, 5):
        stick = 1023 if t_ms > 1500 and t_ms % 2000 > 300 else 508
        handset.read(t_ms, left_stick=stick, right_stick=515, arm_button=1000 < t_ms < 1100, stop_button=0)
        sent.append((BOOT_MS + t_ms, handset.send(t_ms)))
    return [(t_ms, flown(link, data)) for t_ms, data in sent if data]


@pytest.mark.parametrize("how", [How(), How(readable=True), How(precompiled=True)])
def test_a_machine_stops_when_its_module_is_pulled_and_comes_back(
    how: How, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    exported(TUG, tmp_path, how=how, packets=True)
    sent = ahead(TUG, 8000)
    pulled, back = 3100.0, 5000.0
    done = with_chip(tmp_path, [*sent, (pulled, "radio 255"), (back, "radio")], 9000, monkeypatch)
    assert done.code == 0, done.said
    times = powered(TUG, done.rows)
    on = [t for t, is_on in times if is_on]
    off = [t for t, is_on in times if not is_on]
    assert on[0] < 2000
    # Off in time; and on again only once it hears, and its sticks have been at rest.
    first_off = min(t for t in off if t > pulled)
    assert first_off - pulled <= stop_bound(TUG).worst_ms + 1
    again = min(t for t in on if t > first_off)
    assert back + 100 < again < back + 2500
    last = max(t for t, _ in sent)
    assert not times[-1][1] and times[-1][0] - last <= stop_bound(TUG).worst_ms + 1


def test_a_machine_answers_in_the_silence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    exported(MARRAM, tmp_path, packets=True)
    handset, recording, sent = nuvrik.Handset(MARRAM), practice(MARRAM, 5, 6000), []
    for t_ms in range(0, 6000, 5):
        recording.play_into(handset, t_ms, t_ms)
        if data := handset.send(t_ms):
            sent.append((BOOT_MS + t_ms, flown(MARRAM, data)))
    done = with_chip(tmp_path, sent, 6500, monkeypatch)
    assert done.code == 0, done.said
    answers = [row for row in done.rows if row.what == "air"]
    assert len(answers) > 20
    answers = [row for row in answers if row.us / 1000 < sent[-1][0] + 12]
    for row in answers:
        told = [
            event for event in handset.feed(row.sent[1 : 1 + row.sent[0]], 6000) if isinstance(event, Frame)
        ]
        assert told or row is not answers[0]
        before = max((t for t, _ in sent if t <= row.us / 1000), default=0)
        # It has been on the air for 1.4 ms; the first of a millisecond may be looked at late.
        assert row.us / 1000 - before < 8 + 4


def test_a_handset_sends_what_core_sends(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    text = by_radio(starter_text("tug")).replace(
        "[controls.arm_button]", '[controls.arm_button]\npin = 4\nactive = "low"'
    )
    link = nuvrik.parse(text.replace("[controls.left_stick]", "[controls.left_stick]\npin = 26"))
    exported(link, tmp_path, end="handset", packets=True)
    done = with_chip(tmp_path, [(50, "volts 26 32000"), (1000, "pin 4 0")], 3000, monkeypatch)
    assert done.code == 0, done.said
    frames = [row.sent[1 : 1 + row.sent[0]] for row in done.rows if row.what == "air"]
    machine = nuvrik.Machine(link)
    events = [event for at, data in enumerate(frames) for event in machine.feed(data, 20 * at)]
    assert len(events) == len(frames) > 100 and all(isinstance(event, Frame) for event in events)


ALLOCATES = """
import sys, gc, micropython
import machine, nuvrik
loop = nuvrik.start(watchdog=False)
clock = 0
def now():
    return clock
board = sys.modules["nuvrik.guard"]
if hasattr(board, "board_chip_now_ms"):
    board.board_chip_now_ms = now
else:
    board.board.now_ms = now
class Chip:
    # As much of a chip as a driver needs to listen and to answer.
    def __init__(self):
        self.registers, self.address = bytearray(32), bytearray(5)
        self.at = self.told = self.sent = self.gone = 0
    def write_readinto(self, given, into):
        command, first, count = given[0], given[1] if len(given) > 1 else 0, len(given)
        waits = clock - self.told >= 20
        into[0] = (2 if waits else 14) | self.gone
        if command == 0x2B:
            for i in range(5):
                self.address[i] = given[i + 1]
        elif command == 0x27:
            self.gone &= ~first
        elif 0x20 <= command < 0x40:
            self.registers[command & 31] = first
        elif command == 0x0B:
            for i in range(5):
                into[i + 1] = self.address[i]
        elif command == 0x17:
            into[1] = 0x10 if waits else 0x11
        elif command < 0x20:
            into[1] = self.registers[command]
        elif command == 0x61:
            frame = frames[self.at %% len(frames)]
            self.at += 1
            self.told = clock
            into[1] = len(frame)
            for i in range(len(frame)):
                into[i + 2] = frame[i]
        elif command == 0xA0:
            self.sent += 1
            self.gone = 0x20
chip = loop.around.bus = Chip()
loop.before_ms = 0
frames = %(frames)r
for turn in range(200):
    clock = clock + 2
    loop.turn()
gc.collect()
before = gc.mem_alloc()
for turn in range(20000):
    clock = clock + 2 & 0x3FFFFFFF
    micropython.heap_lock()
    loop.turn()
    micropython.heap_unlock()
    if turn == 19000:
        state = loop.end.machine.watch.state
print(gc.mem_alloc() - before, state, loop.end.accepted, loop.end.refused, chip.sent)
"""


def test_in_twenty_thousand_turns_nothing_is_allocated(tmp_path: Path) -> None:
    """With the heap locked whatever allocates raises MemoryError; packets come, and answers go."""
    handset, recording = nuvrik.Handset(MARRAM), practice(MARRAM, 7, 40_000)
    frames = []
    for t_ms in range(0, 40_000, 5):
        if t_ms % 500 == 0:
            handset.greet()
        recording.play_into(handset, t_ms, t_ms)
        if data := handset.send(t_ms):
            frames.append(data)
    exported(MARRAM, tmp_path, packets=True, own={"main.py": ALLOCATES % {"frames": frames}})
    surroundings = around(tmp_path, virtual=False) | {
        "MICROPYPATH": f"{tmp_path}:{STAND_IN / 'quiet'}:.frozen"
    }
    words = [MICROPYTHON, "-X", "heapsize=4M", str(tmp_path / "main.py")]
    done = subprocess.run(words, env=surroundings, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    allocated, state, accepted, _, sent = map(int, done.stdout.split())
    assert (allocated, state) == (0, 2) and accepted > 1000 and sent > 100
