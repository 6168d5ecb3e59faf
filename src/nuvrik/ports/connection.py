"""A host program that drives by value, with no handset model: ``connect``."""

import math
import os
import time
import warnings
import weakref
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

from nuvrik.core.machine.states import ARMED, STANDBY, State
from nuvrik.ends.asking import Asked, Identity
from nuvrik.ends.sensors import Reading
from nuvrik.plan.form.channels import ChoiceChannel, LevelChannel, ShareChannel
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.wiring import place_channels
from nuvrik.ports.driver import TURN_S, Driver
from nuvrik.ports.hello import other_build, other_file
from nuvrik.ports.live import AnyClock, ByteLine, WallClock
from nuvrik.ports.open import open_port
from nuvrik.ports.port import PortError
from nuvrik.ports.sim import RealTime, SimLine
from nuvrik.wire.values import value_to_send

TURNING_S = 5.0
"""How long what turns does so, unless the program says otherwise."""

HELLO_S = 5.0
"""How long a board may take from the opening of its port to its first hello."""


class LinkError(Exception):
    """The machine does not do what was asked of it; the text says what and why."""


class RequestFailed(LinkError):
    """A request that was not carried out, or of which nobody knows. ``asked`` tells more."""

    def __init__(self, asked: Asked) -> None:
        super().__init__(f"{asked.name}: {asked.state}: {asked.why}")
        self.asked = asked


