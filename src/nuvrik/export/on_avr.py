"""A machine that is real firmware on an emulated AVR, told and asked as the library's own is.

It decides nothing: bytes go into the chip's line, time goes by, and what the program holds in its memory says
what it does. When its motors are off is read from its pins, to the cycle."""

import shutil
import subprocess
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from nuvrik.core.levels import TIMER_MAX
from nuvrik.core.loops.receiver import ReceiverTable
from nuvrik.core.machine.outputs import IS_STEPPER
from nuvrik.ends.machine import Machine
from nuvrik.export.boards import END, misfits, uses_of_outputs, uses_of_sensors
from nuvrik.export.chip_pins import Pins
from nuvrik.export.chips import CHIPS, Chip
from nuvrik.export.elsewhere import ElsewhereMachine, Step
from nuvrik.export.emulated import Emulated, View, build_emulator
from nuvrik.export.firmware import firmware
from nuvrik.export.fitted_c import shape_of
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs.base import PLAIN, PWM
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.tables.ends import end_table
from nuvrik.plan.telemetry import ANALOG, CONTACT, Raw
from nuvrik.wire.cobs import unstuff
from nuvrik.wire.events import Event, Frame, RefusedFrame
from nuvrik.wire.frames import Encoder

BYTE_US = 20
"""Frames come whole in a rehearsal: their time on the way has been counted there. So a byte takes as little
as the chip can stand."""

DIGESTS_US = 2000
"""How long after its last byte a frame has done whatever it does: less than two turns of the loop."""

BOOTS_US = 40_000
"""The loop runs well before that; its boot number is written into EEPROM first."""

BOOTS_WITH_KEY_US = 1_500_000
"""With a key, its two clocks are looked at first, and its start is counted. The watchdog's own clock does not
run here, so it waits for longer than a chip does."""

KINDS = ("motors", "servos", "steppers", "switches")

LOOKS_CYCLES = 64
"""Four microseconds: that is finely enough looked, and in half the time."""


LOOP = "nuvrik"
"""What the loop is called in its firmware."""


def end_in(chip: Emulated, link: Link, *, answers: bool = True) -> View:
    """The machine's end in a chip's memory, or a receiver."""
    shape = shape_of(Wanted(link, "link.toml", chip.chip.name, answers=answers))
    kind = "ReceiverLoop" if isinstance(shape.table, ReceiverTable) else "MachineLoop"
    end: View = View(chip.memory, chip.symbol(LOOP), shape.program.records[kind], shape).end
    return end


