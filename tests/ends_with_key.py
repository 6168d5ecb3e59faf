"""Ends of a link with a key, each with the same few things to do: the library's own, and core's, in Python or
as C."""

import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

import nuvrik
from nuvrik.core.frames.sealed import ACCEPTED
from nuvrik.core.loops.handset_end import HandsetEnd
from nuvrik.core.loops.machine_end import MachineEnd
from nuvrik.export.fit.roots import roots_of
from nuvrik.export.micropython import core_files
from nuvrik.export.wanted import Wanted
from nuvrik.plan.tables.ends import end_table
from nuvrik.plan.tables.handset_end import handset_end_table
from nuvrik.wire.events import Frame
from nuvrik.wire.messages import only_asks

Random = Callable[[int], bytes]


class AMachine(Protocol):
    """A machine's end, in packets."""

    def obeyed(self, wire: bytes, now_ms: int) -> int | None:
        """Take a packet; the kind of the frame that it obeys, None where it obeys none."""

    def tick(self, now_ms: int) -> object:
        """A turn of its loop."""

    def send(self, now_ms: int) -> bytes:
        """What it sends now."""


class AHandset(Protocol):
    """A handset's end, in packets."""

    def is_on(self, control: str) -> bool:
        """Whether a control is on, as the link file shapes it."""

    def read(self, now_ms: int, **row: int | None) -> None:
        """What its controls read."""

    def send(self, now_ms: int) -> bytes:
        """What it sends now."""

    def feed(self, wire: bytes, now_ms: int) -> object:
        """Take a packet."""


class OurMachine:
    """The library's own."""

    def __init__(self, link: nuvrik.Link, random: Random) -> None:
        self.end = nuvrik.Machine(link, stream=False, random=random)
        self.tick, self.send = self.end.tick, self.end.send

    def obeyed(self, wire: bytes, now_ms: int) -> int | None:
        for event in self.end.feed(wire, now_ms):
            if isinstance(event, Frame) and not only_asks(event.values):
                return event.kind
        return None


class OurHandset:
    """The library's own."""

    def __init__(self, link: nuvrik.Link, random: Random) -> None:
        self.end = nuvrik.Handset(link, stream=False, random=random)
        self.read, self.send, self.feed = self.end.read, self.end.send, self.end.feed

    def is_on(self, control: str) -> bool:
        return self.end.core.hands.value(self.end.control_names.index(control)) > 0


def _prepared(end: Any, link: nuvrik.Link) -> Any:
    for at, byte in enumerate(link.key.secret):
        end.session.tags.cmac.key[at] = byte
    end.session.tags.cmac.set_key()
    return end


class CoreMachine:
    """Core's, as ``make`` makes one of its table."""

    def __init__(self, link: nuvrik.Link, random: Random, make: Callable[[Any], Any] = MachineEnd) -> None:
        self.end = _prepared(make(end_table(link, stream=False)), link)
        self.end.begin(1, 0, 1)
        for at, byte in enumerate(random(8)):
            self.end.session.nonce[at] = byte
        self.end.drawn()

    def obeyed(self, wire: bytes, now_ms: int) -> int | None:
        self.end.pass_time(now_ms & 0xFFFF)
        self.end.begin_packet()
        for byte in wire:
            self.end.packet_byte(byte)
        return int(self.end.sealed.kind) if self.end.end_packet() == ACCEPTED else None

    def tick(self, now_ms: int) -> None:
        self.end.pass_time(now_ms & 0xFFFF)
        self.end.turn()
        self.end.written()

    def send(self, now_ms: int) -> bytes:
        self.end.pass_time(now_ms & 0xFFFF)
        return bytes(self.end.sender.wire[: self.end.sender.count]) if self.end.send() else b""


