"""The machine's desk: requests carried out at most once each, hello and echo answered.

Why nothing is ever done twice. A request carries the machine's boot number, the handset's session, and a
number that the handset never gives twice in a session. The desk keeps one session and the highest number
it has taken in it. It takes a request only if boot and session are its own and the number is higher; the
highest one again only brings its reply again. Another session begins with a hello, and makes the desk
count its boot number up: whatever an earlier session sent, and whatever was sent before a reboot, then
carries an old boot number and is answered STRANGER. So the memory needed is one number and one reply.

Rules for whoever edits this. The number is taken before the request is begun, so that a repetition finds it
taken whatever the builder's code does. A motion ends with the right to move, in the call that takes that
right away; what its own code has to clean up comes later, in :meth:`Desk.settle`, and can change nothing. A
reply is kept until the next number is taken, because it may have been lost.

Tried and given up: a list of the last numbers (it forgets, and then does twice what was asked once); numbers
that the machine gives out (that takes a round trip before every request); an acknowledgement apart from the
reply (one more frame that can be lost, for nothing that the reply does not say).
"""

import contextlib
from collections import deque
from collections.abc import Generator, Sequence

from nuvrik.ends.motions import Hook, Motion, RequestRefused, Routine, StepsMove, whole
from nuvrik.mixing.demand import FOLLOW, Mode, Output
from nuvrik.mixing.stepper import Stepper
from nuvrik.plan.form.backward import AnyRequest, CallRequest, HomeRequest
from nuvrik.plan.form.models import Link
from nuvrik.wire.kinds import ECHO, HELLO, REPLY
from nuvrik.wire.messages import (
    Ask,
    Echo,
    Identity,
    Query,
    Reply,
    pack_echo,
    pack_hello,
    pack_reply,
)
from nuvrik.wire.outcomes import Outcome

NUMBERS = 1 << 16
BOOTS = 1 << 32
MOST_WAITING = 4
"""Answers that wait to be sent; more questions than that are not worth answering late."""


