"""How long a chip needs for a frame and a tick: an estimate, from how much of core they run through.

What is counted is exact: the lines of core, fitted to the link, that a frame and the tick behind it run
through at worst, out of some hundred of a drive. What a line costs is not. For C it is what emulated chips
were measured to take for marram (``make bench``: 24,500 cycles for a frame, a tick and what they tell). For
MicroPython it is the instructions that its interpreter for x86-64 takes for a line with the loop around it
(tug 455, marram 415, as callgrind counts them, whatever the machine), times three cycles: a chip needs about
half as many more, for its instructions are simpler, and about two cycles for each, for it waits for its flash
and does one after the other."""

import random
import sys
from types import FrameType
from typing import Any, NamedTuple

from nuvrik.core.levels import FULL
from nuvrik.export.chips import CHIPS
from nuvrik.export.fit.fitted import RUN_HERE, run_here
from nuvrik.export.fit.roots import roots_of
from nuvrik.export.python_chips import FAMILIES
from nuvrik.export.radio_pace import radio_pace
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import chip_of
from nuvrik.plan.form.models import Link
from nuvrik.wire.frames import Encoder

FRAMES = 300

CYCLES_A_LINE_OF_C = 14

CYCLES_A_BYTE = 27
"""A byte on the bus of an AVR at half its clock: 16 cycles, and the loop around it, as emulated chips have
it."""

INSTRUCTIONS_A_LINE = 450
CYCLES_AN_INSTRUCTION = 3

LITTLE = 0.5
"""A loop that is busy for more of a tick than that leaves little to the builder's own code."""


class Pace(NamedTuple):
    """What a frame and a tick come to on a board: lines of core, and milliseconds, estimated; ``radio_ms`` of
    those for a radio chip that core drives."""

    frame_lines: int
    tick_lines: int
    busy_ms: float
    tick_ms: int
    radio_ms: float = 0.0

    @property
    def fits(self) -> bool:
        """Whether there is time enough at all."""
        return self.busy_ms <= self.tick_ms

    @property
    def leaves_little(self) -> bool:
        """Whether there is hardly any."""
        return self.busy_ms > LITTLE * self.tick_ms


BOARDS = (*CHIPS, *(name for name in FAMILIES if name != "any"))


def pace(link: Link, board: str) -> Pace:
    """The estimate for a machine on a board, one of BOARDS; for a link whose frames come on a line or in
    packets."""
    frame, tick = lines_of(link)
    if board in CHIPS:
        cycles, hz = CYCLES_A_LINE_OF_C, CHIPS[board].clock_hz
        byte_us, exchange_us = 1e6 * CYCLES_A_BYTE / hz, 0.0
    else:
        cycles = INSTRUCTIONS_A_LINE * CYCLES_AN_INSTRUCTION
        hz = FAMILIES[board].clock_mhz * 1_000_000
        # At 8 MHz a byte takes a microsecond; the call of the machine's own around it is a line or so.
        byte_us, exchange_us = 1.0, 1e6 * cycles / hz
    frames = max(1, link.tick_ms / link.period_ms)
    radio_ms, medium = 0.0, chip_of(link.medium)
    if medium is not None:
        a_second = radio_pace(link, medium, Encoder(link).longest_on_wire)
        busy_us = a_second.lines * 1e6 * cycles / hz
        busy_us += a_second.bytes * byte_us + a_second.exchanges * exchange_us
        radio_ms = busy_us / 1000 * link.tick_ms / 1000
    busy_ms = 1000 * (frames * frame + tick) * cycles / hz + radio_ms
    return Pace(frame, tick, busy_ms, link.tick_ms, radio_ms)


def lines_of(link: Link) -> tuple[int, int]:
    """The lines of core that a frame and a tick run through at worst, in a drive."""
    stream = not link.medium.datagrams
    wanted = Wanted(link, "", "any", packets=not stream)
    table: Any = wanted.end_table
    space = run_here(table, roots_of(wanted))
    end = space["MachineEnd"](space["link"])
    end.begin(1, 2, 1)
    counted = [0]

    def trace(frame: FrameType, event: str, _: object) -> Any:
        if frame.f_code.co_filename != RUN_HERE:
            return None
        counted[0] += event == "line"
        return trace

    def run(function: Any, *given: Any) -> int:
        counted[0] = 0
        before = sys.gettrace()
        sys.settrace(trace)
        try:
            function(*given)
        finally:
            sys.settrace(before)
        return counted[0]

    def frame_comes(data: bytes) -> None:
        end.pass_time(now & 0xFFFF)
        if stream:
            for byte in data:
                end.take(byte)
        else:
            end.begin_packet()
            for byte in data:
                end.packet_byte(byte)
            end.end_packet()

    def tick() -> None:
        end.turn()
        for output in range(len(link.outputs)):
            end.follow(output)
        end.written()
        end.send()

    most_frame = most_tick = now = 0
    for frame in frames_of_a_drive(link, FRAMES, stream=stream):
        now += link.period_ms
        most_frame = max(most_frame, run(frame_comes, frame))
        most_tick = max(most_tick, run(tick))
    return most_frame, most_tick


def frames_of_a_drive(link: Link, count: int, *, stream: bool) -> list[bytes]:
    """What a hand sends: at rest until the machine is armed, then anything."""
    encoder, rng, frames = Encoder(link, stream=stream), random.Random(link.name), []
    for number in range(count):
        values = []
        for name, channel in link.channels.items():
            low = -FULL if channel.kind == "level" else 0
            if channel.scaled and number > 12:
                values.append(rng.randint(low, FULL))
            else:
                values.append(int(name == link.arm_channel and number > 8))
        frames.append(encoder.on_wire(encoder.command(values, number & 0xFF)))
    return frames
