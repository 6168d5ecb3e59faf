"""What pages say, put to a handset, beside whatever else moves controls at the host."""

import threading
from collections import deque
from collections.abc import Callable, Mapping
from typing import Any

from nuvrik.ends.asking import Asked
from nuvrik.ends.handset import Handset
from nuvrik.inspection.statistics import LinkStats
from nuvrik.levels import fraction_of, in_percent, level_of
from nuvrik.panel.control import PageControl
from nuvrik.panel.described import arm_controls, shown
from nuvrik.panel.messages import Ask, Fault, Hello, Jog, Mark, Said
from nuvrik.panel.room import BEAT_MS, Room
from nuvrik.panel.seen import Rates, handset_seen, machine_seen
from nuvrik.panel.twin import Twin
from nuvrik.plan.controls import ButtonControl
from nuvrik.plan.form.models import Link
from nuvrik.ports.hello import other_build, other_file
from nuvrik.ports.jog import MOST
from nuvrik.ports.sim import SimLine
from nuvrik.ports.sources.hands import Hands
from nuvrik.rehearsal.bench import in_words
from nuvrik.wire.events import REASONS, Event, Frame

SHOWN_MS = BEAT_MS
"""What is shown is made anew as often as a page is told anything."""

REFRESH_MS = 10
"""Half of the shortest debounce that a link file usually has: a button counts when it has read the same for
that long, so it is read more often than that."""

ECHO_MS = 1000
"""How often the way to the machine and back is measured."""

JOG_MS = 300
"""Long enough to see which way something turns, short enough to be over before it is far."""

JOG_PAUSE_MS = 200
"""Between two outputs of a side, so that they are told apart."""

MOST_JOGS = 8

Clock = Callable[[], float]
"""Milliseconds that only grow: the server's, by which it judges what holds."""


