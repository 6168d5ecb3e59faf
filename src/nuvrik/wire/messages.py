"""The payloads of all kinds but the command: telemetry, requests and replies, hello, echo.

Numbers of more than one byte go low byte first. docs/wire-format.md lays every one of them out.
"""

import struct
from collections.abc import Callable, Collection, Mapping, Sequence
from functools import partial
from itertools import islice
from typing import Any, NamedTuple

from nuvrik.core.desk import (
    HOW,
    JOG_BYTES,
    JOG_CODE,
    JOG_MOST_TIME,
    JOG_MOST_TURNING,
    JOG_STEPS,
    JOG_UNIT_MS,
    MOST_TOKEN,
    WHO,
)
from nuvrik.levels import FULL, clamp, div
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import SwitchOutput
from nuvrik.plan.form.requests import AnyRequest
from nuvrik.wire.bits import got, put
from nuvrik.wire.kinds import ECHO, HELLO, REPLY, REQUEST, STOP, TELEMETRY
from nuvrik.wire.outcomes import MOST_SENT, Outcome

ECHO_MOST = MOST_TOKEN

STARTS = ("", "power", "a reset", "its watchdog", "too low a supply")
"""Why a machine last started, by number; what is not known, or unknown here, is not said."""

_WHO = struct.Struct("<BB4HI3BB")
_HOW = struct.Struct("<BBIIHB")
_REQUEST = struct.Struct("<BIHH")
_REPLY = struct.Struct("<BHHBi")


class Jog(NamedTuple):
    """Move the output at place ``output`` to ``level`` for ``for_ms``."""

    output: int
    level: int
    for_ms: int


class Ask(NamedTuple):
    """A request: its place in the link file, the machine's boot number, the handset's session, its own
    number, and its arguments as the numbers that travel."""

    code: int
    boot: int
    session: int
    number: int
    arguments: tuple[int, ...]


class Reply(NamedTuple):
    """The machine's answer to a request; ``value`` is what it came to."""

    code: int
    session: int
    number: int
    status: Outcome
    value: int


class Query(NamedTuple):
    """A hello that asks for a page, WHO or HOW; ``session`` is the handset's, 0 for somebody who only
    asks."""

    session: int
    page: int = WHO


class Who(NamedTuple):
    """A hello's first page: what this machine was built from.

    ``build`` are its three build tags, ``boot`` its boot number, ``start`` the place in STARTS of why it last
    started; ``name`` is the beginning of the link's name, in bytes.
    """

    tag: int
    build: tuple[int, int, int]
    boot: int
    version: tuple[int, int, int]
    start: int
    name: bytes


class How(NamedTuple):
    """A hello's second page: how the machine has fared. ``up_s`` are the seconds since it started,
    ``accepted`` and ``refused`` count frames; ``noted`` is the number of its own code's last stop, and 16
    more where its clock has lost more time than the link file allows for; ``name`` is the rest of the link's
    name."""

    up_s: int
    accepted: int
    refused: int
    noted: int
    name: bytes


def only_asks(values: object) -> bool:
    """Whether this is a hello from somebody who begins no session."""
    return isinstance(values, Query) and values.session == 0


class Echo(NamedTuple):
    """Bytes to be sent back, or sent back."""

    answer: bool
    token: bytes


class Telemetry(NamedTuple):
    """What the machine says of itself: ``state`` is the place of its state in the failsafe table,
    ``accepted`` the sequence of the last command it accepted, ``items`` the codes of each item that is there,
    ``hold_ends`` whether an output is about to let go of a load that it holds, ``own_stop`` the number that
    the machine's own code gave for the stop that holds it, 0 for none."""

    state: int
    accepted: int | None
    items: dict[str, tuple[int, ...]]
    hold_ends: bool = False
    own_stop: int = 0


def pack_jog(jog: Jog) -> bytes:
    """The payload of a jog; level and time are brought into what a jog may be, and rounded."""
    step = clamp(div(jog.level * JOG_STEPS, FULL), -JOG_STEPS, JOG_STEPS)
    time = clamp(div(jog.for_ms, JOG_UNIT_MS), 1, JOG_MOST_TIME)
    return bytes((JOG_CODE, jog.output, step & 0xFF, time))


