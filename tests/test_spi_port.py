"""A radio chip on a small computer's own bus: both ends of a link, each through what the system offers."""

import ctypes
import errno
import os
import struct
from pathlib import Path

import pytest
from links import write
from on_air import TUG, by_radio
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.machine.states import ARMED
from nuvrik.plan.starters import starter_text
from nuvrik.plant.radio_chip import Ether, RadioChip
from nuvrik.ports import spi
from nuvrik.ports.open import open_port
from nuvrik.ports.port import PortError

CABLE = nuvrik.parse(by_radio(starter_text("cable_rover")))


class System:
    """The devices of a system with two buses, a chip on each, as its own calls have them."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, ether: Ether) -> None:
        self.us = 0.0
        self.files: dict[int, str] = {}
        self.lines: dict[int, int] = {}
        self.chips = {"/dev/spidev0.0": RadioChip(ether), "/dev/spidev1.0": RadioChip(ether)}
        self.ce = {25: self.chips["/dev/spidev0.0"], 24: self.chips["/dev/spidev1.0"]}
        self._open, self._close = os.open, os.close
        monkeypatch.setattr(spi.os, "open", self.open)
        monkeypatch.setattr(spi.os, "close", self.close)
        monkeypatch.setattr(spi, "_ioctl", self.ioctl)
        monkeypatch.setattr(spi.time, "monotonic", lambda: self.us / 1e6)

    def open(self, name: str, flags: int, *more: object) -> int:
        if not name.startswith("/dev/"):
            return self._open(name, flags, *more)  # type: ignore[arg-type]
        if name not in self.chips and name != "/dev/gpiochip0":
            raise OSError(errno.ENOENT, "No such file or directory")
        self.files[1000 + len(self.files)] = name
        return 999 + len(self.files)

    def close(self, file: int) -> None:
        if file < 1000:
            self._close(file)

    def ioctl(self, file: int, what: int, record: bytearray) -> int:
        # As linux/spi/spidev.h and linux/gpio.h lay them out.
        size = what >> 16 & 0x3FFF
        assert size == len(record)
        if what & 0xFFFF == 0x6B00:
            chip = self.chips[self.files[file]]
            out, into, count, speed = struct.unpack_from("=QQII", record)
            assert 0 < count <= 33 and speed <= 10_000_000
            given = ctypes.string_at(out, count)
            chip.csn(False, self.us)
            came = bytes(chip.exchange(byte, self.us) for byte in given)
            chip.csn(True, self.us)
            ctypes.memmove(into, came, count)
        elif what & 0xFFFF == 0xB407:
            (line,), (flags,) = struct.unpack_from("=I", record), struct.unpack_from("=Q", record, 288)
            assert flags == 8 and struct.unpack_from("=I", record, 560) == (1,)
            self.lines[5000 + line] = line
            struct.pack_into("=i", record, 588, 5000 + line)
        elif what & 0xFFFF == 0xB40F:
            bits, mask = struct.unpack("=QQ", record)
            assert mask == 1
            self.ce[self.lines[file]].ce(bool(bits), self.us)
        else:
            assert what & 0xFFFF == 0x6B01 and record == b"\0"
        return 0


class Both:
    """Both ends, each with its port."""

    def __init__(self, link: nuvrik.Link, system: System) -> None:
        self.system, self.link = system, link
        self.ports = [
            open_port(link, "spi:/dev/spidev0.0,ce=25", 0, "machine"),
            open_port(link, "spi:/dev/spidev1.0,ce=24", 0),
        ]
        self.machine, self.handset = nuvrik.Machine(link), nuvrik.Handset(link)
        self.now_ms = 0

    @property
    def driven(self) -> bool:
        return any(demand.level for demand in self.machine.demands)

    def run(self, ms: int, **row: int) -> None:
        ours, theirs = self.ports
        for _ in range(ms):
            self.now_ms += 1
            self.system.us += 1000
            now = self.now_ms
            self.handset.read(now, **row)
            if wire := self.handset.send(now):
                theirs.write(wire)
            self.machine.feed(ours.read(), now)
            if now % self.link.tick_ms == 0:
                self.machine.tick(now)
            while answer := self.machine.send(now):
                ours.write(answer)
            self.handset.feed(theirs.read(), now)


REST = {"stick_up": 512, "stick_across": 512, "arm_button": 1, "stop_button": 0}


def test_both_ends_drive_through_it_stop_when_it_is_pulled_and_come_back(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    system = System(monkeypatch, Ether())
    both = Both(CABLE, system)
    pushed = REST | {"stick_up": 1023}
    both.run(900, **REST)
    both.run(150, **REST | {"arm_button": 0})
    both.run(200, **REST)
    both.run(800, **pushed)
    assert both.machine.state is ARMED and both.driven and both.handset.machine_state is ARMED
    assert [port.waits for port in both.ports] == ["", ""]
    chip = system.chips["/dev/spidev0.0"]
    chip.absent = 0xFF
    both.run(int(stop_bound(CABLE).worst_ms) + 1, **pushed)
    assert not both.driven
    assert both.ports[0].waits == "the radio at spi:/dev/spidev0.0,ce=25: it did not answer"
    assert not both.ports[0].write(b"\1")
    chip.absent = None
    chip.power(system.us, 0)
    both.run(1200, **REST)
    both.run(600, **pushed)
    assert both.driven and both.ports[0].waits == ""
    assert all(one.refused == 0 for one in system.chips.values())


BAD = {
    "spi:/dev/spidev7.0,ce=25": "no such device",
    "spi:/dev/spidev0.0": "write spi:/dev/spidev0.0,ce=25",
    "spi:/dev/spidev0.0,ce=": "write spi:",
    "spi:": "write spi:",
    "spi:/dev/spidev0.0,ce=9:25": "no such device",
}


@pytest.mark.parametrize("name", BAD)
def test_a_port_that_is_none_is_a_sentence(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    System(monkeypatch, Ether())
    with pytest.raises(PortError, match=BAD[name]):
        open_port(TUG, name)
    with pytest.raises(PortError, match="does not go by a radio chip"):
        open_port(nuvrik.parse(starter_text("cable_rover")), "spi:/dev/spidev0.0,ce=25")


def test_a_command_says_what_is_wrong_in_one_sentence(tmp_path: Path) -> None:
    file = write(tmp_path, "tug.toml", by_radio(starter_text("tug")))
    said = nuvrik_command("hello", file, "--port", "spi:/dev/spidev99.0,ce=25", code=2)
    assert "no such device" in said and "Traceback" not in said