class PanelPlayer:
    """Moves the controls of a handset: the page that drives, and the sources of the host. ``lock`` guards the
    room and ``wanted``, which the server's thread fills. ``state`` is the newest of what pages are shown."""

    def __init__(
        self,
        link: Link,
        room: Room,
        hands: Hands | None,
        clock: Clock,
        sim: SimLine | None,
        twin: Twin | None,
    ) -> None:
        self.link, self.room, self._hands, self._clock = link, room, hands, clock
        self._sim, self._twin = sim, twin
        self.lock = threading.Lock()
        self.wanted: deque[Said] = deque(maxlen=32)
        self.state: Mapping[str, Any] = {}
        self.played_ms = 0
        self.over = False
        self._arm = set(arm_controls(link))
        self._back, self._rates = LinkStats(link.period_ms), Rates()
        self._stops_seen = 0
        self._stopped = False
        self._begun = False
        self._refreshed_ms = -REFRESH_MS
        self._last: dict[str, int | None] = {}
        self._keys = _Keys(link)
        self._may_lack = {
            name for name, channel in link.channels.items() if channel.scaled or channel.kind == "choice"
        }
        self._asked: list[Asked] = []
        self._jogs: deque[tuple[str, float]] = deque(maxlen=MOST_JOGS)
        self._jog_hand = self._jog_at_ms = 0
        self._echo_ms = 0
        self._shown_ms = 0
        self.noted: Callable[[int, Mapping[str, int | None]], None] = lambda now_ms, readings: None
        """Told of all that is read, with its time: for a log."""
        self.marks = 0
        self.marked: Callable[[], None] = lambda: None
        """Told when somebody marks this moment."""

    @property
    def missing(self) -> set[str]:
        """Of the controls that nothing moves only the stop matters; a page has a stop of its own."""
        stop = self.link.failsafe.stop
        return {stop} - set(self.by_host) if stop is not None else set()

    @property
    def faults(self) -> Mapping[str, object]:
        """The faults that may be asked for: those of the simulated machine."""
        return {} if self._sim is None else self._sim.bench.faults

    @property
    def by_host(self) -> set[str]:
        """The controls that sources of the host move."""
        return set() if self._hands is None else set(self._hands.controls) - self._hands.missing

    def skip(self) -> None:
        """Nobody has looked for a while: what was said and asked for meanwhile was wanted then, not now."""
        if self._hands is not None:
            self._hands.skip()
        self._jogs.clear()
        with self.lock:
            self.room.forget()
            self.wanted.clear()

    def play_into(self, handset: Handset, now_ms: int) -> None:
        """Hand a handset what pages and sources say."""
        self.played_ms = now_ms
        by_host = {} if self._hands is None else self._hands.read(now_ms)
        at_ms = self._clock()
        with self.lock:
            readings = self.room.readings(at_ms)
            arm_off = self.room.arm_is_off(at_ms)
            presses, held = self.room.stop_presses, self.room.stops
            hand, wanted = self.room.hand, list(self.wanted)
            self.wanted.clear()
            self._begun = self._begun or self.room.driver is not None
        stop = held or presses != self._stops_seen
        self._stops_seen = presses
        # A stop that was only touched is pressed for one turn: the handset sends it for long enough.
        if stop or handset.core.arming.stop_put:
            handset.press_stop(now_ms, pressed=stop)
        if hand != self._jog_hand or stop or not handset.may_move:
            # A hand that is lost, a stop, and arm off: nothing of what was asked for is jogged any more.
            self._jog_hand = hand
            self._jogs.clear()
        if stop and wanted:
            self._news("stop is pressed: what was asked for with it is forgotten")
            wanted = [said for said in wanted if isinstance(said, Fault | Mark)]
        for said in wanted:
            self._do(handset, said)
        self._tell_asked()
        self._jog(handset, now_ms)
        if self._begun or by_host:
            self._read(handset, now_ms, readings, by_host, arm_off, stop)
        if self._hands is not None:
            self._hands.ask_moves(handset)
        if self._begun and now_ms - self._echo_ms >= ECHO_MS and self.link.frame.carries_questions:
            self._echo_ms = now_ms
            handset.echo(now_ms)

    def _read(
        self,
        handset: Handset,
        now_ms: int,
        said: Mapping[str, int | None],
        by_host: Mapping[str, int | None],
        arm_off: bool,
        stop: bool,
    ) -> None:
        moved_by_host = self.by_host
        changed = said != self._last or stop != self._stopped
        if not changed and not by_host and not arm_off and now_ms - self._refreshed_ms < REFRESH_MS:
            return
        self._refreshed_ms, self._last, self._stopped = now_ms, dict(said), stop
        readings: dict[str, int | None] = {}
        for name, reading in said.items():
            one = self.room.controls[name]
            if one.sets_channel:
                self._put(handset, now_ms, one, reading)
            elif name not in moved_by_host:
                readings[name] = self._keys.count(name, reading, now_ms) if one.kind == "key" else reading
        readings |= by_host
        if arm_off:
            handset.change_hands(now_ms)
            readings |= dict.fromkeys(self._arm & set(self.link.controls))
        self.noted(now_ms, readings | self._stop_noted(stop))
        handset.read(now_ms, **readings)

    def _stop_noted(self, pressed: bool) -> dict[str, int | None]:
        """A page's stop as a reading of the stop button of the link, of which no reading is a stop."""
        name = self.link.failsafe.stop
        control = self.link.controls.get(name or "")
        if name is None or name in self.by_host or not isinstance(control, ButtonControl):
            return {}
        return {name: control.on if pressed else control.off}

    def _put(self, handset: Handset, now_ms: int, one: PageControl, reading: int | None) -> None:
        """A channel that no control feeds is set by the page itself, for as long as it says so."""
        if one.name == self.link.arm_channel:
            handset.put_arm(reading == one.high)
        elif reading is not None:
            value = fraction_of(reading) if one.kind == "value" else reading
            handset.put(now_ms, one.name, value)
        else:
            handset.put(now_ms, one.name, None if one.name in self._may_lack else 0)

    # ---- what is asked for ----

    def _do(self, handset: Handset, said: Said) -> None:
        if isinstance(said, Fault) and self._sim is not None:
            self._news(f"{in_words(said.name)}: {self._sim.make(said.name)}")
        elif isinstance(said, Ask):
            try:
                self._asked.append(handset.request(said.name, **dict(said.arguments)))
            except (KeyError, TypeError, ValueError) as error:
                self._news(f"{said.name}: {error.args[0] if error.args else error}")
        elif isinstance(said, Jog):
            self._want_jog(handset, said)
        elif isinstance(said, Mark):
            self.marks += 1
            self.marked()
            self._news(f"mark {self.marks}")
        elif isinstance(said, Hello):
            handset.greet()

    def _want_jog(self, handset: Handset, said: Jog) -> None:
        """What cannot be jogged now is refused now: nothing is kept until something is armed, or until
        another jog is over."""
        names = [name for name in said.names if name in self.link.outputs]
        if not handset.may_move:
            self._news(
                f"jog: {', '.join(names)}: not armed, so nothing was jogged; arm first, then ask again"
            )
        elif self._jogs or self.played_ms < self._jog_at_ms:
            self._news("jog: another one goes on; ask again when it is over")
        else:
            fraction = max(-MOST, min(MOST, said.per_cent / 100))
            self._jogs += [(name, fraction) for name in names]

    def _jog(self, handset: Handset, now_ms: int) -> None:
        """One output of a side after the other: a machine jogs one at a time."""
        if self._jogs and now_ms >= self._jog_at_ms:
            name, fraction = self._jogs.popleft()
            if not handset.jog(name, fraction, JOG_MS):
                self._jogs.clear()
                return
            self._jog_at_ms = now_ms + JOG_MS + JOG_PAUSE_MS
            self._news(f"jog: {name} {in_percent(level_of(fraction))}")

    def _tell_asked(self) -> None:
        for asked in [one for one in self._asked if one.settled]:
            self._asked.remove(asked)
            why = f": {asked.why}" if asked.why else f", {asked.value}"
            self._news(f"{asked.name}: {asked.state}{why}")

    def _news(self, words: str) -> None:
        with self.lock:
            self.room.tell({"news": shown(words)})

    # ---- what is shown ----

    def heard(self, now_ms: int, event: Event) -> None:
        """Something has come back."""
        self._back.take(event, now_ms)
        if not isinstance(event, Frame):
            with self.lock:
                self.room.tell({"refused": event.reason, "words": REASONS[event.reason], "at_ms": now_ms})

    def told(self, now_ms: int, _: int, handset: Handset) -> None:
        """In every turn of the loop: what pages are shown is made anew, as often as they are told."""
        for verdict in self._sim.verdicts() if self._sim is not None else ():
            self._news(verdict.told)
            judged = {"judged": verdict.fault, "held": verdict.passed, "words": shown(verdict.outcome)}
            with self.lock:
                self.room.tell(judged)
        cues = handset.cues(now_ms)
        if cues:
            with self.lock:
                self.room.tell({"cues": cues})
        if self._twin is not None:
            self._twin.pass_time(now_ms, handset.machine_state)
        if now_ms - self._shown_ms < SHOWN_MS and self.state:
            return
        self._shown_ms = now_ms
        self._rates.count(now_ms, handset.frames_sent, self._back.accepted)
        seen = handset_seen(handset, now_ms, self._last, self._back, self._rates)
        if self._sim is not None:
            seen["machine"] = machine_seen(self._sim.machine, simulated=True)
            seen["fault"] = self._sim.standing
            seen["fault_waits"] = self._sim.bench.waits_for
        elif self._twin is not None and self._twin.agrees:
            seen["machine"] = machine_seen(self._twin.machine, simulated=False)
        identity = handset.identity
        if identity is not None and handset.known:
            seen["hello"] = {
                "name": shown(identity.name),
                "file": shown(other_file(identity, self.link) or ""),
                "build": shown(other_build(identity, self.link)),
                "version": ".".join(map(str, identity.version)),
                "start": identity.start,
                "up_s": identity.up_s,
            }
        self.state = seen


class _Keys:
    """Keys that a page says are held, as a handset reads keys: how often each has arrived. A held key arrives
    twice as often as it would have to, so that it never counts as released."""

    def __init__(self, link: Link) -> None:
        self._every = {
            name: max(10, control.released_after_ms // 2)
            for name, control in link.controls.items()
            if control.kind == "key"
        }
        self._counts = dict.fromkeys(self._every, 0)
        self._due_ms: dict[str, int] = {}

    def count(self, name: str, held: int | None, now_ms: int) -> int | None:
        """The reading of a key; None when it has just been let go, or nothing is known."""
        if not held:
            return self._counts[name] if self._due_ms.pop(name, None) is None else None
        if now_ms >= self._due_ms.get(name, now_ms):
            self._counts[name] = (self._counts[name] + 1) & 0xFFFF
            self._due_ms[name] = now_ms + self._every[name]
        return self._counts[name]
