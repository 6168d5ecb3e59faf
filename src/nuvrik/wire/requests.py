"""The payload of requests. So far there is one: the jog, a small, short move of one output."""

from typing import NamedTuple

from nuvrik.levels import FULL, clamp, div
from nuvrik.plan.models import Link
from nuvrik.plan.outputs import MotorOutput, StepperOutput, SwitchOutput

JOG = 0xFF
JOG_BYTES = 4
LEVEL_STEPS = 127
MOST_TURNING = 64
"""A motor or a stepper is jogged to no more than about half."""
TIME_UNIT_MS = 10
MOST_TIME = 50


class Jog(NamedTuple):
    """Move the output at place ``output`` to ``level`` for ``for_ms``."""

    output: int
    level: int
    for_ms: int


def pack_jog(jog: Jog) -> bytes:
    """The payload of a jog; level and time are brought into what a jog may be, and rounded."""
    step = clamp(div(jog.level * LEVEL_STEPS, FULL), -LEVEL_STEPS, LEVEL_STEPS)
    time = clamp(div(jog.for_ms, TIME_UNIT_MS), 1, MOST_TIME)
    return bytes((JOG, jog.output, step & 0xFF, time))


def unpack_jog(payload: bytes | bytearray, link: Link) -> Jog | None:
    """The jog in a payload; None if there is none that this link could mean."""
    code, place, step, time = payload
    step -= (step & 0x80) * 2
    outputs = list(link.outputs.values())
    if code != JOG or place >= len(outputs) or not 1 <= time <= MOST_TIME or step < -LEVEL_STEPS:
        return None
    output = outputs[place]
    if isinstance(output, SwitchOutput):
        return None
    if isinstance(output, MotorOutput | StepperOutput) and abs(step) > MOST_TURNING:
        return None
    return Jog(place, div(step * FULL, LEVEL_STEPS), TIME_UNIT_MS * time)
