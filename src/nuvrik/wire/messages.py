"""The payloads of all kinds but the command: telemetry, requests and replies, hello, echo.

Numbers of more than one byte go low byte first. docs/wire-format.md lays every one of them out.
"""

import struct
from collections.abc import Collection, Sequence
from functools import cached_property
from typing import Any, NamedTuple

from nuvrik.core.frames.sealed import ACCEPTED, WRONG_KIND, Sealed
from nuvrik.core.loops.hearing import Hearing, there
from nuvrik.core.machine.desk import (
    HOW,
    JOG_CODE,
    JOG_MOST_TIME,
    JOG_STEPS,
    JOG_UNIT_MS,
    WHO,
    DeskTable,
)
from nuvrik.core.machine.outputs import Outputs
from nuvrik.core.requests.asks import ASK_BYTES, argument_given, jog_step, understood
from nuvrik.levels import FULL, clamp, div
from nuvrik.plan.form.frame_base import CHECK_BYTES, HEAD_BYTES
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import AnyRequest
from nuvrik.plan.tables.ends import sealed_table
from nuvrik.plan.tables.handset_end import hearing_table
from nuvrik.plan.tables.machine import machine_table
from nuvrik.wire.bits import put
from nuvrik.wire.kinds import ECHO, HELLO, REPLY, REQUEST, STOP, TELEMETRY
from nuvrik.wire.outcomes import Outcome

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
    ``accepted`` and ``refused`` count frames; ``noted`` is the number of its own code's last stop, 16
    more where its clock has lost more time than the link file allows for, and 32 times what was wrong with
    its radio chip last; ``name`` is the rest of the link's
    name."""

    up_s: int
    accepted: int
    refused: int
    noted: int
    name: bytes


class Question(NamedTuple):
    """Somebody searches for the machine, with a nonce."""

    nonce: bytes


class Answer(NamedTuple):
    """The machine says by what it is to be known, and the highest counter that it has accepted."""

    nonce: bytes
    top: int
    tag: int


class Anybody(NamedTuple):
    """A hello from somebody who need not have the key, and the page that it asks for."""

    page: int


def only_asks(values: object) -> bool:
    """Whether this is from somebody who begins no session, or who searches for one."""
    return isinstance(values, Question | Anybody) or (isinstance(values, Query) and values.session == 0)


class Echo(NamedTuple):
    """Bytes to be sent back, or sent back."""

    answer: bool
    token: bytes


class Telemetry(NamedTuple):
    """What the machine says of itself: ``state`` is the place of its state in the failsafe table,
    ``accepted`` the sequence of the last command it accepted, ``items`` the codes of each item that is there,
    ``hold_ends`` whether an output is about to let go of a load that it holds, ``own_stop`` the number that
    the machine's own code gave for the stop that holds it, 0 for none, ``radio`` the number of what was wrong
    with its radio chip lately, 0 for nothing."""

    state: int
    accepted: int | None
    items: dict[str, tuple[int, ...]]
    hold_ends: bool = False
    own_stop: int = 0
    radio: int = 0


def pack_jog(jog: Jog) -> bytes:
    """The payload of a jog; level and time are brought into what a jog may be, and rounded."""
    step = clamp(div(jog.level * JOG_STEPS, FULL), -JOG_STEPS, JOG_STEPS)
    time = clamp(div(jog.for_ms, JOG_UNIT_MS), 1, JOG_MOST_TIME)
    return bytes((JOG_CODE, jog.output, step & 0xFF, time))


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


def pack_hello(hello: Query | Who | How) -> bytes:
    """The payload of a hello."""
    if isinstance(hello, Query):
        return b"\0" + hello.session.to_bytes(2, "little") + bytes((hello.page,))
    if isinstance(hello, Who):
        numbers = (hello.tag, *hello.build, hello.boot, *hello.version, hello.start)
        return _WHO.pack(1, WHO, *numbers) + hello.name
    return _HOW.pack(1, HOW, hello.up_s, hello.accepted, hello.refused, hello.noted) + hello.name


def pack_echo(echo: Echo) -> bytes:
    """The payload of an echo."""
    return bytes((echo.answer,)) + echo.token


WRONG_WAY = object()
"""What a hello or an echo is that goes the other way: a sound frame of a kind not for this end."""


class Payloads:
    """Takes payloads apart for an end of a link that accepts such kinds. Whether one can be is for core to
    say."""

    def __init__(self, link: Link, accepts: Collection[int]) -> None:
        self._link = link
        self._machine, self._handset = REQUEST in accepts, TELEMETRY in accepts

    @cached_property
    def _sealed(self) -> Sealed:
        return Sealed(sealed_table(self._link, ()))

    @cached_property
    def _hearing(self) -> Hearing:
        return Hearing(hearing_table(self._link))

    @cached_property
    def _asked(self) -> tuple[DeskTable, Outputs]:
        table = machine_table(self._link)
        return table.desk, Outputs(table.outputs)

    def take(self, body: bytes | bytearray) -> Any:
        """What a body says that is sound and no command: None for a payload that cannot be, WRONG_WAY for a
        hello or an echo from an end of the same sort."""
        sealed, kind = self._sealed, body[0] & 15
        sealed.kind, sealed.payload, sealed.seq = kind, len(body) - HEAD_BYTES - CHECK_BYTES, body[3]
        sealed.body[: len(body)] = body
        asks = self._machine and not (self._handset and body[HEAD_BYTES] == 1)
        for_machine = kind in (REQUEST, STOP) or (kind in (HELLO, ECHO) and asks)
        heard = self._hearing
        event = understood(sealed, *self._asked) if for_machine else heard.understand(sealed)
        if event == WRONG_KIND:
            return WRONG_WAY
        if event != ACCEPTED:
            return None
        payload = bytes(body[HEAD_BYTES:-CHECK_BYTES])
        return self._asks(kind, payload) if for_machine else self._tells(kind, payload)

    def _asks(self, kind: int, payload: bytes) -> Any:
        """What a machine is asked."""
        if kind == STOP:
            return ()
        if kind == HELLO:
            return Query(int.from_bytes(payload[1:3], "little"), payload[3])
        if kind == ECHO:
            return Echo(False, payload[1:])
        if payload[0] == JOG_CODE:
            level = div(jog_step(self._sealed) * FULL, JOG_STEPS)
            return Jog(payload[1], level, JOG_UNIT_MS * payload[3])
        arguments, at = [], 8 * (HEAD_BYTES + ASK_BYTES)
        for about in self._asked[0].requests[payload[0]].arguments:
            arguments.append(argument_given(self._sealed, about, at))
            at += about.bits
        code, boot, session, number = _REQUEST.unpack(payload[: _REQUEST.size])
        return Ask(code, boot, session, number, tuple(arguments))

    def _tells(self, kind: int, payload: bytes) -> Any:
        """What a machine says."""
        if kind == TELEMETRY:
            return self._telemetry()
        if kind == REPLY:
            code, session, number, status, value = _REPLY.unpack(payload)
            return Reply(code, session, number, Outcome(status), value)
        if kind == ECHO:
            return Echo(True, payload[1:])
        # A name is for people: bytes of it that are no UTF-8 refuse nothing.
        if payload[1] == WHO:
            _, _, tag, one, two, three, boot, *version, start = _WHO.unpack(payload[: _WHO.size])
            numbers = (version[0], version[1], version[2])
            return Who(tag, (one, two, three), boot, numbers, start, payload[_WHO.size :])
        _, _, up_s, accepted, refused, noted = _HOW.unpack(payload[: _HOW.size])
        return How(up_s, accepted, refused, noted, payload[_HOW.size :])

    def _telemetry(self) -> Telemetry:
        heard = self._hearing
        heard.take_telemetry(self._sealed)
        items = {}
        for place, (name, item) in enumerate(self._link.telemetry.items()):
            if there(self._sealed, place):
                first = heard.table.telling.items[place].first
                items[name] = tuple(heard.codes[first : first + item.parts])
        accepted = heard.last_command if heard.followed else None
        return Telemetry(heard.state_told, accepted, items, heard.hold_ends, heard.own_number, heard.radio)


def from_the_machine(kind: int, values: object) -> bool:
    """Which end a frame comes from."""
    if kind in (HELLO, ECHO):
        return isinstance(values, Who | How | Answer) or (isinstance(values, Echo) and values.answer)
    return kind in (TELEMETRY, REPLY)
