"""Both ends of a tug as they are exported, on two emulated ATmega328P, and the air between their radios."""

import os
import re
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from chips import AS_SKETCH, emulator, needs_a_chip, on_pins
from on_air import Bursts, by_radio
from sketches import built_sketch
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.loops import packet_radio
from nuvrik.core.machine.watch import ARMED
from nuvrik.export import boards
from nuvrik.export.chip_pins import Pins
from nuvrik.export.chips import ATMEGA328P
from nuvrik.export.emulated import Emulated, View
from nuvrik.export.fitted_c import shape_of
from nuvrik.export.on_avr import LOOP, built
from nuvrik.export.wanted import Wanted
from nuvrik.plan.outputs.base import PWM
from nuvrik.plan.starters import starter_text
from nuvrik.plant.radio_chip import Ether, RadioChip

pytestmark = [needs_a_chip, pytest.mark.slow]

NIGHTLY = bool(os.environ.get("NUVRIK_NIGHTLY"))
SECONDS = 600 if NIGHTLY else 6

PINS = "{ csn = 14, ce = 15, irq = 2 }"
HANDS = {"left_stick": 16, "right_stick": 17, "arm_button": 4, "stop_button": 3}
LINK = nuvrik.parse(
    on_pins(by_radio(starter_text("tug"), "channel = 76", PINS), HANDS).replace(
        'active = "low"\n\nkind = "button"\ndebounce_ms', '\nkind = "button"\ndebounce_ms'
    )
    + '\n[board]\nchip = "atmega328p"\n'
)

SLICE_US = 50.0
"""How far one chip may be ahead of the other: less than a radio's own times."""


class End:
    """One end on a chip, with its radio."""

    def __init__(self, end: str, ether: Ether, folder: Path, *, sketch: bool = False) -> None:
        folder.mkdir()
        wanted = Wanted(LINK, "link.toml", boards.SKETCH if sketch else "atmega328p", packets=True, end=end)
        program = built_sketch(wanted, folder) if sketch else built(wanted, folder)
        self.chip = Emulated(emulator(), program, ATMEGA328P)
        self.radio = RadioChip(ether)
        pins = wanted.driver
        assert pins is not None
        self.chip.hang_on_bus(self.radio, pins.csn, pins.ce, pins.irq)
        shape = shape_of(wanted)
        kind = {boards.MACHINE: "MachineLoop", boards.HANDSET: "HandsetLoop"}.get(end, "RadioBench")
        self.loop = View(self.chip.memory, self.chip.symbol(LOOP), shape.program.records[kind], shape)
        self.pins = Pins(ATMEGA328P)

    def contact(self, pin: int, closed: bool) -> None:
        """A contact to ground."""
        port, bit = self.pins.places[pin]
        self.chip.level(port, bit, not closed)


