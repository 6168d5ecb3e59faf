"""How a program that drives, or is driven, leaves: asked by a signal, and never half way.

A signal asks once. What follows it, a farewell on the wire or outputs coming to rest, is carried out whole,
however often the signal comes again; only the third Ctrl-C may cut it short, and then it is said that it
did. Two ways of being asked, because two kinds of program must be asked: a loop looks at
``Signals.checkpoint`` once a turn, so that it is never torn out of the middle of something, and whatever
waits elsewhere (for an answer at the keyboard, in a program of the user's own) gets an exception.
"""

import signal
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType
from typing import Any

NAMES = ("SIGINT", "SIGTERM", "SIGHUP", "SIGQUIT")
"""What asks a program to leave; not every system has all of them."""

ASKED = [getattr(signal, name) for name in NAMES if hasattr(signal, name)]
"""Their numbers, those that there are here."""

AT_ONCE = 3
"""The Ctrl-C that may cut a farewell short."""

ONE_QUESTION_S = 2.0
"""Signals that come within this time of one that has raised belong to it: people press twice, and a closing
terminal sends several."""


class Interrupted(KeyboardInterrupt):
    """Somebody or something has asked the program to leave."""


class Signals:
    """The signals of this process while something is being driven. A context, entered in the main thread; in
    any other it does nothing, because there signals cannot be had.

    ``raises`` makes the exception for a signal that comes while no loop looks at ``checkpoint``. With
    ``final`` the process ends soon after this context: if it was asked to, signals that still come are
    ignored.
    """

    def __init__(
        self, raises: Callable[[int], BaseException] = lambda number: Interrupted(), *, final: bool = False
    ) -> None:
        self._raises = raises
        self._final = final
        self._before: dict[int, Any] = {}
        self._counts: Counter[int] = Counter()
        self._polled = 0
        self._leaving = 0
        self._raised_at = float("-inf")
        self.asked = False
        """Whether the program has been asked to leave."""
        self.at_once = False
        """Whether it is to leave at once, farewell or not."""

    def __enter__(self) -> "Signals":
        if threading.current_thread() is not threading.main_thread():
            return self
        for number in ASKED:
            before = signal.getsignal(number)
            # One that is ignored (as by nohup), or that the program handles itself, is left alone.
            if before in (signal.SIG_DFL, signal.default_int_handler):
                self._before[number] = before
                signal.signal(number, self._handle)
        return self

    def __exit__(self, *_: object) -> None:
        for number, before in self._before.items():
            signal.signal(number, signal.SIG_IGN if self._final and self._counts else before)
        self._before.clear()

    def checkpoint(self) -> None:
        """In a loop, once a turn: raises Interrupted if the program has been asked to leave."""
        if self.asked and not self._leaving:
            self.asked = False
            raise Interrupted

    @contextmanager
    def polled(self) -> Iterator[None]:
        """While a loop calls ``checkpoint``, signals raise nothing."""
        self._polled += 1
        try:
            yield
        finally:
            self._polled -= 1

    @contextmanager
    def leaving(self) -> Iterator[None]:
        """While a farewell is said, or outputs come to rest: no signal raises anything."""
        self._leaving += 1
        try:
            yield
        finally:
            self._leaving -= 1

    def _handle(self, number: int, frame: FrameType | None) -> None:
        self._counts[number] += 1
        self.asked = True
        if self._counts[signal.SIGINT] >= AT_ONCE:
            self.at_once = True
        now = time.monotonic()
        if self._leaving or self._polled or now - self._raised_at < ONE_QUESTION_S:
            return
        self._raised_at, self.asked = now, False
        self._counts = Counter({number: 1})
        raise self._raises(number)


NO_SIGNALS = Signals()
"""For loops that nobody asks anything: it is never entered, so it never asks."""
