"""The machine's desk in words: the builder's own code around the rules of ``core.machine.desk``."""

from collections.abc import Generator

from nuvrik.core.machine import desk as core
from nuvrik.core.machine.machine import Machine
from nuvrik.ends.motions import Hook, RequestRefused, Routine, whole
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import AnyRequest
from nuvrik.wire.messages import Ask, Echo, Query
from nuvrik.wire.outcomes import Outcome

BOOTS = 1 << 32


class Desk:
    """Requests, hellos and echoes of one machine, and the builder's own code that some of them call."""

    def __init__(self, link: Link, machine: Machine) -> None:
        self._machine = machine
        self.core = machine.desk
        self._requests = list(link.requests.items())
        self._places = {name: place for place, name in enumerate(link.outputs)}
        self.hooks: dict[str, Hook] = {}
        self._routine: Routine | None = None
        self.leaving: list[Routine] = []
        """Routines that have ended, whose own code has still to clean up behind them."""
        self.last_hook = ""
        """The request whose own code ran last: to be named where it kept the loop too long."""
        self.ended: BaseException | None = None
        """What such code has raised to end the whole program."""

    @property
    def boot(self) -> int:
        """The boot number."""
        return self.core.boot_low | self.core.boot_high << 16

    @property
    def session(self) -> int | None:
        """The handset's session, None before there was one."""
        return self.core.session if self.core.met else None

    @property
    def busy(self) -> bool:
        """Whether a motion is going on."""
        return self.core.motion != core.NO_MOTION

    def hello(self, query: Query) -> None:
        """Answer who is there."""
        self._machine.hello(query.session, query.page)

    def echo(self, echo: Echo) -> None:
        """Send the bytes back."""
        self.core.echo(len(echo.token))
        self.core.token[: len(echo.token)] = echo.token

    def ask(self, ask: Ask) -> None:
        """Take a request, once, and answer it."""
        self.core.arguments[: len(ask.arguments)] = ask.arguments
        if self._machine.ask(ask.code, ask.boot & 0xFFFF, ask.boot >> 16, ask.session, ask.number):
            self._machine.called(*self._call(*self._requests[ask.code], ask))

    def _call(self, name: str, request: AnyRequest, ask: Ask) -> tuple[Outcome, int]:
        hook = self.hooks.get(name)
        if hook is None:
            return Outcome.REFUSED, 0
        self.last_hook = name
        try:
            result = hook(**request.given(ask.arguments))
        except RequestRefused:
            return Outcome.REFUSED, 0
        except BaseException as error:
            self._failed(error)
            return Outcome.FAILED, 0
        if not isinstance(result, Generator):
            return Outcome.DONE, whole(result)
        routine = Routine(name, result, self._places)
        if not request.moving:
            self.leaving.append(routine)
            return Outcome.FAILED, 0  # nothing says when it would have to end
        self._routine = routine
        return Outcome.RUNNING, 0

    def step(self) -> None:
        """One step of the builder's own code that goes on; only while the machine may follow it."""
        routine = self._routine
        if routine is None:
            return
        self.last_hook = routine.name
        try:
            levels = routine.levels()
        except StopIteration as over:
            self._machine.own_over(Outcome.DONE, whole(over.value))
        except BaseException as error:
            self._failed(error)
            self._machine.own_over(Outcome.FAILED, 0)
        else:
            self._machine.let_go()
            for place, level in levels.items():
                self._machine.wish(place, level)

    def notice(self) -> bool:
        """Look whether the builder's own code has just been made to end. True: it has, and what it has to
        clean up waits for ``settle``."""
        if self._routine is None or self.core.motion == core.OWN_MOTION:
            return False
        self.leaving.append(self._routine)
        self._routine = None
        return True

    def settle(self) -> None:
        """Let the code of routines that have ended clean up. What it does cannot undo that they have
        ended."""
        while self.leaving:
            routine = self.leaving.pop(0)
            self.last_hook = routine.name
            try:
                routine.end()
            except BaseException as error:
                self._failed(error)

    def _failed(self, error: BaseException) -> None:
        """The builder's own code must not take the machine down with it; nor end the program, as sys.exit and
        Ctrl-C do, before all that it drives is at rest."""
        if not isinstance(error, Exception | GeneratorExit):
            self.ended = error
