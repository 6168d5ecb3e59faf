"""An emulated chip with real firmware on it: driven by a handset in emulated time, its pins looked at after
every instruction; or live, on a pseudo-terminal, as a stand-in for a board on a cable."""

import contextlib
import os
import pty
import shutil
import sys
import tempfile
import time
import tty
from functools import cache
from itertools import groupby
from operator import attrgetter
from pathlib import Path

import pytest
from sketches import FRAMEWORK, built_sketch

import nuvrik
from nuvrik.core.loops.machine_end import MachineEnd
from nuvrik.export import boards
from nuvrik.export.chip_pins import Pins
from nuvrik.export.chips import CHIPS
from nuvrik.export.emulated import Emulated, build_emulator
from nuvrik.export.on_avr import built, end_in
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.models import Board
from nuvrik.plan.outputs.base import PLAIN, PULSE, PWM
from nuvrik.recordings.recording import Recording

NEEDED = ("avr-gcc", "avr-nm", "make", "gcc", "simavr")
needs_a_chip = pytest.mark.skipif(
    not all(map(shutil.which, NEEDED)), reason=f"{', '.join(NEEDED)}: make toolchain"
)

AS_SKETCH = [
    pytest.param(False, id="board"),
    pytest.param(
        True, id="sketch", marks=pytest.mark.skipif(not FRAMEWORK.exists(), reason="sketches: make toolchain")
    ),
]
"""Our own board of a chip, and the same chip with the common sketch framework."""

BYTE_AT_115200_US = 10 / 115_200 * 1e6


def on_pins(text: str, pins: dict[str, int]) -> str:
    """A link file with controls on pins of the handset's board; buttons are contacts to ground."""
    for name, pin in pins.items():
        low = 'active = "low"\n' if "button" in name else ""
        text = text.replace(f"[controls.{name}]", f"[controls.{name}]\npin = {pin}\n{low}")
    return text


KEPT = tempfile.TemporaryDirectory()


@cache
def emulator() -> Path:
    """The emulator as a library, built once in a process, and gone with it."""
    return build_emulator(Path(KEPT.name))


def chip_with(
    link: nuvrik.Link,
    folder: Path,
    board: str = "atmega328p",
    main: str | None = None,
    *,
    answers: bool = True,
    sketch: bool = False,
) -> "Chip":
    """Firmware for a link, with a main.c of one's own if one is given, on a chip that has just got power; as
    our own board has it, or as a sketch."""
    chip = CHIPS[board]
    folder.mkdir(exist_ok=True)
    if sketch:
        with_chip = link.model_copy(update={"board": Board(chip=board)})  # type: ignore[arg-type]
        wanted = Wanted(with_chip, "link.toml", boards.SKETCH, answers=answers)
        return Chip(link, Emulated(emulator(), built_sketch(wanted, folder, main), chip), answers=answers)
    program = built(Wanted(link, "link.toml", board, answers=answers), folder, main)
    return Chip(link, Emulated(emulator(), program, chip), answers=answers)


