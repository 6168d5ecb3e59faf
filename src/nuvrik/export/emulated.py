"""An emulated AVR that runs real firmware: what is on its pins, cycle by cycle, and what is in its memory.

Its time is its own cycles: nothing here looks at a clock. The emulator is a library of the operating system's
(``make toolchain``), and a few lines of C that come with this package are built against it on the spot."""

import ctypes
import subprocess
import weakref
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

from nuvrik.core.ranges import RANGES
from nuvrik.export.chips import Chip
from nuvrik.export.fit.kinds import inner_of
from nuvrik.export.program import Record
from nuvrik.export.shape import Shape
from nuvrik.plant.radio_chip import RadioChip

SOURCE = Path(__file__).parents[1] / "firmware" / "emulators" / "avr.c"
MOST = 1 << 14

CRASHED, RESET = 1, 2
ON_BUS, SELECTED, ENABLED = 0, 1, 2
_OnBus = ctypes.CFUNCTYPE(ctypes.c_uint8, ctypes.c_uint32, ctypes.c_uint32, ctypes.c_uint64)


POWER, BY_HAND, TOO_LOW, BY_WATCHDOG = 1, 2, 4, 8
"""Why a chip has started, as its register says it."""


class Change(NamedTuple):
    """A byte of data memory has become another: at which cycle, at which address, what."""

    cycle: int
    address: int
    value: int


class _Change(ctypes.Structure):
    _fields_ = (("cycle", ctypes.c_uint64), ("what", ctypes.c_uint32), ("value", ctypes.c_uint32))


class Measured(NamedTuple):
    """``resets`` since it was opened; the most cycles for which interrupts were ``off`` in a row, once they
    had been on; the ``deepest`` address of its stack; changes ``lost`` because nobody took them."""

    resets: int
    off: int
    deepest: int
    lost: int


def build_emulator(folder: Path, compiler: str = "gcc") -> Path:
    """Build what stands between Python and the emulator's library. CalledProcessError where that is not
    there."""
    made = folder / "avr.so"
    words = [compiler, "-O2", "-shared", "-fPIC", str(SOURCE), "-o", str(made), "-lsimavr", "-lelf"]
    subprocess.run(words, check=True, capture_output=True, text=True)
    return made