def unpack_jog(payload: bytes | bytearray, link: Link) -> Jog | None:
    """The jog in a payload; None if there is none that this link could mean."""
    if len(payload) != JOG_BYTES:
        return None
    code, place, step, time = payload
    step -= (step & 0x80) * 2
    outputs = list(link.outputs.values())
    if code != JOG_CODE or place >= len(outputs) or not 1 <= time <= JOG_MOST_TIME or step < -JOG_STEPS:
        return None
    output = outputs[place]
    # A switch is on or off: there is no "a little" of it.
    if isinstance(output, SwitchOutput):
        return None
    if output.turns and abs(step) > JOG_MOST_TURNING:
        return None
    return Jog(place, div(step * FULL, JOG_STEPS), JOG_UNIT_MS * time)


def check_arguments(arguments: Sequence[int], request: AnyRequest) -> None:
    """ValueError for an argument out of range."""
    for part, value in zip(request.parts, arguments, strict=True):
        if not part.low <= value <= part.high:
            raise ValueError(f"{part.name} is {value}; it must be from {part.low} to {part.high}")


def pack_ask(ask: Ask, request: AnyRequest) -> bytes:
    """The payload of a request. ValueError for an argument out of range."""
    check_arguments(ask.arguments, request)
    widths = (part.bits for part in request.parts)
    return _REQUEST.pack(*ask[:4]) + put(zip(ask.arguments, widths, strict=True))


def unpack_request(payload: bytes, link: Link) -> Ask | Jog | None:
    """The request in a payload; None if this link knows none like it."""
    if payload[:1] == bytes((JOG_CODE,)):
        return unpack_jog(payload, link)
    requests = list(link.requests.values())
    if not payload or payload[0] >= len(requests):
        return None
    request = requests[payload[0]]
    parts = request.parts
    codes = got(payload[_REQUEST.size :], [part.bits for part in parts])
    if codes is None or len(payload) < _REQUEST.size:
        return None
    values = [part.value(code) for part, code in zip(parts, codes, strict=True)]
    if not all(part.low <= value <= part.high for part, value in zip(parts, values, strict=True)):
        return None
    code, boot, session, number = _REQUEST.unpack(payload[: _REQUEST.size])
    return Ask(code, boot, session, number, tuple(values))


def pack_reply(reply: Reply) -> bytes:
    """The payload of a reply."""
    return _REPLY.pack(*reply)


def unpack_reply(payload: bytes) -> Reply | None:
    """The reply in a payload; None if there is none."""
    if len(payload) != _REPLY.size:
        return None
    code, session, number, status, value = _REPLY.unpack(payload)
    return Reply(code, session, number, Outcome(status), value) if status <= MOST_SENT else None


def pack_hello(hello: Query | Who | How) -> bytes:
    """The payload of a hello."""
    if isinstance(hello, Query):
        return b"\0" + hello.session.to_bytes(2, "little") + bytes((hello.page,))
    if isinstance(hello, Who):
        numbers = (hello.tag, *hello.build, hello.boot, *hello.version, hello.start)
        return _WHO.pack(1, WHO, *numbers) + hello.name
    return _HOW.pack(1, HOW, hello.up_s, hello.accepted, hello.refused, hello.noted) + hello.name


def unpack_hello(payload: bytes) -> Query | Who | How | None:
    """The hello in a payload; None if there is none."""
    if len(payload) < 4 or payload[0] > 1:
        return None
    if payload[0] == 0:
        known = len(payload) == 4 and payload[3] <= HOW
        return Query(int.from_bytes(payload[1:3], "little"), payload[3]) if known else None
    # A name is for people: bytes of it that are no UTF-8 refuse nothing.
    if payload[1] == WHO and len(payload) >= _WHO.size:
        _, _, tag, one, two, three, boot, *version, start = _WHO.unpack(payload[: _WHO.size])
        numbers = (version[0], version[1], version[2])
        return Who(tag, (one, two, three), boot, numbers, start, payload[_WHO.size :])
    if payload[1] == HOW and len(payload) >= _HOW.size:
        _, _, up_s, accepted, refused, noted = _HOW.unpack(payload[: _HOW.size])
        return How(up_s, accepted, refused, noted, payload[_HOW.size :])
    return None


