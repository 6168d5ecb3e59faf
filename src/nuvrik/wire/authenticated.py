"""Authenticated frames in CPython: a fast path around the rules of ``core.session``, which decide everything.

::

    body = head(4) | upper(3) | heard(1) | payload | tag(6) | check(2)

What is here is bytes: a body is taken apart and put together in a few calls, and the tag is worked out by the
package ``cryptography`` where that is installed, otherwise by core's own text, which takes a hundred times as
long. Which frame may be believed, and why another may not, core says."""

import struct
from binascii import crc_hqx
from collections import deque
from collections.abc import Callable, Collection
from functools import cache
from importlib.util import find_spec
from typing import Any

from nuvrik.core.cmac import CipherTable, Cmac
from nuvrik.core.frames.sealed import (
    ACCEPTED,
    AUTHENTICATED,
    BAD_FIELD,
    NO_EVENT,
    TAG,
    WRAP,
)
from nuvrik.core.frames.tags import ANSWERS, NONCE, TO_HANDSET, TO_MACHINE, Tags
from nuvrik.core.session import ANSWER, QUESTION, HandsetSession, MachineSession
from nuvrik.plan.form.frame_base import AUTHENTIC_BYTES, CHECK_BYTES, HEAD_BYTES
from nuvrik.plan.form.models import Link
from nuvrik.plan.keys import Key
from nuvrik.plan.tables.ends import sealed_table
from nuvrik.plan.tables.session import session_table, substitutes
from nuvrik.wire.events import Event, Frame, RefusedFrame, reason_of
from nuvrik.wire.kinds import COMMAND, HELLO, STOP
from nuvrik.wire.messages import WRONG_WAY, Answer, Anybody, Question
from nuvrik.wire.sealed import (
    SHORTEST_BODY,
    VERSION,
    Framing,
    SealedReader,
    comes_from_machine,
    initial_of,
)

SHORTEST_AUTHENTIC = SHORTEST_BODY + AUTHENTIC_BYTES

TAGS_A_SECOND, SLOW_TAGS_A_SECOND = 2000, 200
"""So many tags are worked out at most: with the library, 1.4 us each and a few around it, and by core's text,
300 us a frame. Whoever floods an end takes no more of its time."""

SAVED_S = 0.1
"""What has not been used up may be, of so long."""

_BETWEEN = struct.Struct("<BHHH").pack
"""What a tag covers between head and payload: the upper bytes of the counter, and H."""


def tagger(key: Key) -> Callable[[bytes], bytes]:
    """What works out AES-128-CMAC with a key, all 16 bytes of it."""
    if not has_library():
        return _slow_tagger(key)
    from cryptography.hazmat.primitives.ciphers.algorithms import AES
    from cryptography.hazmat.primitives.cmac import CMAC

    begun = CMAC(AES(key.secret))

    def fast(data: bytes) -> bytes:
        mac = begun.copy()
        mac.update(data)
        return mac.finalize()

    return fast


@cache
def has_library() -> bool:
    """Whether the package ``cryptography`` is there."""
    return find_spec("cryptography") is not None


def _slow_tagger(key: Key) -> Callable[[bytes], bytes]:
    core = Cmac(CipherTable(box=[*substitutes()]))
    core.key[:] = key.secret
    core.set_key()

    def slow(data: bytes) -> bytes:
        core.begin()
        for byte in data:
            core.byte(byte)
        core.finish()
        return bytes(core.block)

    return slow


def key_id(key: Key) -> int:
    """A number of 16 bits by which a key is told from another, which gives nothing of it away."""
    return int.from_bytes(tagger(key)(b"id")[:2], "little")


class QuickTags(Tags):
    """Tags of one key, worked out at once."""

    def __init__(self, link: Link) -> None:
        super().__init__(session_table(link).cipher)
        self._mac = tagger(link.key)

    def work_out(self, body: Any, high: int, low: int, first: int, payload: int) -> None:
        """The tag of a frame."""
        between = _BETWEEN(low >> 8, high, self.heard_low, self.heard_high)
        nonce = bytes((*self.nonce, self.way)) + bytes(body[:HEAD_BYTES])
        self.worked = True
        self.cmac.block[:] = self._mac(nonce + between + bytes(body[first : first + payload]))

    def signed(self, head: bytes, high: int, low: int, heard: int, payload: bytes) -> bytes:
        """A whole body but for its check; ``head`` is its first three bytes."""
        top = head + bytes((low & 0xFF,))
        self.work_out(top + payload, high, low, HEAD_BYTES, len(payload))
        upper = bytes((low >> 8, high & 0xFF, high >> 8, heard))
        return top + upper + payload + bytes(self.cmac.block[:TAG])