class AvrMachine(ElsewhereMachine):
    """A machine on a chip. Its clock is the chip's own, and goes on by what now_ms goes on."""

    def __init__(self, link: Link, chip: Emulated) -> None:
        self.chip = chip
        self._pins = Pins(chip.chip)
        self._power = [use.pin for use in uses_of_outputs(link) if use.role == PWM]
        self._sensors = {use.of: use for use in uses_of_sensors(link)}
        # Power pins, and those that say which way.
        self._shown = [use.pin for use in uses_of_outputs(link) if use.role in (PWM, PLAIN)]
        chip.watch(*{at(pin) for pin in self._power for at in (self._pins.port, self._pins.control)})
        chip.watch(*{at for pin in self._shown for at in (self._pins.port(pin), self._pins.port(pin) - 1)})
        compares = [(self._pins.compare(pin), pin) for pin in self._power]
        chip.watch(*{at + byte for (at, size), _ in compares for byte in range(size)})
        self._most = {
            use.pin: getattr(link.outputs[use.of], "duty_max", 255) for use in uses_of_outputs(link)
        }
        self._registers = bytearray(chip.memory)
        self._view = memoryview(self._registers)
        self._changes: list[tuple[float, int, float]] = []
        self._levels: dict[int, float] = {}
        chip.look_every(LOOKS_CYCLES)
        chip.run(BOOTS_WITH_KEY_US if link.authenticated else BOOTS_US)
        self._wire = Encoder(link, stream=True)
        self._heard = b""
        self._memory = end_in(chip, link)
        # What it had decided when it last wrote its pins: between that and now a frame may have come in.
        first, size = self._memory.address, self._memory.size
        self._written = self._memory.moved(chip.keep(first, size, self._memory.where("told")))
        self._looks_at = self._memory
        self._now_ms: int | None = None
        self._target_us = chip.us
        self._off_us: float | None = None
        self._last_change_us = 0.0
        super().__init__(link, self, stream=True)

    # ---- as a runner ----

    def do(self, step: Step) -> tuple[list[int], list[int]]:
        """There is nothing to be done but to look: what it does it does by itself."""
        end = self._looks_at
        watch, outputs = end.machine.watch, end.machine.outputs
        found = [watch.state, watch.why, watch.place, watch.number, end.accepted, end.refused]
        for kind, at in self._kinds_and_places:
            one = getattr(outputs, KINDS[kind])[at]
            told = one.demand
            found += [told.at, told.value, told.way, told.driven, told.braked]
            if kind == IS_STEPPER:
                found += [one.steps_left, one.whole, one.part]
            found.append(0)
        return [], found

    @cached_property
    def _kinds_and_places(self) -> list[tuple[int, int]]:
        return [(one.kind, one.at) for one in end_table(self.link, stream=True).machine.outputs.outputs]

    # ---- as a machine ----

    def _run(self, now_ms: int) -> None:
        """Let it be now_ms."""
        if self._now_ms is not None:
            self._target_us += 1000 * ((now_ms - self._now_ms) & TIMER_MAX)
        self._now_ms = now_ms
        self._go(self._target_us)

    def _go(self, until_us: float) -> None:
        self.chip.run(until_us)
        memory = self.chip.memory
        for change in self.chip.changes():
            us = change.cycle * 1e6 / self.chip.chip.clock_hz
            self._registers[change.address] = change.value
            for pin in self._shown:
                self._note(us, pin)
        on = any(self._pins.powered(memory, pin) for pin in self._power)
        if on:
            self._off_us = None
        elif self._off_us is None:
            self._off_us = self._last_change_us

    def _note(self, us: float, pin: int) -> None:
        """Note what a pin is at, if that has changed. Only a pin with power says when it was off."""
        duty = self._pins.duty(self._view, pin) if pin in self._power else None
        if duty is None:
            share = float(self._pins.high(self._view, pin))
        else:
            # Narrow timers count to 255, whatever full is called.
            share = min(1.0, duty / (255 if self._pins.compare(pin)[1] == 1 else self._most[pin]))
        if share != self._levels.get(pin, 0.0):
            self._levels[pin] = share
            self._changes.append((us, pin, share))
            if pin in self._power:
                self._last_change_us = us

    @property
    def pins_seen(self) -> list[tuple[float, int, float]]:
        """What its pins have done."""
        return [(self._target_us - us, pin, share) for us, pin, share in self._changes]

    @property
    def off_for_us(self) -> float | None:
        """How long no pin has let a motor turn, None while one does or where nothing has PWM."""
        if self._off_us is None or not self._power:
            return None
        return self._target_us - self._off_us

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        """Send bytes down its line, and see how many frames it accepts."""
        self._run(now_ms)
        accepted, refused = self._memory.accepted, self._memory.refused
        if not self.link.authenticated and not self._memory.sealed.has_last:
            self._words.forget()
        if self.link.medium.datagrams:
            # A module hands packets on to the chip as a stream.
            data = self._wire.on_wire(data)
        self.chip.send(data, BYTE_US * self.chip.chip.clock_hz // 1_000_000)
        self._go(self.chip.us + BYTE_US * len(data) + DIGESTS_US)
        self._do([])
        good = self._memory.accepted - accepted
        bad = (self._memory.refused - refused) & TIMER_MAX
        self.counts["accepted"] += good
        said = list(self._words.feed(data))
        frames = [one for one in said if isinstance(one, Frame)]
        others = [one for one in said if not isinstance(one, Frame)]
        # The words are the library's, the numbers the chip's.
        if len(frames) < good:
            self._words.forget()
            frames = [one for one in self._words.feed(data) if isinstance(one, Frame)]
            frames += [Frame(0, 0, None, (), data)] * (good - len(frames))
        others += [RefusedFrame(0, "out_of_order", data)] * (bad - len(others))
        return [*frames[:good], *others[:bad]]

    def tick(self, now_ms: int) -> list[Demand]:
        """Let it be now_ms, and see what it does."""
        self._run(now_ms)
        self._looks_at = self._written
        self._do([])
        self._looks_at = self._memory
        return self._demands

    def sense(self, now_ms: int, **readings: Raw) -> None:
        """Put readings on its pins, where a board reads them by itself."""
        for name, raw in readings.items():
            use = self._sensors.get(name)
            if use is None or raw is None:
                continue
            number = self.link.telemetry[name].numbers(raw)[0]
            if use.role == ANALOG:
                channel = use.pin - self.chip.chip.analog.start
                self.chip.volts(channel, (max(0, min(1023, number)) * 5000 + 2500) // 1024)
            elif use.role in (CONTACT, END):
                port, bit = self._pins.places[use.pin]
                self.chip.level(port, bit, bool(number))

    def send(self, now_ms: int) -> bytes:
        """What has come out of its line since this was last asked."""
        self._run(now_ms)
        self._heard += bytes(byte for _, byte in self.chip.said())
        if not self.link.medium.datagrams:
            said, self._heard = self._heard, b""
            return said
        said, end, rest = self._heard.lstrip(b"\0").partition(b"\0")
        if not end:
            return b""
        self._heard = rest
        return bytes(unstuff(said) or b"")


@dataclass(frozen=True)
class OnAvr:
    """Makes machines on an emulated chip, out of firmware that ``on_avr`` has built."""

    emulator: Path
    program: Path
    chip: Chip

    def __call__(self, link: Link) -> Machine:
        return AvrMachine(link, Emulated(self.emulator, self.program, self.chip))


class NotHere(Exception):
    """This computer lacks something, or the link fits on no chip; says what."""


def chip_for(link: Link) -> Chip:
    """The smallest chip on which a link fits. NotHere where there is none."""
    for chip in CHIPS.values():
        if not any(misfits(link, chip)):
            return chip
    first = next(iter(misfits(link, list(CHIPS.values())[-1])))
    raise NotHere(f"{link.name} fits on no chip that is emulated: {first.where}: {first.what}")


def built(wanted: Wanted, folder: Path, main: str | None = None) -> Path:
    """Write firmware into a folder and build it, with a ``main.c`` of one's own if there is one.
    CalledProcessError if that fails."""
    made = firmware(wanted)
    for name, text in (made.files | made.own | ({"main.c": main} if main else {})).items():
        (folder / name).write_text(str(text), "utf-8")
    subprocess.run(["make"], cwd=folder, check=True, capture_output=True, text=True)
    return folder / "firmware.elf"


def on_avr(link: Link, folder: Path, chip: Chip | None = None) -> OnAvr:
    """Build a link's firmware and the emulator, and make machines of them. NotHere, CalledProcessError."""
    for tool in ("avr-gcc", "make", "gcc"):
        if not shutil.which(tool):
            raise NotHere(f"there is no {tool} here; `make toolchain` installs it")
    chip = chip or chip_for(link)
    return OnAvr(build_emulator(folder), built(Wanted(link, f"{link.name}.toml", chip.name), folder), chip)