def pack_echo(echo: Echo) -> bytes:
    """The payload of an echo."""
    return bytes((echo.answer,)) + echo.token


def unpack_echo(payload: bytes) -> Echo | None:
    """The echo in a payload; None if there is none."""
    if not 2 <= len(payload) <= 1 + ECHO_MOST or payload[0] > 1:
        return None
    return Echo(bool(payload[0]), payload[1:])


class TelemetryForm:
    """How the telemetry of one link is laid out: state, last sequence accepted, which items, their codes."""

    def __init__(self, link: Link) -> None:
        self._items = [(name, item.bits, item.parts) for name, item in link.telemetry.items()]
        self._mask_bytes = (len(self._items) + 7) // 8

    def pack(self, telemetry: Telemetry) -> bytes:
        """The payload."""
        items = telemetry.items
        mask = sum(1 << place for place, (name, _, _) in enumerate(self._items) if name in items)
        fields = [(code, bits) for name, bits, _ in self._items for code in items.get(name, ())]
        accepted, own = telemetry.accepted, telemetry.own_stop
        said = telemetry.state | (accepted is not None) << 3 | telemetry.hold_ends << 4 | bool(own) << 5
        head = bytes((said, accepted or 0, *([own] if own else [])))
        return head + mask.to_bytes(self._mask_bytes, "little") + put(fields)

    def unpack(self, payload: bytes) -> Telemetry | None:
        """The telemetry in a payload; None if there is none that this link could mean."""
        first = 3 if payload and payload[0] & 32 else 2
        start = first + self._mask_bytes
        # Bits that mean nothing yet have to be zero, so that they can mean something later.
        if len(payload) < start or payload[0] & 7 > 4 or payload[0] >> 6:
            return None
        own = payload[2] if first == 3 else 0
        if first == 3 and not 1 <= own <= 15:
            return None
        mask = int.from_bytes(payload[first:start], "little")
        if mask >> len(self._items):
            return None
        there = [item for place, item in enumerate(self._items) if mask >> place & 1]
        codes = got(payload[start:], [bits for _, bits, parts in there for _ in range(parts)])
        if codes is None:
            return None
        items, left = {}, iter(codes)
        for name, _, parts in there:
            items[name] = tuple(islice(left, parts))
        accepted = payload[1] if payload[0] & 8 else None
        return Telemetry(payload[0] & 7, accepted, items, bool(payload[0] & 16), own)


WRONG_WAY = object()
"""What a hello or an echo is that goes the other way: a sound frame of a kind not for this end."""

Parser = Callable[[bytes], Any]


def parsers(link: Link, accepts: Collection[int]) -> Mapping[int, Parser]:
    """What takes the payload of each kind apart, for an end that accepts those kinds: None for a payload
    that cannot be, WRONG_WAY for a hello or an echo from an end of the same sort."""
    to_machine = REQUEST in accepts
    to_handset = TELEMETRY in accepts

    def towards(parse: Parser, payload: bytes) -> Any:
        # The first byte says which way it goes: 0 asks, 1 answers. What else is in it is not looked at then.
        if to_machine != to_handset and payload[:1] == (b"\1" if to_machine else b"\0"):
            return WRONG_WAY
        return parse(payload)

    return {
        STOP: lambda payload: None if payload else (),
        TELEMETRY: TelemetryForm(link).unpack,
        REQUEST: partial(unpack_request, link=link),
        REPLY: unpack_reply,
        HELLO: partial(towards, unpack_hello),
        ECHO: partial(towards, unpack_echo),
    }


def from_the_machine(kind: int, values: object) -> bool:
    """Which end a frame comes from."""
    if kind in (HELLO, ECHO):
        return isinstance(values, Who | How) or (isinstance(values, Echo) and values.answer)
    return kind in (TELEMETRY, REPLY)
