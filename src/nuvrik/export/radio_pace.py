"""What a radio chip takes of its machine's time: lines of its driver and bytes on its bus, counted on a drive
over a perfect air. A turn in which nothing happens counts for nothing: a loop turns as often as it can."""

import sys
from types import FrameType
from typing import Any, NamedTuple

from nuvrik.core.loops import packet_radio
from nuvrik.core.loops.packet_radio import PacketRadio
from nuvrik.plan.form.media import RadioMedium, RadioPins
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.radio import radio_table
from nuvrik.plant.radio_chip import Ether, RadioChip

SECONDS = 2
"""Driven for, once everything hears: all registers are read back in a fifth of one."""

PINS = RadioPins(csn=0, ce=1, irq=2)


class RadioPace(NamedTuple):
    """A second of a machine's radio: lines of its driver, bytes on its bus, and exchanges of them."""

    lines: float
    bytes: float
    exchanges: float


class _End:
    """One end's chip, and the board that it hangs on."""

    def __init__(self, link: Link, end: str, ether: Ether) -> None:
        self.us = 0.0
        self.bytes = self.exchanges = 0
        self.chip = RadioChip(ether)
        self.radio = PacketRadio(radio_table(link, end), self)  # type: ignore[arg-type]
        self.into = [0] * packet_radio.MOST_BOX
        self.radio.begin()

    def spi(self, box: list[int], count: int) -> None:
        self.bytes, self.exchanges = self.bytes + count, self.exchanges + 1
        for at in range(count):
            box[at] = self.chip.exchange(box[at], self.us)

    def pin(self, pin: int, high: bool) -> None:
        (self.chip.csn if pin == PINS.csn else self.chip.ce)(bool(high), self.us)

    def input(self, pin: int, what: int) -> int:
        return int(self.chip.irq(self.us))

    def turn(self, us: float, packet: list[int]) -> bool:
        """A turn of a millisecond: whether ``packet`` was sent, if there is one."""
        self.us = us
        self.radio.pass_time(1)
        self.radio.tend()
        while self.radio.packet(self.into):
            pass
        if packet and self.radio.free():
            self.radio.give(packet, len(packet))
            return True
        return False


def radio_pace(link: Link, medium: RadioMedium, frame_bytes: int) -> RadioPace:
    """A second of it: a frame every period, and what the machine tells in between."""
    # Without the chip's own wire it is looked at once a millisecond.
    wired = medium.machine is None or medium.machine.irq is not None
    pins = PINS if wired else PINS.model_copy(update={"irq": None})
    medium = medium.model_copy(update={"machine": pins, "handset": pins})
    link = link.model_copy(update={"medium": medium})
    ether, counted = Ether(), [0]
    machine, handset = _End(link, "machine", ether), _End(link, "handset", ether)
    every_ms = [item.every_ms for item in link.telemetry.values()]
    answers = [1] * frame_bytes if every_ms else []
    frame = [1] * frame_bytes

    def trace(where: FrameType, event: str, _: object) -> Any:
        if where.f_code.co_filename != packet_radio.__file__:
            return None
        counted[0] += event == "line"
        return trace

    starts_ms, before, turns, waits = 500, (0, 0), list[int](), 0
    for now_ms in range(starts_ms + 1000 * SECONDS):
        if now_ms == starts_ms:
            before = machine.bytes, machine.exchanges
        us = 1000.0 * now_ms
        handset.turn(us, frame if now_ms % link.period_ms == 0 else [])
        waits += sum(now_ms % each == 0 for each in every_ms)
        counted[0] = 0
        was = sys.gettrace()
        sys.settrace(trace)
        try:
            waits -= machine.turn(us + 500, answers if waits else [])
        finally:
            sys.settrace(was)
        turns.append(counted[0])
    turns = turns[starts_ms:]
    idle = min(turns)
    return RadioPace(
        sum(lines - idle for lines in turns) / SECONDS,
        (machine.bytes - before[0]) / SECONDS,
        (machine.exchanges - before[1]) / SECONDS,
    )