class Emulated:
    """One chip with a program in it, as it is when power comes.

    ``run`` lets time go by. ``changes`` gives what has changed of the bytes that ``watch`` names.
    """

    def __init__(self, library: Path, program: Path, chip: Chip) -> None:
        self.chip, self.program = chip, program
        self._library = ctypes.CDLL(str(library))
        self._library.emulated_open.restype = ctypes.c_void_p
        self._library.emulated_cycle.restype = ctypes.c_uint64
        self._library.emulated_data.restype = ctypes.POINTER(ctypes.c_uint8)
        self._library.emulated_keep.restype = ctypes.POINTER(ctypes.c_uint8)
        opened = self._library.emulated_open(str(program).encode(), chip.name.encode(), chip.clock_hz)
        if not opened:
            raise ValueError(f"{program}: the emulator cannot load it as a program for the {chip.name}")
        self._self = ctypes.c_void_p(opened)
        weakref.finalize(self, self._library.emulated_close, self._self)
        data = self._library.emulated_data(self._self)
        whole = (ctypes.c_uint8 * (chip.first_ram + chip.ram)).from_address(ctypes.addressof(data.contents))
        self.memory = memoryview(whole).cast("B")
        self._room = (_Change * MOST)()

    @property
    def cycle(self) -> int:
        """How many cycles have gone by."""
        return int(self._library.emulated_cycle(self._self))

    @property
    def us(self) -> float:
        """The same in microseconds."""
        return self.cycle * 1e6 / self.chip.clock_hz

    def run(self, until_us: float) -> bool:
        """Run to a moment. True: it has been reset on the way, and has started again. RuntimeError if the
        program has crashed."""
        until, reset = ctypes.c_uint64(int(until_us * self.chip.clock_hz / 1e6)), False
        while (state := self._library.emulated_run(self._self, until)) == RESET:
            reset = True
        if state == CRASHED:
            raise RuntimeError(f"{self.program}: the program has crashed at cycle {self.cycle}")
        return reset

    def watch(self, *addresses: int) -> None:
        """Look at bytes of data memory after every instruction."""
        for address in addresses:
            self._library.emulated_watch(self._self, address)

    def keep(self, first: int, size: int, when: int) -> memoryview:
        """A piece of memory as it was when the byte at an address last became 0."""
        kept = self._library.emulated_keep(self._self, first, size, when)
        return memoryview((ctypes.c_uint8 * size).from_address(ctypes.addressof(kept.contents))).cast("B")

    def look_every(self, cycles: int) -> None:
        """Look only so often from now on: faster, and coarser."""
        self._library.emulated_look_every(self._self, cycles)

    def changes(self) -> Iterator[Change]:
        """What has changed since this was last asked."""
        while count := self._library.emulated_changes(self._self, self._room, MOST):
            yield from [Change(one.cycle, one.what, one.value) for one in self._room[:count]]

    def use_line(self, number: int) -> None:
        """From now on its line is this one, of those that it has."""
        self._library.emulated_line(self._self, ctypes.c_char(str(number).encode()))

    def send(self, data: bytes, byte_cycles: int = 0) -> None:
        """Send bytes to its line; at its own speed, unless it is said how many cycles each takes."""
        self._library.emulated_send(self._self, data, len(data), byte_cycles)

    def said(self) -> list[tuple[int, int]]:
        """What has come out of its line: cycle and byte."""
        count = self._library.emulated_said(self._self, self._room, MOST)
        return [(one.cycle, one.value) for one in self._room[:count]]

    def reset(self, why: int) -> None:
        """Reset it."""
        self._library.emulated_reset(self._self, why)

    def volts(self, channel: int, millivolts: int) -> None:
        """Put a voltage on an analog pin."""
        self._library.emulated_volts(self._self, channel, millivolts)

    def level(self, port: str, bit: int, high: bool) -> None:
        """Put a level on a pin from outside."""
        self._library.emulated_level(self._self, ctypes.c_char(port.encode()), bit, int(high))

    @property
    def measured(self) -> Measured:
        """What has been measured on the way."""
        into = (ctypes.c_uint64 * 4)()
        self._library.emulated_measured(self._self, into)
        return Measured(*into)

    def hang_on_bus(self, radio: RadioChip, select: int, enable: int, news: int | None) -> None:
        """A radio chip hangs on its SPI bus, and on these pins."""

        def on_bus(what: int, value: int, cycle: int) -> int:
            us = cycle * 1e6 / self.chip.clock_hz
            if what == ON_BUS:
                return radio.exchange(value, us)
            (radio.csn if what == SELECTED else radio.ce)(bool(value), us)
            return 0

        # It is called for as long as the chip lives.
        self._on_bus = _OnBus(on_bus)
        places = [(ctypes.c_char(place[0].encode()), int(place[1])) for place in self.chip.places]
        self._library.emulated_bus(self._self, self._on_bus, *places[select], *places[enable])
        self.radio, self._news = radio, news

    def run_with_radio(self, until_us: float) -> None:
        """Run to a moment, and then tell it whether its radio has news."""
        self.run(until_us)
        if self._news is not None:
            port, bit = self.chip.places[self._news][0], int(self.chip.places[self._news][1])
            self.level(port, bit, self.radio.irq(self.us))

    def symbol(self, name: str) -> int:
        """The address in data memory of a variable of the program. KeyError if there is none."""
        words = ["avr-nm", str(self.program)]
        for line in subprocess.run(words, check=True, capture_output=True, text=True).stdout.splitlines():
            address, *_, known = line.split()
            # A linker that looks at the whole program adds to the names of what is private to a file.
            if known == name or known.startswith(f"{name}.lto_priv"):
                return int(address, 16) & 0xFFFF
        raise KeyError(name)


AN_ADDRESS = 2
"""Bytes of an address on an AVR."""


class View:
    """A record of core as it lies in a chip's memory: the fields have the names that they have in Python.

    Without gaps: so an AVR's compiler lays it out."""

    def __init__(self, memory: memoryview, address: int, record: Record, shape: Shape) -> None:
        self._memory, self._record, self._shape = memory, record, shape
        self._at: dict[str, tuple[int, str]] = {}
        self.address = address
        """Where it begins."""
        for field, width in shape.kept(record).items():
            self._at[field] = address, width
            address += shape.size_in(record, field, AN_ADDRESS)
        self.size = address - self.address
        """How many bytes it takes."""

    def moved(self, memory: memoryview) -> "View":
        """The same record at the beginning of another piece of memory."""
        return View(memory, 0, self._record, self._shape)

    def where(self, field: str) -> int:
        """The address of a field."""
        return self._at[field][0]

    def __getattr__(self, name: str) -> Any:
        try:
            address, width = self._at[name]
        except KeyError:
            raise AttributeError(name) from None
        inner = inner_of(width)
        return _Views(self, address, inner) if inner else self._value(address, width)

    def _value(self, address: int, width: str) -> Any:
        if width not in RANGES:
            return View(self._memory, address, self._shape.program.records[width], self._shape)
        data = bytes(self._memory[address : address + self._size_of(width)])
        return int.from_bytes(data, "little", signed=RANGES[width].low < 0)

    def _size_of(self, width: str) -> int:
        return self._shape.size_of(width, AN_ADDRESS)


class _Views:
    """A list in a chip's memory."""

    def __init__(self, view: View, address: int, of: str) -> None:
        self._view, self._address, self._of = view, address, of

    def __getitem__(self, at: int) -> Any:
        return self._view._value(self._address + at * self._view._size_of(self._of), self._of)