class CoreHandset:
    """Core's, as ``make`` makes one of its table."""

    def __init__(self, link: nuvrik.Link, random: Random, make: Callable[[Any], Any] = HandsetEnd) -> None:
        self.end, self.random = _prepared(make(handset_end_table(link, stream=False)), link), random
        self.names = list(link.controls)
        self.end.begin(1)

    def is_on(self, control: str) -> bool:
        return bool(self.end.handset.hands.value(self.names.index(control)) > 0)

    def read(self, now_ms: int, **row: int | None) -> None:
        self.end.pass_time(now_ms & 0xFFFF)
        for name, raw in row.items():
            if raw is not None:
                self.end.read(self.names.index(name), raw)
        self.end.have_read()

    def send(self, now_ms: int) -> bytes:
        self.end.pass_time(now_ms & 0xFFFF)
        if self.end.session.wants:
            for at, byte in enumerate(self.random(8)):
                self.end.session.asked[at] = byte
            self.end.session.drawn()
        sender = self.end.writer.sender
        return bytes(sender.wire[: sender.count]) if self.end.send() else b""

    def feed(self, wire: bytes, now_ms: int) -> None:
        self.end.pass_time(now_ms & 0xFFFF)
        self.end.begin_packet()
        for byte in wire:
            self.end.packet_byte(byte)
        self.end.end_packet()


PROGRAM = """
import sys
from nuvrik.core.loops.machine_end import MachineEnd
from nuvrik.tables import link as table
end = MachineEnd(table)
key, nonce = (bytes.fromhex(word) for word in sys.stdin.readline().split())
for at in range(16):
    end.session.tags.cmac.key[at] = key[at]
end.session.tags.cmac.set_key()
end.begin(1, 0, 1)
for at in range(8):
    end.session.nonce[at] = nonce[at]
end.drawn()
while True:
    words = sys.stdin.readline().split()
    if not words:
        break
    end.pass_time(int(words[1]))
    if words[0] == "take":
        end.begin_packet()
        for byte in bytes.fromhex(words[2]):
            end.packet_byte(byte)
        print(end.sealed.kind if end.end_packet() == 1 else -1)
    elif words[0] == "tick":
        end.turn()
    else:
        print(bytes(end.sender.wire[: end.sender.count]).hex() if end.send() else "")
"""


class PipedMachine:
    """Core's in MicroPython, as it is exported to a board that has its cipher in C."""

    def __init__(self, link: nuvrik.Link, random: Random, interpreter: str, folder: Path) -> None:
        wanted = Wanted(link, "link.toml", "rp2040", packets=True)
        table, there = wanted.end_table, folder / f"export{len(list(folder.iterdir()))}"
        assert table is not None
        for name, text in core_files(table, roots_of(wanted), readable=False, ciphers=True).items():
            (there / "nuvrik" / name).parent.mkdir(parents=True, exist_ok=True)
            (there / "nuvrik" / name).write_text(text, "utf-8")
        (there / "nuvrik" / "__init__.py").write_text("", "utf-8")
        (there / "main.py").write_text(PROGRAM, "utf-8")
        self.process = subprocess.Popen(
            [interpreter, "main.py"], cwd=there, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self._say(f"{link.key.secret.hex()} {random(8).hex()}")

    def _say(self, text: str) -> None:
        assert self.process.stdin is not None
        self.process.stdin.write(text + "\n")
        self.process.stdin.flush()

    def _asked(self, text: str) -> str:
        assert self.process.stdout is not None
        self._say(text)
        return self.process.stdout.readline().strip()

    def obeyed(self, wire: bytes, now_ms: int) -> int | None:
        kind = int(self._asked(f"take {now_ms & 0xFFFF} {wire.hex()}"))
        return None if kind < 0 else kind

    def tick(self, now_ms: int) -> None:
        self._say(f"tick {now_ms & 0xFFFF}")

    def send(self, now_ms: int) -> bytes:
        return bytes.fromhex(self._asked(f"send {now_ms & 0xFFFF}"))

    def __del__(self) -> None:
        self.process.kill()
        self.process.wait()
