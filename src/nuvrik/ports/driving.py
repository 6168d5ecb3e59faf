"""The live loop of a handset: from whatever hands there are to a port, and a farewell that is always sent."""

from collections.abc import Callable
from typing import NamedTuple, Protocol

from nuvrik.core.levels import TIMER_MAX
from nuvrik.core.loop import EXPIRES, LISTENS, after_gap
from nuvrik.ends.handset import Handset
from nuvrik.plan.form.models import Link
from nuvrik.ports.leaving import NO_SIGNALS, Signals
from nuvrik.ports.live import TURN_S, AnyClock, ByteLine, WallClock, backlog, random_number
from nuvrik.ports.port import PortError
from nuvrik.ports.sources.recorded import Pace
from nuvrik.recordings.recording import Recording
from nuvrik.wire.events import Event

Told = Callable[[int, int, Handset], None]
"""Told, in every turn, the time, how much has been played, and the handset."""

MakeHandset = Callable[..., Handset]
"""What makes the handset: plain, or one that the faults of a simulated machine reach."""

Heard = Callable[[int, Event], None]
"""Told of what has come back: the time and the event."""


class Player(Protocol):
    """What moves the controls of a handset in one run."""

    @property
    def played_ms(self) -> int:
        """How much has been played."""

    @property
    def over(self) -> bool:
        """Whether there is nothing more to do."""

    @property
    def missing(self) -> set[str]:
        """The controls that it does not move."""

    def play_into(self, handset: Handset, now_ms: int) -> None:
        """Do to a handset what is done at this time."""

    def skip(self) -> None:
        """Nobody has looked for a while."""


class Playing:
    """A recording that is played, with what a program does in it."""

    def __init__(self, recording: Recording, link: Link) -> None:
        self._recording, self._pace = recording, Pace()
        self.missing = recording.missing(link)

    @property
    def played_ms(self) -> int:
        """How much of it has been played."""
        return self._pace.played_ms

    @property
    def over(self) -> bool:
        """Whether it has been played to its end."""
        return self.played_ms >= self._recording.duration_ms

    def play_into(self, handset: Handset, now_ms: int) -> None:
        """The row in force."""
        self._recording.play_into(handset, self._pace.pass_time(now_ms), now_ms)

    def skip(self) -> None:
        """It waits."""


class _FromNow:
    """A clock whose time begins now."""

    def __init__(self, clock: AnyClock) -> None:
        self._start_ms = clock.now_ms()
        self._clock, self.sleep, self.pace = clock, clock.sleep, clock.pace

    def now_ms(self) -> int:
        return self._clock.now_ms() - self._start_ms


def hear(handset: Handset, line: ByteLine, data: bytes, now_ms: int, gap_ms: int) -> list[Event]:
    """Let a handset hear what has just been read, ``gap_ms`` after its loop turned last; gives what it heard.
    After a gap of a timeout whatever has queued up is thrown away: it was sent to somebody who was not
    listening."""
    first = after_gap(min(gap_ms, TIMER_MAX), handset.link.failsafe.timeout_ms)
    if first == EXPIRES:
        handset.expire(now_ms)
    if first != LISTENS:
        for _ in backlog(line, data):
            pass
        data = b""
    return handset.feed(data, now_ms)


class Farewell(NamedTuple):
    """How a handset has left: how many frames with arm off the line has taken and how many it has not, and
    whether they were sent for as long as they should be."""

    sent: int
    dropped: int
    whole: bool

    @property
    def words(self) -> str:
        """What was done, for people to read."""
        if not self.whole:
            return f"left at once, after {self.sent} frames with arm off: the machine stops by its timeout"
        if not self.sent:
            return "the line took none of the frames with arm off: the machine stops by its timeout"
        dropped = f", {self.dropped} dropped" if self.dropped else ""
        return f"disarmed: {self.sent} frames with arm off and everything at rest sent{dropped}"