class Taken:
    """A body taken apart, as core's sessions look at one: the payload behind the head, the tag where it would
    be if nothing had been moved."""

    __slots__ = ("body", "heard", "high", "kind", "low", "payload", "whole")

    def __init__(self, body: bytes | bytearray) -> None:
        self.kind = body[0] & 7
        self.payload = len(body) - SHORTEST_BODY
        self.whole = len(body) >= SHORTEST_AUTHENTIC
        self.low, self.high, self.heard = body[3], 0, 0
        self.body = bytes(body)
        if self.whole:
            self.low, self.high = body[3] | body[4] << 8, body[5] | body[6] << 8
            self.heard, self.payload = body[7], self.payload - AUTHENTIC_BYTES
            inner = body[HEAD_BYTES + WRAP : -CHECK_BYTES - TAG]
            self.body = bytes(body[:HEAD_BYTES] + inner + bytes(WRAP) + body[-CHECK_BYTES - TAG :])

    def two(self, at: int) -> int:
        """Two bytes of the payload, the low one first."""
        return self.body[HEAD_BYTES + at] | self.body[HEAD_BYTES + at + 1] << 8

    def open_body(self) -> bytes:
        """The body as one without a key would be, for whoever reads payloads."""
        payload = self.body[HEAD_BYTES : HEAD_BYTES + self.payload]
        return (
            bytes((self.body[0] & ~AUTHENTICATED,)) + self.body[1:HEAD_BYTES] + payload + bytes(CHECK_BYTES)
        )


class PayloadReader(SealedReader):
    """Reads what is inside an authenticated body."""

    def _foreign(self, body: bytes | bytearray) -> str:
        """Why a body is nobody's of this link, as far as every body is alike; "" where it is somebody's."""
        if len(body) < SHORTEST_BODY:
            return "too_short"
        if crc_hqx(body, initial_of(body[0], self._tag)):
            return self._why_unsound(body)
        if body[0] >> 4 != VERSION:
            return "version"
        anybody = body[0] & 15 == HELLO and self._may_ask(body)
        return "" if body[1] == self._pair or anybody else "wrong_pair"

    def _values(self, taken: Taken) -> Any:
        body = taken.open_body()
        if taken.kind != COMMAND:
            return self._payloads.take(body)
        if len(body) != self._command_bytes:
            return None
        return self._unpack(int.from_bytes(body, "little"))