class Desk:
    """Requests, hellos and echoes of one machine. ``boot`` must differ from boot to boot."""

    def __init__(self, link: Link, outputs: Sequence[Output], boot: int) -> None:
        self._link = link
        self._outputs = outputs
        self._requests: list[tuple[str, AnyRequest]] = list(link.requests.items())
        self._places = {name: place for place, name in enumerate(link.outputs)}
        self._turning = [output.turns for output in link.outputs.values()]
        self.boot = boot % BOOTS
        self.hooks: dict[str, Hook] = {}
        self.waiting: deque[tuple[int, bytes]] = deque(maxlen=MOST_WAITING)
        self._session: int | None = None
        self._number = 0
        self._reply: Reply | None = None
        self._motion: Motion | None = None
        self._moving: Reply | None = None
        self.leaving: list[Motion] = []
        """Motions that have ended, whose own code has still to clean up behind them."""
        self.last_hook = ""
        """The request whose own code ran last: to be named where it kept the loop too long."""

    @property
    def busy(self) -> bool:
        """Whether a motion is going on."""
        return self._motion is not None

    def hello(self, query: Query, identity: Identity, room: int) -> None:
        """Answer who is there; a new session makes all that the old one sent stale. Session 0 only asks."""
        if query.session not in (0, self._session):
            if self._session is not None:
                self.boot = (self.boot + 1) % BOOTS
            self.end(Outcome.ENDED)
            self._session, self._number, self._reply = query.session, 0, None
        answer = pack_hello(identity._replace(boot=self.boot), room)
        if len(answer) <= room:  # a packet may be too small for it
            self._say(HELLO, answer)

    def echo(self, echo: Echo) -> None:
        """Send the bytes back."""
        self._say(ECHO, pack_echo(Echo(True, echo.token)))

    def ask(self, ask: Ask, *, armed: bool) -> None:
        """Take a request, once, and answer it."""
        if ask.boot != self.boot or ask.session != self._session:
            self._say(REPLY, pack_reply(Reply(ask.code, ask.session, ask.number, Outcome.STRANGER, 0)))
            return
        if ask.number == self._number and self._reply is not None:
            self._say(REPLY, pack_reply(self._reply))
            return
        if not 0 < (ask.number - self._number) % NUMBERS < NUMBERS // 2:
            return  # older than one that has been answered since: nobody waits for it
        self._number = ask.number
        self._answer(ask, *self._begin(ask, armed))

    def _begin(self, ask: Ask, armed: bool) -> tuple[Outcome, int]:
        """Carry it out, or begin to."""
        name, request = self._requests[ask.code]
        if request.moving and not armed:
            return Outcome.NOT_ARMED, 0
        if request.moving and self._motion is not None:
            return Outcome.BUSY, 0
        if isinstance(request, CallRequest):
            return self._call(name, request, ask)
        place = self._places[request.output]
        stepper = self._outputs[place]
        assert isinstance(stepper, Stepper)
        steps = None if isinstance(request, HomeRequest) else ask.arguments[0]
        self._motion = StepsMove(place, stepper, steps)
        return Outcome.RUNNING, 0

    def _call(self, name: str, request: CallRequest, ask: Ask) -> tuple[Outcome, int]:
        hook = self.hooks.get(name)
        if hook is None:
            return Outcome.REFUSED, 0
        self.last_hook = name
        try:
            result = hook(**dict(zip(request.arguments, ask.arguments, strict=True)))
        except RequestRefused:
            return Outcome.REFUSED, 0
        except Exception:
            # The user's own code must not take the machine down with it.
            return Outcome.FAILED, 0
        if not isinstance(result, Generator):
            return Outcome.DONE, whole(result)
        if not request.moving:
            self.leaving.append(Routine(name, result, self._places))
            return Outcome.FAILED, 0  # nothing says when it would have to end
        self._motion = Routine(name, result, self._places)
        return Outcome.RUNNING, 0

    def overlay(
        self, targets: Sequence[int | None], mode: Mode, dt_ms: int
    ) -> list[int | None] | Sequence[int | None]:
        """The targets with the motion's in them. It ends with the right to move, where a required reading is
        missing, and where a hand moves what it moves: the hand wins."""
        if self._motion is None:
            return targets
        if mode is not FOLLOW:
            self.end(Outcome.ENDED)
            return targets
        self.last_hook = self._motion.name
        try:
            levels = self._motion.levels(dt_ms)
        except Exception:
            self.end(Outcome.FAILED)
            return targets
        if levels is None:
            self._over(Outcome.DONE)
            return targets
        for place in levels:
            if targets[place] is None or (self._turning[place] and targets[place]):
                self.end(Outcome.ENDED)
                return targets
        merged = list(targets)
        for place, level in levels.items():
            merged[place] = level
        return merged

    def end(self, status: Outcome) -> None:
        """Let no motion go on. What its own code has to clean up waits for :meth:`settle`."""
        self._over(status)

    def settle(self) -> None:
        """Let the code of motions that have ended clean up. What it does cannot undo that they have ended."""
        while self.leaving:
            motion = self.leaving.pop(0)
            self.last_hook = motion.name
            with contextlib.suppress(Exception):
                motion.end()

    def _over(self, status: Outcome) -> None:
        if self._motion is not None:
            self._motion.let_go()
            self.leaving.append(self._motion)
        value, began = self._motion.value if self._motion else 0, self._moving
        self._motion = self._moving = None
        if began is None:
            return
        reply = began._replace(status=status, value=value)
        if self._reply == began:
            self._reply = reply
        self._say(REPLY, pack_reply(reply))

    def _answer(self, ask: Ask, status: Outcome, value: int) -> None:
        self._reply = Reply(ask.code, ask.session, ask.number, status, value)
        if status is Outcome.RUNNING:
            self._moving = self._reply
        self._say(REPLY, pack_reply(self._reply))

    def _say(self, kind: int, payload: bytes) -> None:
        self.waiting.append((kind, payload))