class Chip:
    """One chip, and what must never be true of its pins.

    ``wrong`` collects what was: a direction that changed under power, power before the machine was armed, a
    servo pulse too early, or one that jumped.
    """

    def __init__(self, link: nuvrik.Link, emulated: Emulated, *, answers: bool = True) -> None:
        self.link, self.emulated = link, emulated
        self.pins = Pins(emulated.chip)
        uses = boards.uses_of_outputs(link)
        self.power = [use.pin for use in uses if use.role == PWM]
        self.servos = {use.pin: use.of for use in uses if use.role == PULSE}
        self.ways = {
            use.pin: [other.pin for other in uses if other.of == use.of and other.role == PLAIN]
            for use in uses
            if use.role == PWM
        }
        self.end: MachineEnd = end_in(emulated, link, answers=answers)  # type: ignore[assignment]
        watched = {at for use in uses for at in (self.pins.port(use.pin), self.pins.port(use.pin) - 1)}
        watched |= {self.pins.control(pin) for pin in self.power}
        watched |= {self.pins.compare(pin)[0] for pin in self.power}
        emulated.watch(*sorted(watched))
        self.seen = bytearray(emulated.memory)
        self.wrong: list[str] = []
        self.rises: dict[int, int] = {}
        self.pulses: dict[int, list[tuple[int, float]]] = {pin: [] for pin in self.servos}
        self.duties: list[tuple[int, int, int | None]] = []
        self.armed_yet = False

    def run(self, us: float) -> None:
        """So much longer, looking at every change of a pin."""
        self.emulated.run(self.emulated.us + us)
        self.look()

    def look(self) -> None:
        """What has changed since."""
        self.armed_yet = self.armed_yet or self.end.machine.watch.state == 2
        seen = memoryview(self.seen)
        for cycle, together in groupby(self.emulated.changes(), key=attrgetter("cycle")):
            was_on = {pin for pin in self.power if self.pins.powered(seen, pin)}
            levels = {pin: self.pins.high(seen, pin) for pins in self.ways.values() for pin in pins}
            up = {pin: self.pins.high(seen, pin) for pin in self.servos}
            # One instruction changes one register; only a reset changes several at once.
            changes = [*together]
            for change in changes:
                self.seen[change.address] = change.value
            if len(changes) > 1:
                self.rises.clear()
                continue
            for pin in self.power:
                on = self.pins.powered(seen, pin)
                turned = [way for way in self.ways[pin] if self.pins.high(seen, way) != levels[way]]
                if turned and on:
                    self.wrong.append(f"cycle {cycle}: pin {turned[0]} changed while {pin} had power")
                if on and pin not in was_on and not self.armed_yet:
                    self.wrong.append(f"cycle {cycle}: pin {pin} got power before it was armed")
                self.duties.append((cycle, pin, self.pins.duty(seen, pin)))
            for pin, was_up in up.items():
                self._see_pulse(pin, was_up, self.pins.high(seen, pin), cycle)

    def _see_pulse(self, pin: int, was_up: bool, is_up: bool, cycle: int) -> None:
        if is_up and not was_up:
            self.rises[pin] = cycle
        elif was_up and not is_up and pin in self.rises:
            long_us = (cycle - self.rises[pin]) * 1e6 / self.emulated.chip.clock_hz
            self.pulses[pin].append((cycle, long_us))
            if not self.armed_yet:
                self.wrong.append(f"cycle {cycle}: a pulse on pin {pin} before it was armed")

    @property
    def powered(self) -> bool:
        """Whether any pin lets a motor turn now."""
        return any(self.pins.powered(self.emulated.memory, pin) for pin in self.power)

    def off_at_us(self) -> float:
        """When the last pin went off; nothing is on now."""
        last = max(cycle for cycle, _, duty in self.duties if duty)
        off = min((cycle for cycle, _, duty in self.duties if cycle > last), default=last)
        return off * 1e6 / self.emulated.chip.clock_hz

    def drive(self, recording: Recording, from_ms: int, to_ms: int, handset: nuvrik.Handset) -> None:
        """Let a handset play a part of a recording into its line, at the line's own speed."""
        start_us = self.emulated.us
        for ms in range(from_ms, to_ms, 2):
            recording.play_into(handset, ms, ms)
            wire = handset.send(ms)
            self.emulated.run(start_us + 1000 * (ms - from_ms))
            self.look()
            if wire:
                self.emulated.send(wire)
            answer = bytes(byte for _, byte in self.emulated.said())
            if answer:
                handset.feed(answer, ms)


def be_on_a_terminal(program: Path, library: Path, link: nuvrik.Link) -> None:
    """Be a board on a cable, in real time, until killed. Says the port's name; and with its own time in
    milliseconds "on" and "off" when its pins go so, and "silent" when nothing has come for a while."""
    chip = Chip(link, Emulated(library, program, CHIPS["atmega328p"]))
    chip.emulated.look_every(64)
    master, slave = pty.openpty()
    tty.setraw(slave)
    os.set_blocking(master, False)
    print(os.ttyname(slave), flush=True)
    begun, powered, heard_us, silent = time.monotonic(), False, 0.0, True
    while True:
        with contextlib.suppress(BlockingIOError):
            chip.emulated.send(os.read(master, 4096))
            heard_us, silent = chip.emulated.us, False
        # Where the computer is too slow for real time, the chip's time goes by more slowly.
        chip.emulated.run(min(1e6 * (time.monotonic() - begun), chip.emulated.us + 20_000))
        said = bytes(byte for _, byte in chip.emulated.said())
        if said:
            os.write(master, said)
        if chip.powered != powered:
            powered = not powered
            print("on" if powered else "off", int(chip.emulated.us / 1000), flush=True)
        if not silent and chip.emulated.us - heard_us > 100_000:
            silent = True
            print("silent", int(heard_us / 1000), flush=True)
        time.sleep(0.001)


if __name__ == "__main__":
    be_on_a_terminal(Path(sys.argv[1]), Path(sys.argv[2]), nuvrik.load(sys.argv[3]))
