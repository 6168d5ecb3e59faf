"""Both ends of a tug as they are exported, on two emulated ATmega328P, and the air between their radios."""

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from chips import emulator, needs_a_chip, on_pins
from on_air import Bursts, by_radio

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

SECONDS = 600 if os.environ.get("NUVRIK_NIGHTLY") else 6

PINS = "{ csn = 14, ce = 15, irq = 2 }"
HANDS = {"left_stick": 16, "right_stick": 17, "arm_button": 4, "stop_button": 3}
LINK = nuvrik.parse(
    on_pins(by_radio(starter_text("tug"), "channel = 76", PINS), HANDS).replace(
        'active = "low"\n\nkind = "button"\ndebounce_ms', '\nkind = "button"\ndebounce_ms'
    )
)

SLICE_US = 50.0
"""How far one chip may be ahead of the other: less than a radio's own times."""

MOST_CYCLES_A_SECOND = 0.006 * ATMEGA328P.clock_hz


class End:
    """One end on a chip, with its radio."""

    def __init__(self, end: str, ether: Ether, folder: Path) -> None:
        folder.mkdir()
        wanted = Wanted(LINK, "link.toml", "atmega328p", packets=True, end=end)
        self.chip = Emulated(emulator(), built(wanted, folder), ATMEGA328P)
        self.radio = RadioChip(ether)
        pins = wanted.driver
        assert pins is not None
        self.chip.hang_on_bus(self.radio, pins.csn, pins.ce, pins.irq)
        shape = shape_of(wanted)
        kind = "MachineLoop" if end == boards.MACHINE else "HandsetLoop"
        self.loop = View(self.chip.memory, self.chip.symbol(LOOP), shape.program.records[kind], shape)
        self.pins = Pins(ATMEGA328P)

    def contact(self, pin: int, closed: bool) -> None:
        """A contact to ground."""
        port, bit = self.pins.places[pin]
        self.chip.level(port, bit, not closed)


class Both:
    """Both of them, in slices of time."""

    def __init__(self, folder: Path, ether: Ether) -> None:
        self.ether, self.us = ether, 0.0
        self.machine = End(boards.MACHINE, ether, folder / "machine")
        self.handset = End(boards.HANDSET, ether, folder / "handset")
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


@pytest.fixture
def both(tmp_path: Path) -> Both:
    return Both(tmp_path, Ether(Bursts(7, 0.05, 0.002, 60)))


def test_a_tug_by_radio_drives_stops_when_its_radio_is_pulled_and_comes_back(both: Both) -> None:
    both.arm_and_drive()
    assert both.machine.loop.end.machine.watch.state == ARMED and both.driven
    last_ms, accepted, longest = both.us / 1000, both.machine.loop.end.accepted, 0.0
    for now_ms in both.run(1000 * SECONDS):
        now = both.machine.loop.end.accepted
        if now != accepted:
            last_ms, accepted = now_ms, now
        if both.driven:
            longest = max(longest, now_ms - last_ms)
        if int(now_ms) % 3000 == 0:
            both.machine.radio.absent = 0xFF
        elif int(now_ms) % 3000 == 1200:
            both.machine.radio.absent = None
            both.machine.radio.power(both.us, 0)
    assert 400 < longest <= stop_bound(LINK).worst_ms + 1
    assert both.machine.loop.line.radio.last == packet_radio.RADIO_ABSENT
    both.machine.radio.absent = None
    both.go(600)
    # Back, and at rest once: then it drives again, as its link file has it.
    both.stick(508)
    both.go(400)
    both.stick(1023)
    both.go(300)
    assert both.driven
    for end in (both.machine, both.handset):
        assert end.chip.measured.resets == 0
        assert end.radio.refused == 0