class AuthenticReader(PayloadReader):
    """Reads authenticated bodies for one end."""

    def __init__(
        self, link: Link, accepts: Collection[int], session: MachineSession | HandsetSession, framing: Framing
    ) -> None:
        super().__init__(link, accepts, framing=framing)
        self._session = session
        self._tags = self._tags_most = SAVED_S * (TAGS_A_SECOND if has_library() else SLOW_TAGS_A_SECOND)
        self._takes = sealed_table(link, tuple(sorted(accepts))).takes

    def pass_time(self, dt_ms: int) -> None:
        """So many more tags may be worked out."""
        self._tags = min(self._tags_most, self._tags + dt_ms * self._tags_most / (1000 * SAVED_S))

    def forget(self) -> None:
        """Silence forgets nothing: whatever was sent before stays old."""

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one body."""
        foreign = self._foreign(body)
        if foreign:
            return RefusedFrame(at, foreign, raw)
        authentic = body[0] & AUTHENTICATED
        if not self._takes >> (body[0] & 15) & 1:
            return RefusedFrame(at, "wrong_kind" if authentic else "not_authenticated", raw)
        return self._authentic(Taken(body), at, raw) if authentic else self._open(body, at, raw)

    def _open(self, body: bytes | bytearray, at: int, raw: bytes) -> Event:
        """What anybody may send to a machine: a stop, where the link file has that, and a hello."""
        values = self._payloads.take(body)
        if values is WRONG_WAY:
            return RefusedFrame(at, "wrong_kind", raw)
        if values is None:
            return RefusedFrame(at, "bad_field", raw)
        if body[0] & 7 == STOP:
            return Frame(at, STOP, None, (), raw)
        taken = Taken(body)
        taken.body, taken.payload = bytes(body), len(body) - SHORTEST_BODY
        assert isinstance(self._session, MachineSession)
        event = self._session.look_open(taken, self.skips)  # type: ignore[arg-type]
        if event != NO_EVENT:
            return RefusedFrame(at, reason_of(event), raw)
        return Frame(at, HELLO, None, Anybody(values.page), raw)

    def _authentic(self, taken: Any, at: int, raw: bytes) -> Event:
        if self._tags < 1:
            return RefusedFrame(at, "queued_up", raw)
        self._session.tags.worked = False
        event = self._judged(taken, at, raw)
        self._tags -= self._session.tags.worked
        return event

    def _judged(self, taken: Any, at: int, raw: bytes) -> Event:
        event, values = self._look(taken), None
        if event == NO_EVENT:
            said = search_values(taken)
            # A question carries no number, and whoever counts lost frames must not take it for one.
            seq = None if isinstance(said, Question) else taken.low & 0xFF
            return Frame(at, HELLO, seq, said, raw, checked=True)
        if event == ACCEPTED:
            values = self._values(taken)
            if values is WRONG_WAY:
                return RefusedFrame(at, "wrong_kind", raw)
            event = BAD_FIELD if values is None else self._believe(taken)
        seq = taken.low & 0xFF if taken.whole else None
        if event != ACCEPTED:
            return RefusedFrame(at, reason_of(event), raw, seq)
        return Frame(at, taken.kind, seq, values, raw, checked=True)

    def _look(self, taken: Any) -> int:
        session = self._session
        return session.look(taken, self.skips) if isinstance(session, MachineSession) else session.look(taken)

    def _believe(self, taken: Any) -> int:
        session = self._session
        if isinstance(session, HandsetSession):
            return session.believe(taken)
        recent = self.fresh is not None and self.fresh(taken.heard)
        return session.believe(taken, recent, self.skips)


def search_values(taken: Taken) -> Question | Answer:
    """What a frame of a search says."""
    nonce = taken.body[HEAD_BYTES + 1 : HEAD_BYTES + 1 + NONCE]
    if taken.body[HEAD_BYTES] == QUESTION:
        return Question(nonce)
    assert taken.body[HEAD_BYTES] == ANSWER
    return Answer(nonce, taken.two(9) | taken.two(11) << 16, taken.two(13))


MOST_OVERHEARD = 16
"""So many questions are remembered: an answer is to one of the last."""


class Overheard:
    """What somebody who hears both ends knows of them: questions, the machine's nonce from the answer to one,
    and the last counters. Without the key nothing can be checked."""

    def __init__(self, link: Link) -> None:
        self.tags = QuickTags(link) if link.has_key else None
        self.asked: deque[bytes] = deque(maxlen=MOST_OVERHEARD)
        self.nonce: bytes | None = None
        self.told = 0
        self.last = {TO_MACHINE: 0, TO_HANDSET: 0}

    def look(self, taken: Taken) -> str | bool:
        """Why a frame is refused; or else whether it has been checked."""
        tags = self.tags
        if tags is None:
            return False
        first = taken.body[HEAD_BYTES] if taken.kind == HELLO and taken.payload else None
        if first == QUESTION:
            tags.ask()
            if not tags.match(taken):  # type: ignore[arg-type]
                return "forged"
            self.asked.append(taken.body[HEAD_BYTES + 1 : HEAD_BYTES + 1 + NONCE])
            return True
        counter = taken.low | taken.high << 16
        tags.hear(0, 0)
        if first == ANSWER:
            return self._answers(taken, counter, tags)
        if self.nonce is None:
            return False
        payload = taken.body[HEAD_BYTES : HEAD_BYTES + taken.payload]
        way = TO_HANDSET if comes_from_machine(taken.kind, payload) else TO_MACHINE
        if counter <= self.last[way]:
            return "old"
        tags.go(way, [*self.nonce])
        if not any(self._matches(taken, tags, heard) for heard in self._heard(taken, way)):
            return "forged"
        self.last[way] = counter
        self.told = counter if way == TO_HANDSET else self.told
        return True

    def _answers(self, taken: Taken, counter: int, tags: QuickTags) -> bool:
        for asked in self.asked:
            tags.go(ANSWERS, [*asked])
            if tags.match(taken):  # type: ignore[arg-type]
                nonce = taken.body[HEAD_BYTES + 1 : HEAD_BYTES + 1 + NONCE]
                if nonce != self.nonce:
                    self.last[TO_MACHINE] = 0
                self.nonce, self.told, self.last[TO_HANDSET] = nonce, counter, counter
                return True
        return False  # to a question that was not overheard

    def _heard(self, taken: Taken, way: int) -> list[int]:
        """What a frame may have been made from: the handset may have heard more than was heard here."""
        if way == TO_HANDSET or taken.kind == STOP:
            return [0]
        latest = self.told - (self.told - taken.heard & 0xFF)
        return [one for one in (latest, latest + 256) if one > 0]

    @staticmethod
    def _matches(taken: Taken, tags: QuickTags, heard: int) -> bool:
        tags.hear(heard >> 16, heard & 0xFFFF)
        return tags.match(taken)  # type: ignore[arg-type]


class AuthenticBystander(PayloadReader):
    """Reads what both ends send, with what has been ``overheard`` of them."""

    def __init__(self, link: Link, accepts: Collection[int], overheard: Overheard, framing: Framing) -> None:
        super().__init__(link, accepts, framing=framing)
        self._overheard = overheard

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one body."""
        if len(body) < SHORTEST_AUTHENTIC or not body[0] & AUTHENTICATED:
            return super().judge(body, raw, at)
        foreign = self._foreign(body)
        if foreign:
            return RefusedFrame(at, foreign, raw)
        taken: Any = Taken(body)
        searches = taken.kind == HELLO and taken.payload and taken.body[HEAD_BYTES] in (QUESTION, ANSWER)
        values: Any = search_values(taken) if searches else self._values(taken)
        if values is None or values is WRONG_WAY:
            return RefusedFrame(at, "bad_field", raw)
        found = self._overheard.look(taken)
        if isinstance(found, str):
            return RefusedFrame(at, found, raw, taken.low & 0xFF)
        seq = None if isinstance(values, Question) else taken.low & 0xFF
        return Frame(at, taken.kind, seq, values, raw, found)