class Both:
    """Both of them, in slices of time."""

    def __init__(self, folder: Path, ether: Ether, *, sketch: bool) -> None:
        self.ether, self.us = ether, 0.0
        self.machine = End(boards.MACHINE, ether, folder / "machine", sketch=sketch)
        self.handset = End(boards.HANDSET, ether, folder / "handset", sketch=sketch)
        self.power = [use.pin for use in boards.uses_of_outputs(LINK) if use.role == PWM]
        for name in ("arm_button", "stop_button"):
            self.handset.contact(HANDS[name], name == "stop_button")
        self.stick(508)

    def stick(self, counts: int) -> None:
        """Push the left stick, and leave the right one alone."""
        for pin, at in ((HANDS["left_stick"], counts), (HANDS["right_stick"], 515)):
            self.handset.chip.volts(pin - 14, (at * 5000 + 2500) // 1024)

    def run(self, ms: float) -> Iterator[float]:
        """Let time go by, a millisecond after the other."""
        for _ in range(int(ms)):
            for _ in range(int(1000 / SLICE_US)):
                self.us += SLICE_US
                self.machine.chip.run_with_radio(self.us)
                self.handset.chip.run_with_radio(self.us)
            yield self.us / 1000

    def go(self, ms: float) -> None:
        """The same, and nobody looks."""
        for _ in self.run(ms):
            pass

    @property
    def driven(self) -> bool:
        """Whether any motor has power, as its pins have it."""
        return any(self.machine.pins.powered(self.machine.chip.memory, pin) for pin in self.power)

    def arm_and_drive(self) -> None:
        """Arm, and push the stick."""
        self.go(600)
        self.handset.contact(HANDS["arm_button"], True)
        self.go(100)
        self.handset.contact(HANDS["arm_button"], False)
        self.go(150)
        self.stick(1023)
        self.go(200)


@pytest.mark.parametrize("sketch", AS_SKETCH)
def test_a_tug_by_radio_drives_stops_when_its_radio_is_pulled_and_comes_back(
    sketch: bool, tmp_path: Path
) -> None:
    if sketch and not NIGHTLY:
        pytest.skip("in make nightly: both ends as sketches")
    both = Both(tmp_path, Ether(Bursts(7, 0.05, 0.002, 60)), sketch=sketch)
    both.arm_and_drive()
    assert both.machine.loop.end.machine.watch.state == ARMED and both.driven
    last_ms, accepted, longest, drove = both.us / 1000, both.machine.loop.end.accepted, 0.0, set[int]()
    for now_ms in both.run(1000 * SECONDS):
        now = both.machine.loop.end.accepted
        if now != accepted:
            last_ms, accepted = now_ms, now
        if both.driven:
            longest = max(longest, now_ms - last_ms)
            drove.add(int(now_ms) // 4000)
        at_ms = int(now_ms) % 4000
        if at_ms == 1000:
            both.machine.radio.absent = 0xFF
        elif at_ms == 1900:
            if both.machine.radio.absent is not None:
                assert not both.driven
                assert both.machine.loop.line.radio.last == packet_radio.RADIO_ABSENT
            both.machine.radio.absent = None
            both.machine.radio.power(both.us, 0)
        # Back, and at rest once: then it drives again, as its link file has it.
        elif at_ms in (2500, 3200):
            both.stick(508 if at_ms == 2500 else 1023)
    assert 400 < longest <= stop_bound(LINK).worst_ms + 1
    # A burst of losses may make another stop of one, from which it has to rest again.
    assert len(drove) > 0.9 * SECONDS // 4
    both.machine.radio.absent = None
    both.go(700)
    both.stick(508)
    both.go(400)
    both.stick(1023)
    both.go(300)
    assert both.machine.loop.end.machine.watch.state == ARMED and both.driven
    for end in (both.machine, both.handset):
        assert end.chip.measured.resets == 0
        assert end.radio.refused == 0


def test_what_a_builder_does_from_nothing_to_two_boards(tmp_path: Path) -> None:
    """As docs/radio.md counts it: the commands, and nothing written by hand; with four pins, the handset."""
    counted = (
        (Path(__file__).parents[1] / "docs" / "radio.md").read_text().split("counted\n")[1].split("\n## ")[0]
    )
    commands = re.findall(r"`(nuvrik (?:new|export) [^`]*)`", counted)
    assert len(commands) == 3
    for command in commands:
        named = ("boat.toml", "machine", "bridge")
        words = [tmp_path / word if word in named[:1] else word for word in command.split()[1:]]
        if "--out" in words:
            words[-1] = tmp_path / str(words[-1])
        nuvrik_command(*words)
    text = (tmp_path / "boat.toml").read_text()
    pinned = on_pins(text, HANDS)
    (tmp_path / "own.toml").write_text(pinned)
    assert pinned.count("\npin = ") == text.count("\npin = ") + 4
    own = tmp_path / "own"
    board = ("--board", "atmega328p", "--out", own)
    assert "warning" not in nuvrik_command(
        "export", tmp_path / "own.toml", "--to", "c", "--end", "handset", *board
    )
    for folder in (tmp_path / "machine", tmp_path / "bridge", own):
        done = subprocess.run(["make", "-C", folder], capture_output=True, text=True, check=False)
        assert done.returncode == 0 and "warning" not in done.stderr, done.stderr
        assert (folder / "firmware.hex").exists()


def test_two_boards_try_out_their_radios(tmp_path: Path) -> None:
    """What a host reads: every register as it was told, and packets counted both ways; then the module is
    pulled from one."""
    ether = Ether(Bursts(3, 0.05, 0.002, 60))
    ends = [End(name, ether, tmp_path / name) for name in boards.RADIO_BENCHES]
    said, us = [b"", b""], 0.0
    for ms in range(3500):
        if ms == 2500:
            ends[0].radio.absent = 0xFF
        for _ in range(int(1000 / SLICE_US)):
            us += SLICE_US
            for end in ends:
                end.chip.run_with_radio(us)
        for at, end in enumerate(ends):
            said[at] += bytes(byte for _, byte in end.chip.said())
    for at, text in enumerate(one.decode() for one in said):
        registers, table = text.split("sent  heard lost  trouble\n")
        rows = [line.split() for line in registers.splitlines()]
        assert len(rows) == 9 and all(told == holds for _, told, holds in rows)
        counts = [[int(one) for one in line.split()] for line in table.splitlines()]
        sent, heard, lost, _ = counts[1]
        assert sent > 80 and heard > 60 and 0 < lost < 30
        assert counts[-1][3] == (packet_radio.RADIO_ABSENT if at == 0 else packet_radio.RADIO_WELL)
