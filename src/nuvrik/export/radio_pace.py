"""What a radio chip takes of its machine's time: lines of its driver and bytes on its bus, counted on a drive
over a perfect air. A turn in which nothing happens counts for nothing: a loop turns as often as it can."""

import sys
from types import FrameType
from typing import Any, NamedTuple

from nuvrik.core.loops import packet_radio
from nuvrik.plan.form.media import RadioMedium, RadioPins
from nuvrik.plan.form.models import Link
from nuvrik.plant.radio_chip import Ether
from nuvrik.rehearsal.on_air import End

SECONDS = 2
"""Driven for, once everything hears: all registers are read back in a fifth of one."""

PINS = RadioPins(csn=0, ce=1, irq=2)


class RadioPace(NamedTuple):
    """A second of a machine's radio: lines of its driver, bytes on its bus, and exchanges of them."""

    lines: float
    bytes: float
    exchanges: float


class _Counted(End):
    """An end that counts what goes over its bus."""

    bytes = exchanges = 0

    def spi(self, box: list[int], count: int) -> None:
        self.bytes, self.exchanges = self.bytes + count, self.exchanges + 1
        super().spi(box, count)


def radio_pace(link: Link, medium: RadioMedium, frame_bytes: int) -> RadioPace:
    """A second of it: a frame every period, and what the machine tells in between."""
    # Without the chip's own wire it is looked at once a millisecond.
    wired = medium.machine is None or medium.machine.irq is not None
    pins = PINS if wired else PINS.model_copy(update={"irq": None})
    ether, counted, frame = Ether(), [0], bytes([1] * frame_bytes)
    machine, handset = (_Counted(link, end, ether, 0, pins) for end in ("machine", "handset"))
    every_ms = [item.every_ms for item in link.telemetry.values()]

    def trace(where: FrameType, event: str, _: object) -> Any:
        if where.f_code.co_filename != packet_radio.__file__:
            return None
        counted[0] += event == "line"
        return trace

    starts_ms, before, turns = 500, (0, 0), list[int]()
    for now_ms in range(starts_ms + 1000 * SECONDS):
        if now_ms == starts_ms:
            before = machine.bytes, machine.exchanges
        us = 1000.0 * now_ms
        if now_ms % link.period_ms == 0:
            handset.waiting.append(frame)
        machine.waiting.extend(frame for each in every_ms if now_ms % each == 0)
        handset.turn(us)
        counted[0] = 0
        was = sys.gettrace()
        sys.settrace(trace)
        try:
            machine.turn(us + 500)
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
