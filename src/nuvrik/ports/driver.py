"""What keeps a connection's frames coming: a thread, a handset, and a farewell that is always sent whole."""

import atexit
import os
import threading
import time
import warnings

from nuvrik.ends.handset import Handset
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import staying_channels
from nuvrik.ports.driving import hear
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import AnyClock, ByteLine, random_number

TURN_S = 0.002
"""How long the thread sleeps between looks at the clock."""

GRACE_S = 5.0
"""How much longer than a farewell takes a program waits for it: a busy computer is slow."""


class Driver:
    """Sends for one connection, from a thread of its own that holds nothing but this.

    ``lock`` guards the handset; ``changed`` is told after every turn. ``trouble`` is what ended the thread.
    With ``controls`` its program reads controls, and the link file makes channels of them; without, the
    program sets channels itself.
    """

    def __init__(self, link: Link, line: ByteLine, clock: AnyClock, *, controls: bool = False) -> None:
        self.lock = threading.RLock()
        self.changed = threading.Condition(self.lock)
        self.trouble: BaseException | None = None
        self.running, self.leaving = True, False
        self._line, self._clock = line, clock
        self._farewell_ms = link.failsafe.timeout_ms + 2 * link.period_ms
        self._until_ms: int | None = None
        without = frozenset() if controls else frozenset(link.controls)
        self.handset = Handset(link, stream=line.stream, session=random_number(16), without=without)
        if not controls:
            stay = staying_channels(link)
            for name in link.channels:
                # The program stands in for every control. What turns is at rest until it says otherwise;
                # where a place is to be it has not said.
                if name != link.arm_channel:
                    self.handset.put(0, name, None if name in stay else 0)
            self.handset.put_arm(False)
        self._thread = threading.Thread(target=self._run, daemon=True, name=f"nuvrik {link.name}")
        _OPEN.add(self)
        self._thread.start()

    def leave(self) -> None:
        """Begin to leave: from now on only the farewell is sent, and then nothing any more."""
        with self.lock:
            self.leaving = True
            self.handset.disarm()

    def close(self) -> None:
        """Leave, and wait until the farewell has been sent."""
        with _OPEN.signals.leaving():
            self.leave()
            end = time.monotonic() + self._farewell_ms / 1000 + GRACE_S
            while self._thread.is_alive() and time.monotonic() < end and not _OPEN.signals.at_once:
                self._thread.join(0.05)
        if self._thread.is_alive():
            words = "left before arm off had been sent for its whole time: the machine stops by its timeout"
            warnings.warn(words, RuntimeWarning, stacklevel=2)
        _OPEN.rest()

    def _run(self) -> None:
        try:
            before_ms = self._clock.now_ms()
            while self._until_ms is None or before_ms <= self._until_ms:
                before_ms = self._turn(before_ms)
                self._clock.pace(TURN_S)
        except BaseException as error:  # told to the program at its next call
            self.trouble = error
        finally:
            with self.changed:
                self.running = False
                self.changed.notify_all()
            close = getattr(self._line, "close", None)
            if close is not None:
                close()
            _OPEN.remove(self)

    def _turn(self, before_ms: int) -> int:
        """Hear, send; gives the time of it."""
        data = self._line.read()
        with self.changed:
            now_ms, handset = self._clock.now_ms(), self.handset
            hear(handset, self._line, data, now_ms, now_ms - before_ms)
            wire = handset.send(now_ms)
            if self.leaving and self._until_ms is None:
                self._until_ms = now_ms + self._farewell_ms
            self.changed.notify_all()
        if wire:
            self._line.write(wire)
        return now_ms


class _Open:
    """The drivers of this process. While there are any, a signal that would end the program at once ends it
    by an exception, and the end of the interpreter waits for their farewells."""

    def __init__(self) -> None:
        self._drivers: set[Driver] = set()
        self._lock = threading.Lock()
        self.signals = Signals(raises=self._raised)
        self._listening = False
        atexit.register(self.close_all)
        if hasattr(os, "register_at_fork"):
            os.register_at_fork(after_in_child=self.forget_all)

    def add(self, driver: Driver) -> None:
        with self._lock:
            self._drivers.add(driver)
            if not self._listening and threading.current_thread() is threading.main_thread():
                self.signals.__enter__()
                self._listening = True

    def remove(self, driver: Driver) -> None:
        with self._lock:
            self._drivers.discard(driver)

    def rest(self) -> None:
        """Give the signals back once nothing is driven any more."""
        here = threading.current_thread() is threading.main_thread()
        with self._lock:
            if not self._drivers and self._listening and here:
                self.signals.__exit__()
                self._listening = False

    def forget_all(self) -> None:
        """In a process that was forked off: the connections are its parent's, who goes on with them."""
        self._lock = threading.Lock()
        self._drivers.clear()

    def close_all(self) -> None:
        """At the end of the interpreter."""
        with self.signals.leaving():
            for driver in list(self._drivers):
                driver.leave()
            for driver in list(self._drivers):
                driver.close()

    @staticmethod
    def _raised(number: int) -> BaseException:
        import signal

        if number == signal.SIGINT:
            return KeyboardInterrupt()
        return SystemExit(128 + number)


_OPEN = _Open()
