"""The handset's side of requests: asked again until answered, and never twice for one."""

from collections import deque
from typing import NamedTuple

from nuvrik.plan.build_tags import BuildTags
from nuvrik.plan.form.models import Link
from nuvrik.wire.kinds import ECHO, HELLO, REQUEST
from nuvrik.wire.messages import (
    HOW,
    STARTS,
    Ask,
    Echo,
    How,
    Query,
    Reply,
    Who,
    pack_ask,
    pack_echo,
    pack_hello,
)
from nuvrik.wire.outcomes import Outcome

FIRST_RETRY_MS, LONGEST_RETRY_MS = 100, 1600
"""A first answer takes a few frame periods of the slowest starter (20 frames a second); each further try
waits twice as long, so that a crowded medium is not crowded further."""

GREET_MS = 200
"""Five hellos a second: a board that has just started is known before a hand has moved."""

POLL_MS = 400
"""While a motion runs, it is asked about this often: the news of its end may have been lost."""

PATIENCE_MS = 4000
"""Without any answer for this long, a request has failed."""

MOST_HOWS = 5
"""How a machine has fared is asked for so often at most: nothing depends on the answer."""

MOST_ECHOES = 16
"""Echoes under way at once; older ones count as lost."""

SESSIONS = (1 << 16) - 1
"""Session numbers run from 1; 0 is a hello's that only asks."""


class Identity(NamedTuple):
    """What a machine has said of itself: the layout tag and the build tags it was built with, its boot
    number, the library's version, why it last started ("" where it does not know), the link's name. How it
    has fared, seconds since it started and frames accepted and refused, is None until it has said so too."""

    tag: int
    build: BuildTags
    boot: int
    version: tuple[int, int, int]
    start: str
    name: str
    up_s: int | None = None
    accepted: int | None = None
    refused: int | None = None


def identity_of(who: Who, how: How | None) -> Identity:
    """What the pages of a hello say together."""
    name = (who.name + (how.name if how else b"")).decode("utf-8", "replace")
    start = STARTS[who.start] if who.start < len(STARTS) else ""
    fared = (how.up_s, how.accepted, how.refused) if how else (None, None, None)
    return Identity(who.tag, BuildTags(*who.build), who.boot, who.version, start, name, *fared)


class Asked:
    """A request on its way. ``outcome`` is what has become of it so far, ``state`` and ``why`` the same in
    words: "waiting" before it was first sent, in the end "done", or what went wrong. ``value`` is what it
    came to: steps turned, or what the machine's own code returned."""

    def __init__(self, name: str, code: int, arguments: tuple[int, ...]) -> None:
        self.name = name
        self.code = code
        self.arguments = arguments
        self.number = 0
        self.tries = 0
        self.outcome = Outcome.WAITING
        self.value = 0

    @property
    def state(self) -> str:
        """What has become of it, in a word or two."""
        return self.outcome.state

    @property
    def why(self) -> str:
        """What has become of it, in a sentence; "" where there is nothing to explain."""
        return self.outcome.why

    @property
    def settled(self) -> bool:
        """Whether nothing more will become of it."""
        return self.outcome.settled