class Played(NamedTuple):
    """What came of a run: frames that the line did not take while it drove, how it left, and whether it was
    interrupted."""

    dropped: int
    farewell: Farewell
    interrupted: bool


class _Sender:
    """One handset on one line: a turn of its loop, and its farewell."""

    def __init__(
        self,
        handset: Handset,
        line: ByteLine,
        clock: AnyClock,
        player: Player,
        told: Told | None,
        heard: Heard | None,
    ) -> None:
        self.handset, self._line, self._clock, self._told = handset, line, clock, told
        self._heard = heard
        self.player = player
        self._before_ms = 0
        self.taken = self.dropped = 0

    def turn(self, now_ms: int, *, playing: bool) -> None:
        """Send what is due, and only then look what hands do and what has come back: so frames go out on the
        beat, however long that takes, made of what was there a turn ago. After a gap it is the other way
        round: what was there before it is not to be sent."""
        gap_ms, self._before_ms = now_ms - self._before_ms, now_ms
        held_up = gap_ms >= self.handset.link.failsafe.timeout_ms
        if not held_up:
            self._send(now_ms)
        if playing:
            if held_up:
                self.player.skip()
            self.player.play_into(self.handset, now_ms)
        data = self._line.read()
        for event in hear(self.handset, self._line, data, now_ms, gap_ms):
            if self._heard is not None:
                self._heard(now_ms, event)
        if self._told is not None:
            self._told(now_ms, self.player.played_ms, self.handset)
        if held_up:
            self._send(now_ms)

    def _send(self, now_ms: int) -> None:
        wire = self.handset.send(now_ms)
        if wire:
            taken = self._line.write(wire)
            self.taken += taken
            self.dropped += not taken

    def leave(self, signals: Signals) -> Farewell:
        """Sticks at rest and arm off for ``timeout_ms`` and two more frames, whatever is raised by whoever is
        told of it."""
        handset, link = self.handset, self.handset.link
        handset.disarm()
        self.taken = self.dropped = 0
        told, self._told, self._heard = self._told, None, None
        until_ms = self._clock.now_ms() + link.failsafe.timeout_ms + 2 * link.period_ms
        while (now_ms := self._clock.now_ms()) <= until_ms and not signals.at_once:
            self.turn(now_ms, playing=False)
            if told is not None:
                try:
                    told(now_ms, self.player.played_ms, handset)
                except Exception:
                    told = None  # it has been said, or will be, by whoever called
            self._clock.pace(TURN_S)
        return Farewell(self.taken, self.dropped, whole=not signals.at_once)


def run_handset(
    link: Link,
    line: ByteLine,
    player: Player | Recording,
    told: Told | None = None,
    clock: AnyClock | None = None,
    signals: Signals = NO_SIGNALS,
    heard: Heard | None = None,
    make: MakeHandset = Handset,
) -> Played:
    """Be the handset: let a player (hands on sources, or a recording) move its controls, then take leave.

    However it ends (nothing more to play, a signal, an exception), sticks at rest and arm off are sent for
    ``timeout_ms`` and two more frames, unless the port is gone; that raises PortError. An exception is
    raised again afterwards; a signal is told in what is returned. ``told`` is called in every turn of the
    loop with the time, how much has been played, and the handset; ``heard`` is told what comes back.
    """
    played = Playing(player, link) if isinstance(player, Recording) else player
    handset = make(link, stream=line.stream, session=random_number(16), without=played.missing)
    clock = _FromNow(clock or WallClock())
    sender = _Sender(handset, line, clock, played, told, heard)
    interrupted = False
    try:
        with signals.polled():
            while not played.over:
                signals.checkpoint()
                sender.turn(clock.now_ms(), playing=True)
                clock.pace(TURN_S)
    except PortError:
        raise
    except KeyboardInterrupt:
        interrupted = True
    except BaseException:
        # Whatever it is, nothing may leave a machine armed.
        with signals.leaving():
            sender.leave(signals)
        raise
    dropped = sender.dropped
    with signals.leaving():
        return Played(dropped, sender.leave(signals), interrupted)
