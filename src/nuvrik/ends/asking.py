"""The handset's side of requests, with the names of the link file."""

from collections import deque
from collections.abc import Mapping
from typing import NamedTuple

from nuvrik.core.hand.hands import Hands
from nuvrik.core.levels import NOBODY, TIMER_MAX
from nuvrik.core.machine.telling import NOTES_LATE, NOTES_OWN, NOTES_RADIO
from nuvrik.core.requests.asking import QUESTION_NONE, Asking
from nuvrik.plan.build_tags import BuildTags
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.handset_end import asking_table
from nuvrik.wire.messages import STARTS, Echo, How, Reply, Who, check_arguments
from nuvrik.wire.outcomes import Outcome

TOKEN_BYTES = 2

SESSIONS = (1 << 16) - 1
"""Session numbers run from 1; 0 is a hello's that only asks."""


class Identity(NamedTuple):
    """What a machine has said of itself: the layout tag and the build tags it was built with, its boot
    number, the library's version, why it last started ("" where it does not know), the link's name. How it
    has fared, seconds since it started and frames accepted and refused, is None until it has said so too;
    ``own_stop`` is the number that its own code gave for its last stop, 0 for none, and ``loses_time`` says
    that its clock has lost more time to own code that keeps interrupts off than the link file allows for;
    ``radio`` is what was wrong with its radio chip last, "" for nothing."""

    tag: int
    build: BuildTags
    boot: int
    version: tuple[int, int, int]
    start: str
    name: str
    up_s: int | None = None
    accepted: int | None = None
    refused: int | None = None
    own_stop: int = 0
    loses_time: bool = False
    radio: str = ""


RADIO = (
    "",
    "it did not answer",
    "it had forgotten what it was told, as after a dip of its supply",
    "a register of its had become another",
    "it does not keep what it is told, as one that does not know the link's bitrate",
    "it was given a packet and did not send it",
)
"""What was wrong with a radio chip, by the numbers of ``core.loops.packet_radio``."""


