"""What is asked of a machine, in the payload of a frame: whether it is anything that this link knows."""

from nuvrik.core.frames.bits import ends_in_zeros, got, mask_of
from nuvrik.core.frames.sealed import (
    ACCEPTED,
    BAD_FIELD,
    HEAD,
    KIND_HELLO,
    KIND_REQUEST,
    KIND_STOP,
    WRONG_KIND,
    Sealed,
)
from nuvrik.core.levels import FULL, div
from nuvrik.core.machine.desk import (
    HOW,
    JOG_BYTES,
    JOG_CODE,
    JOG_MOST_TIME,
    JOG_MOST_TURNING,
    JOG_STEPS,
    JOG_UNIT_MS,
    MOST_TOKEN,
    ArgumentTable,
    DeskTable,
    RequestTable,
)
from nuvrik.core.machine.machine import Machine
from nuvrik.core.machine.outputs import Outputs
from nuvrik.core.widths import few, i32, level, span, u8, u16

ASK_BYTES = 9
"""A request's payload without its arguments: place, boot number, session, number."""


def jog_step(sealed: Sealed) -> span:
    """How far a jog goes."""
    step: u8 = sealed.body[HEAD + 2]
    return step if step < 128 else step - 256


def jog_fits(sealed: Sealed, outputs: Outputs) -> bool:
    """Whether there is a jog in the payload that this link could mean."""
    place: u8 = sealed.body[HEAD + 1]
    time: u8 = sealed.body[HEAD + 3]
    if sealed.payload != JOG_BYTES or place >= len(outputs.table.outputs):
        return False
    if time < 1 or time > JOG_MOST_TIME or sealed.body[HEAD + 2] == 128:
        return False
    # A switch is on or off: there is no "a little" of it.
    if outputs.switches_only(place):
        return False
    return not outputs.turns(place) or abs(jog_step(sealed)) <= JOG_MOST_TURNING


def request_fits(sealed: Sealed, desk: DeskTable) -> bool:
    """Whether there is a request in the payload that this link knows."""
    code: u8 = sealed.body[HEAD]
    if code >= len(desk.requests):
        return False
    request: RequestTable = desk.requests[code]
    bits: u16 = 0
    for argument in request.arguments:
        bits += argument.bits
    if sealed.payload != ASK_BYTES + ((bits + 7) >> 3):
        return False
    at: u16 = 8 * (HEAD + ASK_BYTES)
    for argument in request.arguments:
        # An option past the last: who sent it was built from another list of them.
        if got(sealed.body, at, argument.bits) > argument.most:
            return False
        at += argument.bits
    return ends_in_zeros(sealed.body, 8 * (HEAD + ASK_BYTES) + bits, HEAD + sealed.payload)


def understood(sealed: Sealed, desk: DeskTable, outputs: Outputs) -> u8:
    """Whether the payload of a frame for a machine, of any kind but a command, is one that can be."""
    first: u8 = sealed.body[HEAD]
    size: u16 = sealed.payload
    if sealed.kind == KIND_STOP:
        return ACCEPTED if size == 0 else BAD_FIELD
    if sealed.kind == KIND_REQUEST:
        if size == 0:
            return BAD_FIELD
        jogs: bool = first == JOG_CODE
        fits: bool = jogs and jog_fits(sealed, outputs)
        fits = fits or (not jogs and request_fits(sealed, desk))
        return ACCEPTED if fits else BAD_FIELD
    # The first byte of a hello or an echo says which way it goes: 0 asks, 1 answers.
    if size > 0 and first == 1:
        return WRONG_KIND
    if size == 0 or first != 0:
        return BAD_FIELD
    if sealed.kind == KIND_HELLO:
        asks: bool = size == 4 and sealed.body[HEAD + 3] <= HOW
        return ACCEPTED if asks else BAD_FIELD
    return ACCEPTED if size >= 2 and size <= MOST_TOKEN + 1 else BAD_FIELD


def argument_given(sealed: Sealed, about: ArgumentTable, at: u16) -> i32:
    """The argument that begins at a bit of the body."""
    bits: few = about.bits
    given: u16 = got(sealed.body, at, bits)
    negative: bool = about.either_sign and given > (mask_of(bits) >> 1)
    return given - mask_of(bits) - 1 if negative else given


def take_request(sealed: Sealed, machine: Machine) -> bool:
    """Do what a request asks that fits. True: the builder's own code is to be called now."""
    code: u8 = sealed.body[HEAD]
    if code == JOG_CODE:
        time: u16 = sealed.body[HEAD + 3]
        to: level = div(jog_step(sealed) * FULL, JOG_STEPS)
        machine.jog(sealed.body[HEAD + 1], to, time * JOG_UNIT_MS)
        return False
    if len(machine.table.desk.requests) == 0:
        return False
    at: u16 = 8 * (HEAD + ASK_BYTES)
    request: RequestTable = machine.table.desk.requests[code]
    for i in range(len(request.arguments)):
        about: ArgumentTable = request.arguments[i]
        machine.argument(i, argument_given(sealed, about, at))
        at += about.bits
    return machine.ask(code, sealed.two(1), sealed.two(3), sealed.two(5), sealed.two(7))