class Connection:
    """One machine, driven from a program. A thread of its own sends at the link's rate and takes what comes
    back; every method may be called from any thread. Made by ``connect``.

    A program that ends, or loses sight of its connection, does not leave a machine armed: closing, leaving
    the block, an exception, a signal, the end of the interpreter and garbage collection all send arm off for
    ``timeout_ms`` and two frames more. (Only ``kill -9`` does not; then the machine's own timeout stops it.)
    """

    def __init__(self, link: Link, line: ByteLine, clock: AnyClock, *, controls: bool = False) -> None:
        self.link = link
        self._driver = Driver(link, line, clock, controls=controls)
        self._handset, self._clock = self._driver.handset, clock
        self._lock, self._changed = self._driver.lock, self._driver.changed
        self._places = place_channels(link)
        self._opened_s = time.monotonic()
        self._process = os.getpid()
        # The thread holds on to the driver only, so that a connection nobody holds is collected.
        weakref.finalize(self, self._driver.leave).atexit = False

    # ---- what a program says ----

    def read(self, **readings: int | None) -> None:
        """Take raw readings of controls, of a connection made with ``controls=True``: ranges, dead zones,
        toggles, return and hold of the link file make channels of them. A reading is good for the control's
        ``stale_ms``, so call this again and again; a stop button that is not read counts as pressed. Raises
        KeyError for a control that there is not, TypeError for a reading that is no whole number.
        """
        with self._lock:
            self._check()
            self._handset.read(self._clock.now_ms(), **readings)

    @property
    def values(self) -> dict[str, float | None]:
        """What is sent now: levels and shares as fractions of full scale, None for *no reading*; anything
        else as a whole number."""
        with self._lock:
            return self._handset.values

    @property
    def why(self) -> str:
        """What this end holds back, in plain words; "" while it holds nothing back."""
        with self._lock:
            return self._handset.why

    def arm(self, wait_s: float = 5.0) -> None:
        """Arm the machine, and wait until it is. LinkError if it does not within ``wait_s``.

        On a link without telemetry nobody can know whether it did: this returns once a machine that is there
        and runs must have armed, ``settle_ms`` of the link file after the port was opened at the earliest.
        """
        rules, link = self.link.failsafe, self.link
        period_s, turn_s = link.period_ms / 1000, max(link.period_ms, link.tick_ms) / 1000
        settled_s = rules.timeout_ms / 1000 + (rules.good_frames + 3) * turn_s
        end = time.monotonic() + wait_s
        if not self.link.telemetry:
            self._switch_arm(on=False)
            self._pause(max(settled_s, self._opened_s + link.settle_ms / 1000 + settled_s - time.monotonic()))
            self._switch_arm(on=True)
            self._pause(settled_s)
            return
        while time.monotonic() < end:
            # It wants to see arm off while it stands by, then on.
            self._switch_arm(on=False)
            if not self._wait(lambda: self._handset.machine_state is STANDBY, end - time.monotonic()):
                break
            self._pause(4 * max(period_s, turn_s))
            self._switch_arm(on=True)
            if self._wait(lambda: self._handset.machine_state is ARMED, settled_s + 0.5):
                return
        self._switch_arm(on=False)
        state, age_ms = self._handset.machine_state, self._handset.machine_age_ms
        said = f"it is {state}" if state else "it has not said anything"
        if state is None and age_ms is not None:
            said = f"it has not been heard for {age_ms} ms"
        hint = "; is everything set to rest?" if state is STANDBY else ""
        hint = f"; {self._handset.why}" if self._handset.why else hint
        raise LinkError(f"{self.link.name} did not arm within {wait_s:g} s: {said}{hint}")

    def stop(self) -> None:
        """Stop at once, without a ramp, and stay stopped until it is armed again: the stop of a program,
        where nobody can press one."""
        with self._lock:
            self._check()
            self._handset.press_stop(self._clock.now_ms())
            self._handset.press_stop(self._clock.now_ms(), pressed=False)

    def disarm(self) -> None:
        """Arm off; what turns runs down."""
        self._switch_arm(on=False)

    def set(self, for_s: float | None = None, **values: float | bool | str | None) -> None:
        """Set channels, in fractions of full scale (a channel with a ``range``: in numbers of that; a flag:
        True or False; a choice: its option), for ``for_s`` seconds: then what turns goes to rest, a flag off,
        and a place stays.

        Without ``for_s``, what turns does so for TURNING_S, because a program may hang, and everything else
        stays until set again; ``math.inf`` is until set again for all. Raises KeyError for a channel that
        there is not, ValueError for a value that it cannot have.
        """
        if for_s is not None and not for_s >= 0:
            raise ValueError(f"for_s is {for_s}; it must be 0 or more, or math.inf")
        given = {name: given_value(self.link, name, value) for name, value in values.items()}
        with self._lock:
            self._check()
            for name, value in given.items():
                self._handset.put(self._clock.now_ms(), name, value, self._for_ms(name, for_s))

    def request(self, name: str, *, wait: bool = True, **arguments: int | str) -> Asked:
        """Ask the machine to do something, once, and wait until it is done; with ``wait=False`` come back at
        once, and look at what is returned later. RequestFailed says why it was not done."""
        with self._lock:
            self._check()
            asked = self._handset.request(name, **arguments)
        if wait:
            self._wait(lambda: asked.settled, None)
            if asked.state != "done":
                raise RequestFailed(asked)
        return asked

    # ---- what the machine says ----

    @property
    def telemetry(self) -> dict[str, Reading]:
        """The latest of each item that has come back."""
        with self._lock:
            self._check()
            return dict(self._handset.telemetry)

    @property
    def state(self) -> State | None:
        """The machine's state, as it last said; None on a link without telemetry, and once the machine has
        not been heard for a while (see ``age_ms``)."""
        with self._lock:
            self._check()
            return self._handset.machine_state

    @property
    def age_ms(self) -> int | None:
        """How long ago the machine last told its state; None if it never did."""
        with self._lock:
            return self._handset.machine_age_ms

    def meet(self, wait_s: float = HELLO_S) -> bool:
        """Wait for a machine with the link's key. LinkError if none answers. Whether it says more of itself:
        without a key always, with one where its packets are not too small."""
        self._wait(lambda: self._handset.met, wait_s)
        if not self._handset.met:
            raise LinkError(f"no machine with this link's key answered within {wait_s:g} s: is it on?")
        return self._handset.says_hello

    def hello(self, wait_s: float = HELLO_S) -> Identity:
        """Ask the machine who it is. LinkError if nobody answers, and where a link with a key has packets
        that are too small for the answer."""
        with self._lock:
            self._check()
            if not self._handset.says_hello:
                raise LinkError("with a key, this link's packets are too small for a hello")
            self._handset.greet()
        self._wait(lambda: self._handset.known, wait_s)
        identity = self._handset.identity
        if identity is None:
            asked = "is it on, built from this file, and free of another handset?"
            raise LinkError(f"nobody answered hello within {wait_s:g} s: {asked}")
        return identity

    def round_trip_ms(self, wait_s: float = 1.0) -> int:
        """How long a few bytes take there and back. LinkError if they do not come back."""
        with self._lock:
            self._check()
            self._handset.echo(self._clock.now_ms())
        if not self._wait(lambda: self._handset.round_trip_ms is not None, wait_s):
            raise LinkError(f"no echo within {wait_s:g} s")
        return int(self._handset.round_trip_ms or 0)

    # ---- coming and going ----

    def close(self) -> None:
        """Disarm, for as long as it takes to be heard, and leave."""
        self._driver.close()

    def __enter__(self) -> "Connection":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _switch_arm(self, *, on: bool) -> None:
        with self._lock:
            self._check()
            self._handset.put_arm(on)

    def _wait(self, done: Callable[[], bool], wait_s: float | None) -> bool:
        end = None if wait_s is None else time.monotonic() + wait_s
        with self._changed:
            while not done():
                self._check()
                left = None if end is None else end - time.monotonic()
                if left is not None and left <= 0:
                    return False
                self._changed.wait(left)
            return True

    def _pause(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while self._driver.running and time.monotonic() < end:
            time.sleep(TURN_S)

    def _check(self) -> None:
        if os.getpid() != self._process:
            raise LinkError("this is another process: a connection is for the one that opened it")
        trouble = self._driver.trouble
        if trouble is not None:
            if isinstance(trouble, PortError):
                raise PortError(str(trouble)) from None
            raise LinkError(f"the link stopped: {trouble}") from trouble
        if not self._driver.running or self._driver.leaving:
            raise LinkError("the connection is closed")

    def _for_ms(self, name: str, for_s: float | None) -> int | None:
        if for_s is None:
            channel = self.link.channels.get(name)
            turns = isinstance(channel, LevelChannel | ShareChannel) and name not in self._places
            for_s = TURNING_S if turns else math.inf
        return None if for_s == math.inf else round(1000 * for_s)


def given_value(link: Link, name: str, value: float | bool | str | None) -> float | None:
    """A value of a channel as a handset takes it: in fractions, or in numbers of its range; a choice by its
    option. Nothing is sent for it: KeyError for a channel that there is not, ValueError for a value that it
    cannot have."""
    channel = link.channels.get(name)
    if channel is None or name == link.arm_channel:
        known = ", ".join(one for one in link.channels if one != link.arm_channel)
        raise KeyError(f"no channel {name} to set; this link has: {known}")
    if isinstance(channel, ChoiceChannel) and isinstance(value, str):
        if value not in channel.options:
            raise ValueError(f"{name}: {value!r} is none of its options")
        return channel.options.index(value)
    if value is None and (channel.scaled or isinstance(channel, ChoiceChannel)):
        return None
    if isinstance(value, float) and not channel.scaled and value.is_integer():
        value = int(value)
    if isinstance(channel, LevelChannel | ShareChannel) and isinstance(value, int | float):
        try:
            value = channel.fraction(value)
        except ValueError as error:
            raise ValueError(f"{name}: {error}") from None
    try:
        value_to_send(name, channel, value)  # type: ignore[arg-type]
    except TypeError as error:
        raise ValueError(str(error)) from None
    assert not isinstance(value, str)
    return value


def connect(
    link: Link | str | Path, port: str, hello_s: float = HELLO_S, *, controls: bool = False
) -> Connection:
    """Connect to a machine, by its link file and the name of a port (a device, ``socket://``, ``udp://``, or
    ``sim`` for a simulated one). Nothing moves before ``Connection.arm``.

    With ``controls=True`` the program is a pair of hands: it gives ``Connection.read`` raw readings of
    the link's controls, arm and stop among them, and everything that the link file says of them applies::

        with nuvrik.connect("tug.toml", "/dev/ttyUSB0", controls=True) as tug:
            while True:
                tug.read(left_stick=adc.read(0), right_stick=adc.read(1), arm_button=0, stop_button=0)
                time.sleep(0.01)

    On a link with telemetry or requests it waits for the machine's hello, up to ``hello_s``, so that a
    board that resets when its port is opened has the time it needs and no more; and it makes sure that
    both ends were built from one file. A board that reads the same bits, but was built before the file was
    last changed, is told of as a warning. Raises LinkFileError, PortError, LinkError.
    """
    link = link if isinstance(link, Link) else load(link)
    line = open_port(link, port, wait_s=0)  # its thread waits by the clock
    made = Connection(
        link, line, RealTime(line) if isinstance(line, SimLine) else WallClock(), controls=controls
    )
    if link.two_way and link.frame.carries_questions:
        try:
            if not made.meet(hello_s):
                return made
            identity = made.hello(hello_s)
            wrong = other_file(identity, link)
            if wrong:
                raise LinkError(wrong)
            said = other_build(identity, link)
            if said:
                warnings.warn(f"{identity.name}, at the other end, was built {said}", stacklevel=2)
        except BaseException:
            made.close()
            raise
    return made
