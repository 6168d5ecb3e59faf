"""Serial modules that hand bytes on: the sums of a link against a stand-in that goes by bytes."""

import random
import re

import pytest
from links import with_medium

import nuvrik
from nuvrik.budget.line import budget
from nuvrik.budget.stop import stop_bound
from nuvrik.plan.form.media import SerialMedium, transit_us
from nuvrik.plan.load import examine
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import rehearse
from nuvrik.wire.frames import Encoder


class Modules:
    """A pair, from the line of one end to the line of the other. It cuts what comes where the line rests, or
    a packet is full; sends a packet when the one before has gone; and drops what it has no room for, the
    newest."""

    def __init__(self, medium: SerialMedium) -> None:
        self.medium, self.byte_us = medium, 10_000_000 / medium.baud
        self.packet: list[bytes] = []
        self.waiting: list[tuple[float, bytes]] = []
        self.last_us = self.air_us = self.out_us = 0.0
        self.dropped = 0
        self.out: list[tuple[float, bytes]] = []

    def take(self, frame: bytes, us: float) -> None:
        """A frame comes in from ``us`` on, byte by byte."""
        for at in range(len(frame)):
            now = us + (at + 1) * self.byte_us
            # Between two bytes that follow each other the line does not rest.
            self.until(now - self.byte_us)
            kept = sum(len(data) for _, data in self.waiting) + len(self.packet)
            if kept >= self.medium.buffer_bytes:
                self.dropped += 1
                continue
            self.packet.append(frame[at : at + 1])
            self.last_us = now
            if len(self.packet) == self.medium.packet_bytes:
                self._end(now)

    def until(self, us: float) -> None:
        """Let time go by."""
        if self.packet and us - self.last_us >= 1000 * self.medium.pause_ms:
            self._end(self.last_us + 1000 * self.medium.pause_ms)
        while self.waiting and max(self.waiting[0][0], self.air_us) <= us:
            ready, data = self.waiting.pop(0)
            bits = 8 * (len(data) + self.medium.overhead_bytes)
            self.air_us = max(ready, self.air_us) + bits * 1_000_000 / self.medium.air_bitrate
            self.out_us = max(self.air_us, self.out_us) + len(data) * self.byte_us
            self.out.append((self.out_us, data))

    def _end(self, us: float) -> None:
        self.waiting.append((us, b"".join(self.packet)))
        self.packet = []


def came(modules: Modules, frames: int, length: int, period_us: int) -> list[float]:
    """How long each of some frames took, those that came whole."""
    for at in range(frames):
        modules.take(bytes([at] * length), at * period_us)
    modules.until(1e12)
    took, whole = [], dict[int, int]()
    for us, data in modules.out:
        for at in set(data):
            whole[at] = whole.get(at, 0) + data.count(at)
            if whole[at] == length:
                took.append(us - at * period_us)
    return took


def a_medium(rng: random.Random) -> SerialMedium:
    """Any."""
    return SerialMedium(
        kind="serial",
        driver="serial_module",
        baud=rng.choice((9600, 57600, 115200)),
        air_bitrate=rng.choice((2400, 9600, 64_000, 250_000)),
        pause_ms=rng.randrange(1, 9),
        packet_bytes=rng.choice((8, 58, 240)),
        overhead_bytes=rng.randrange(20),
        buffer_bytes=60_000,
    )


def test_a_frame_takes_as_long_as_the_sums_say() -> None:
    rng = random.Random(3)
    for _ in range(300):
        medium, length = a_medium(rng), rng.randrange(4, 40)
        wanted = transit_us(medium, length)
        # Slow enough that the line rests, and the one before has gone.
        period_us = 3 * wanted
        took = came(Modules(medium), 100, length, period_us)
        assert len(took) == 100
        # A packet that is full needs no pause.
        whole = length < medium.packet_bytes
        assert all(one <= wanted + 4 for one in took)
        assert not whole or all(one >= wanted - 4 for one in took)


def test_told_too_fast_a_module_keeps_what_is_old() -> None:
    """As old as the warning says, and what is dropped is the newest."""
    said = 'kind = "serial"\ndriver = "serial_module"\nbuffer_bytes = 240'
    link = nuvrik.parse(re.sub("rate_hz = .*", "rate_hz = 20", with_medium(starter_text("tug"), said)))
    medium, wire = link.medium, Encoder(link).longest_on_wire
    assert isinstance(medium, SerialMedium)
    text = re.sub("rate_hz = .*", "rate_hz = 40", with_medium(starter_text("tug"), said))
    problem = next(p for p in examine(text, "t.toml")[1] if p.where == "link.rate_hz")
    assert problem.level == "warning"
    kept, old_ms = map(int, re.findall(r"(\d+) wait in a module, the last (\d+) ms", problem.what)[0])
    modules = Modules(medium)
    took = came(modules, 250, wire, int(medium.air_us(wire) * 0.7))
    assert modules.dropped and kept == medium.buffer_bytes // wire
    # Pieces of frames, for which there was just room, are packets of their own, and as old again at most.
    assert old_ms < max(took) / 1000 < 2 * old_ms


BAD = {
    'kind = "serial"\nair_bitrate = 9600': ("medium.air_bitrate", "driver names none"),
    'kind = "serial"\ndriver = "serial_module"\nair_bitrate = 1200': ("link.rate_hz", "a frame takes"),
    'kind = "serial"\ndriver = "serial_module"\nair_bitrate = 100000\npause_ms = 19': (
        "medium.pause_ms",
        "rest",
    ),
    'kind = "serial"\ndriver = "serial_module"\nair_bitrate = 100000\npacket_bytes = 5': (
        "medium.packet_bytes",
        "either part",
    ),
}


@pytest.mark.parametrize("said", BAD)
def test_what_such_modules_cannot_do_is_said_with_the_key(said: str) -> None:
    where, words = BAD[said]
    problems = examine(with_medium(starter_text("tug"), said), "t.toml")[1]
    assert any(one.where == where and words in one.what for one in problems), problems


@pytest.mark.parametrize("name", starter_names())
def test_every_sealed_starter_stops_in_time_through_modules(name: str) -> None:
    said = 'kind = "serial"\ndriver = "serial_module"\nbaud = 115200\nair_bitrate = 250000\njitter_ms = 5'
    text = starter_text(name)
    if not nuvrik.parse(text).frame.sealed or "[medium.machine]" in text:
        pytest.skip("its frames do not go over a wire")
    link = nuvrik.parse(with_medium(text, said))
    plain = nuvrik.parse(with_medium(text, 'kind = "serial"\nbaud = 115200\njitter_ms = 5'))
    assert stop_bound(link).worst_ms > stop_bound(plain).worst_ms + 3
    assert budget(link).worst_ms > budget(plain).worst_ms + 3
    if link.outputs:
        for fault in ("cable_pulled", "jam"):
            assert rehearse(link, FAULTS[fault], 1).verdict != "fail"