def identity_of(who: Who, how: How | None) -> Identity:
    """What the pages of a hello say together."""
    name = (who.name + (how.name if how else b"")).decode("utf-8", "replace")
    start = STARTS[who.start] if who.start < len(STARTS) else ""
    identity = Identity(who.tag, BuildTags(*who.build), who.boot, who.version, start, name)
    if how is None:
        return identity
    return identity._replace(
        up_s=how.up_s,
        accepted=how.accepted,
        refused=how.refused,
        own_stop=how.noted & NOTES_OWN,
        loses_time=bool(how.noted & NOTES_LATE),
        radio=RADIO[min(how.noted // NOTES_RADIO, len(RADIO) - 1)],
    )


class Asked:
    """A request on its way. ``outcome`` is what has become of it so far, ``state`` and ``why`` the same in
    words: "waiting" before it was first sent, in the end "done", or what went wrong. ``value`` is what it
    came to: steps turned, or what the machine's own code returned.

    >>> with nuvrik.connect("vent.toml", "sim") as vent:
    ...     vent.arm()
    ...     asked = vent.request("move", steps=130)
    >>> asked.state, asked.value
    ('done', 130)
    """

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
    """One request at a time, in the order in which they were asked for: what ``core.requests.asking`` does,
    with names, and a queue before it."""

    def __init__(self, link: Link, session: int) -> None:
        self._requests = list(link.requests.items())
        self.core = Asking(asking_table(link))
        self.core.session = 1 + session % SESSIONS
        self.identity: Identity | None = None
        """What the machine said of itself last; None before, and once it is known to be out of date."""
        self._who: Who | None = None
        self._triggers = [
            (name, request.when_args) for name, request in link.requests.items() if request.when is not None
        ]
        self.last: Asked | None = None
        """What has been asked for last, by a button or otherwise; None before."""
        self._queue: deque[Asked] = deque()
        self._now_ms = 0

    def ask(self, name: str, arguments: Mapping[str, int | str], *, may_move: bool) -> Asked:
        """Queue a request; one that moves something is refused at once unless it ``may_move``. KeyError for
        an unknown one, ValueError or TypeError for wrong arguments."""
        names = [known for known, _ in self._requests]
        if name not in names:
            raise KeyError(f"no request is called {name}; this link has: {', '.join(names) or 'none'}")
        code = names.index(name)
        request = self._requests[code][1]
        if arguments.keys() != request.arguments.keys():
            wanted = ", ".join(request.arguments) or "no arguments"
            raise TypeError(f"{name} takes {wanted}, not {', '.join(arguments) or 'none'}")
        asked = Asked(name, code, request.numbers(arguments))
        check_arguments(asked.arguments, request)
        self.last = asked
        if request.moving and not may_move:
            asked.outcome = Outcome.NOT_ARMED
            return asked
        self._queue.append(asked)
        self._begin()
        return asked

    def forget(self) -> None:
        """Whatever has been asked and not begun is not wanted any more."""
        self.core.forget()
        self._follow()
        begun = [asked for asked in self._queue if asked.outcome is Outcome.RUNNING]
        for asked in self._queue:
            if asked not in begun:
                asked.outcome = Outcome.FORGOTTEN
        self._queue = deque(begun)

    def look(self, hands: Hands, *, may_move: bool) -> None:
        """Hands have moved: a button that starts a request may have been pressed."""
        if not self._triggers:
            return
        trigger = self.core.pressed(hands)
        if trigger != NOBODY and not self._queue:
            name, arguments = self._triggers[trigger]
            self.ask(name, arguments, may_move=may_move)

    def greet(self) -> None:
        """Ask who is there, at once and until there is an answer; until then it is not known."""
        self.identity = self._who = None
        self.core.greet()

    @property
    def session(self) -> int:
        """The handset's session."""
        return self.core.session

    @property
    def round_trip_ms(self) -> int | None:
        """How long the last echo took there and back; None until it is back."""
        return None if self.core.trip_ms == TIMER_MAX else self.core.trip_ms

    def pass_time(self, now_ms: int) -> None:
        """Let it be ``now_ms`` on a clock that only grows."""
        if now_ms != self._now_ms:
            self.core.pass_time(min(now_ms - self._now_ms, TIMER_MAX))
            self._now_ms = now_ms

    def question(self, *, may_jog: bool) -> int:
        """What is to be sent in place of a command now, if anything."""
        what = self.core.question(may_jog)
        if self._follow() and what == QUESTION_NONE:
            # One has been given up; the next is asked at once.
            what = self.core.question(may_jog)
        self._follow()
        return what

    def meet(self, nonce: bytes, mark: int) -> None:
        """A machine with a key has said by what it is to be known; ``mark`` is what sessions begin with."""
        low, high = (int.from_bytes(nonce[at : at + 2], "little") for at in (0, 2))
        self.core.meet(low, high, mark)
        self._follow()

    def hear(self, values: Reply | Who | How | Echo) -> None:
        """The machine has answered something."""
        core = self.core
        if isinstance(values, Reply):
            low, high = values.value & 0xFFFF, values.value >> 16 & 0xFFFF
            core.hear_reply(values.code, values.session, values.number, values.status, low, high)
            if not core.boot_known:
                self.identity = self._who = None
        elif isinstance(values, Who):
            self._who, self.identity = values, identity_of(values, None)
            core.hear_who(values.boot & 0xFFFF, values.boot >> 16)
        elif isinstance(values, How):
            core.hear_how()
            self.identity = identity_of(self._who, values) if self._who else None
        elif len(values.token) == TOKEN_BYTES:
            core.hear_echo(int.from_bytes(values.token, "little"))
        self._follow()

    def _begin(self) -> None:
        """Let core ask for the first in the queue, if it is free."""
        if self._queue and not self.core.asked:
            for place, value in enumerate(self._queue[0].arguments):
                self.core.argument(place, value)
            self.core.ask(self._queue[0].code, True)

    def _follow(self) -> bool:
        """What has become of the first in the queue; whether another one is first now."""
        if not self._queue:
            return False
        asked, core = self._queue[0], self.core
        value = core.value_high << 16 | core.value_low
        asked.number, asked.tries, asked.outcome = core.number, core.tries, Outcome(core.outcome)
        asked.value = value - (value >> 31 << 32)
        if core.asked:
            return False
        self._queue.popleft()
        self._begin()
        return bool(self._queue)