class Asker:
    """One request at a time, in the order in which they were asked for."""

    def __init__(self, link: Link, session: int) -> None:
        self._requests = list(link.requests.items())
        self.session = 1 + session % SESSIONS
        self.identity: Identity | None = None
        """What the machine said of itself last; None before, and once it is known to be out of date."""
        self._boot: int | None = None
        self._queue: deque[Asked] = deque()
        self._number = 0
        self._due_ms = 0
        self._retry_ms = FIRST_RETRY_MS
        self._news_ms: int | None = None
        self._greet = False
        self._who: Who | None = None
        self._hows = 0
        """How often the second page is still to be asked for."""
        self.wants = False
        """Whether :meth:`due` may have anything to say."""
        self._echoes: dict[bytes, int] = {}
        self._echo_waiting: bytes | None = None
        self._token = 0
        self.round_trip_ms: int | None = None
        """How long the last echo took there and back."""

    def ask(self, name: str, arguments: dict[str, int]) -> Asked:
        """Queue a request. KeyError for an unknown one, ValueError or TypeError for wrong arguments."""
        names = [known for known, _ in self._requests]
        if name not in names:
            raise KeyError(f"no request is called {name}; this link has: {', '.join(names) or 'none'}")
        code = names.index(name)
        request = self._requests[code][1]
        if arguments.keys() != request.arguments.keys():
            wanted = ", ".join(request.arguments) or "no arguments"
            raise TypeError(f"{name} takes {wanted}, not {', '.join(arguments) or 'none'}")
        asked = Asked(name, code, tuple(int(arguments[key]) for key in request.arguments))
        pack_ask(Ask(code, 0, 0, 0, asked.arguments), request)
        self._queue.append(asked)
        self.wants = True
        return asked

    def greet(self) -> None:
        """Ask who is there, at once and until there is an answer; until then it is not known."""
        self.identity = self._who = None
        self._greet, self._due_ms, self._retry_ms = True, 0, FIRST_RETRY_MS
        self.wants = True

    def echo(self, now_ms: int) -> None:
        """Send a few bytes there and back."""
        self.round_trip_ms = None
        self._token = (self._token + 1) % (1 << 16)
        self._echo_waiting = self._token.to_bytes(2, "little")
        self.wants = True

    def due(self, now_ms: int) -> tuple[int, bytes] | None:
        """The kind and payload that is to be sent in place of a command now, if any."""
        if self._echo_waiting is not None:
            token, self._echo_waiting = self._echo_waiting, None
            self._echoes[token] = now_ms
            if len(self._echoes) > MOST_ECHOES:
                del self._echoes[next(iter(self._echoes))]
            return ECHO, pack_echo(Echo(False, token))
        asked = self._queue[0] if self._queue else None
        if asked is None and not self._greet and not self._hows:
            self.wants = False
            return None
        if asked is not None:
            if self._news_ms is None:
                self._news_ms = now_ms
            if now_ms - self._news_ms >= PATIENCE_MS:
                self._give_up(asked)
                return self.due(now_ms)
        if now_ms < self._due_ms:
            return None
        if asked is None and not self._greet:
            self._hows -= 1
            self._due_ms = now_ms + GREET_MS
            return HELLO, pack_hello(Query(self.session, HOW))
        if asked is None or self._boot is None or self._greet:
            # A board that is starting is to be met as soon as it runs, so these do not grow apart.
            self._due_ms = now_ms + GREET_MS
            return HELLO, pack_hello(Query(self.session))
        # Twice as long each time: a link that is jammed is not to be jammed by questions as well.
        self._due_ms = now_ms + self._retry_ms
        self._retry_ms = min(2 * self._retry_ms, LONGEST_RETRY_MS)
        if not asked.number:
            self._number = asked.number = self._number % ((1 << 16) - 1) + 1
        asked.tries += 1
        if asked.outcome is Outcome.WAITING:
            asked.outcome = Outcome.ASKED
        ask = Ask(asked.code, self._boot, self.session, asked.number, asked.arguments)
        return REQUEST, pack_ask(ask, self._requests[asked.code][1])

    def hear_hello(self, page: Who | How, now_ms: int) -> None:
        """The machine has said who it is, or how it has fared."""
        if isinstance(page, How):
            if self._who is not None:
                self._hows = 0
                self.identity = identity_of(self._who, page)
            return
        if self._greet:
            self._hows = MOST_HOWS
        self._who = page
        self.identity = identity = identity_of(page, None)
        asked = self._queue[0] if self._queue else None
        self._greet = False
        if asked is not None and asked.tries and identity.boot != self._boot:
            # What was sent to the boot before may or may not have been done; it is not sent again.
            self._settle(Outcome.STRANGER, 0)
        self._boot = identity.boot
        self._news(now_ms)

    def hear_reply(self, reply: Reply, now_ms: int) -> None:
        """An answer; one to anything but the request under way is of no interest any more."""
        asked = self._queue[0] if self._queue else None
        if asked is None or (reply.code, reply.session, reply.number) != (
            asked.code,
            self.session,
            asked.number,
        ):
            return
        if reply.status is Outcome.RUNNING:
            asked.outcome, asked.value = Outcome.RUNNING, reply.value
            self._news(now_ms)
            self._due_ms, self._retry_ms = now_ms + POLL_MS, POLL_MS
            return
        # It does not know us: its boot number is asked for again before anything else is sent.
        if reply.status is Outcome.STRANGER:
            self._boot = self._who = self.identity = None
        self._settle(reply.status, reply.value)
        self._news(now_ms)

    def hear_echo(self, echo: Echo, now_ms: int) -> None:
        """Bytes are back."""
        sent_ms = self._echoes.pop(echo.token, None)
        if sent_ms is not None:
            self.round_trip_ms = now_ms - sent_ms

    def _news(self, now_ms: int) -> None:
        self._news_ms = now_ms if self._queue else None
        self._due_ms, self._retry_ms = now_ms, FIRST_RETRY_MS

    def _give_up(self, asked: Asked) -> None:
        if asked.tries:
            self._settle(Outcome.UNKNOWN, asked.value)
            # Its number is used up, but it could still arrive: a new session makes it too old for that.
            self.session = 1 + self.session % SESSIONS
            self._boot = None
        else:
            self._settle(Outcome.NEVER_SENT, 0)
        self._news_ms = None

    def _settle(self, outcome: Outcome, value: int) -> None:
        asked = self._queue.popleft()
        asked.outcome, asked.value = outcome, value
