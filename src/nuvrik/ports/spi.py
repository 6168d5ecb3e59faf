"""A radio chip on a small computer's own SPI bus: ``spi:/dev/spidev0.0,ce=25``.

The chip's driver is core's, as on a board. The bus is the system's: one exchange is one message of
``spidev``, which selects the chip by itself. The line of CE is asked for at the system's GPIO device:
``ce=25`` is line 25 of the first, ``ce=4:25`` that of ``/dev/gpiochip4``. Numbers and records are those of
Linux (``linux/spi/spidev.h``, ``linux/gpio.h``); they have been tried with a stand-in only."""

import ctypes
import os
import re
import struct
import time
from collections import deque
from types import TracebackType
from typing import Any

from nuvrik.core.levels import NOBODY
from nuvrik.core.loops.packet_radio import MOST_BOX, PacketRadio, PacketRadioTable
from nuvrik.ends.asking import RADIO
from nuvrik.plan.form.media import RadioPins, chip_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.radio import radio_table
from nuvrik.ports.port import OneEnd, PortError
from nuvrik.rehearsal.on_air import KEPT

NAME = re.compile(r"spi:(?P<device>[^,]+),ce=(?:(?P<gpio>\d+):)?(?P<line>\d+)$")

SPEED_HZ = 8_000_000
WRITE_MODE, MESSAGE = 0x40016B01, 0x40206B00
TRANSFER = struct.Struct("=QQIIHBBBBBB")
"""A piece of a message: what goes out, what comes in, how many bytes, how fast; the rest stays 0."""

GET_LINES, SET_VALUES = 0xC250B407, 0xC010B40F
LINES_BYTES, LINE_COUNT_AT, LINE_FD_AT, FLAGS_AT = 592, 560, 588, 288
AS_OUTPUT = 8

LOOKS_S = 0.0005


def is_spi(name: str) -> bool:
    """Whether a port's name is that of a radio chip on a bus."""
    return name.startswith("spi:")


class SpiPort(OneEnd):
    """Packets through a radio chip. It is looked after whenever it is read, so a loop reads it once in a
    millisecond or two. Raises PortError, in plain words, for whatever goes wrong."""

    stream = False

    def __init__(self, name: str, link: Link, end: str, wait_s: float = 0.005) -> None:
        self.name, self._wait_s = name, wait_s
        medium, found = chip_of(link.medium), NAME.match(name)
        if medium is None:
            raise PortError(f"{name}: {link.name} does not go by a radio chip with a driver of ours")
        if not found:
            raise PortError(f"{name}: cannot be opened: write spi:/dev/spidev0.0,ce=25, the line of CE last")
        # Which pins a board has does not matter here: the system selects the chip, and CE is a line of its.
        pins = {end: RadioPins(csn=NOBODY, ce=0)}
        table = radio_table(link.model_copy(update={"medium": medium.model_copy(update=pins)}), end)
        self._opened: list[int] = []
        try:
            self._bus = self._open(found["device"])
            _ioctl(self._bus, WRITE_MODE, bytearray(1))
            self._ce = self._line(f"/dev/gpiochip{found['gpio'] or 0}", int(found["line"]))
        except OSError as error:
            self.close()
            reason = {2: "there is no such device; is its bus switched on?", 13: "no permission"}
            words = reason.get(error.errno or 0, (error.strerror or str(error)).lower())
            raise PortError(f"{name}: cannot be opened: {words}") from None
        self._out = (ctypes.c_uint8 * MOST_BOX)()
        self._into, self._waiting = [0] * MOST_BOX, deque[bytes](maxlen=KEPT[end])
        self._last_s = time.monotonic()
        self._radio = PacketRadio(made(PacketRadioTable, **vars(table)), self)  # type: ignore[arg-type]
        self._radio.begin()

    def _open(self, device: str) -> int:
        self._opened.append(os.open(device, os.O_RDWR | os.O_CLOEXEC))
        return self._opened[-1]

    def _line(self, device: str, line: int) -> int:
        """An output of the system's, low to begin with."""
        gpio, request = self._open(device), bytearray(LINES_BYTES)
        struct.pack_into("=I", request, 0, line)
        request[256:263] = b"nuvrik\0"
        struct.pack_into("=Q", request, FLAGS_AT, AS_OUTPUT)
        struct.pack_into("=I", request, LINE_COUNT_AT, 1)
        _ioctl(gpio, GET_LINES, request)
        self._opened.append(struct.unpack_from("=i", request, LINE_FD_AT)[0])
        return self._opened[-1]

    # ---- what the driver asks of its board ----

    def spi(self, box: list[int], count: int) -> None:
        """Exchange bytes with the chip."""
        out = self._out
        ctypes.memmove(out, bytes(box[:count]), count)
        at = ctypes.addressof(out)
        _ioctl(self._bus, MESSAGE, bytearray(TRANSFER.pack(at, at, count, SPEED_HZ, 0, 8, 0, 0, 0, 0, 0)))
        box[:count] = bytes(out[:count])

    def pin(self, pin: int, high: bool) -> None:
        """Let it work, or not; the system selects it."""
        if pin != NOBODY:
            _ioctl(self._ce, SET_VALUES, bytearray(struct.pack("=QQ", int(high), 1)))

    # ---- what a loop asks of its port ----

    def _turn(self) -> int:
        now_s, radio = time.monotonic(), self._radio
        gone_ms = int(1000 * (now_s - self._last_s))
        self._last_s += gone_ms / 1000
        radio.pass_time(min(gone_ms, 0xFFFF))
        radio.tend()
        count = radio.packet(self._into)
        if self._waiting and radio.free():
            packet = self._waiting.popleft()
            radio.give(list(packet), len(packet))
        return count

    def read(self) -> bytes:
        """One packet, b"" if none came within the wait."""
        until_s = time.monotonic() + self._wait_s
        try:
            while not (count := self._turn()):
                if time.monotonic() >= until_s:
                    return b""
                time.sleep(LOOKS_S)
        except OSError as error:
            raise PortError(f"{self.name}: has gone away: {error.strerror or error}") from None
        return bytes(self._into[:count])

    def write(self, data: bytes) -> bool:
        """Send a packet as soon as the chip is free. False if it does not work: nothing is sent then."""
        if self._radio.trouble:
            self._waiting.clear()
            return False
        self._waiting.append(data)
        return True

    @property
    def waits(self) -> str:
        """What is wrong with the chip; "" while nothing is."""
        trouble = self._radio.trouble
        return f"the radio at {self.name}: {RADIO[trouble]}" if trouble else ""

    def close(self) -> None:
        """Close the bus and the line; what is gone is closed already."""
        while self._opened:
            os.close(self._opened.pop())

    def __enter__(self) -> "SpiPort":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _ioctl(file: int, what: int, record: bytearray) -> Any:
    # Only Linux has it, and this is only for Linux.
    import fcntl

    return fcntl.ioctl(file, what, record)
