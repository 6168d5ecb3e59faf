"""Every way there is, tried: a bounded search through a real machine.

From power-up on, every event there is (each kind of frame, each wait that matters, each tick) is tried in
every state that can be reached, again and again until nothing new comes up. A state is what decides what a
machine does next: the failsafe's state and counters, how long ago the last drive frame was, the last
sequence number, whether the outputs move. Clocks wrap, so a search can begin anywhere on one.
"""

from collections import deque
from collections.abc import Callable, Iterator
from copy import deepcopy
from typing import NamedTuple

from pydantic import BaseModel

from nuvrik.core.machine.states import ARMED, FAILSAFE, STANDBY, STOPPED, WAITING, State
from nuvrik.ends.machine import Machine
from nuvrik.levels import FULL, TIMER_MAX
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import moving_channels, output_routes, place_channels
from nuvrik.wire.codes import Value
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder

MOST_STATES = 20_000
"""A search that finds more stops and says that it is not whole."""

FAR_BACK = 4
"""Frames further back than this are all old alike: two states that differ only in how old are one."""

ODD_FRAMES = ("repeated", "older", "noise")
"""Frames that must change nothing; how long after the last they come matters little."""

LIKE_REST = ("rest", "placed", "unplaced")
"""Frames with arm on in which what turns is at rest."""

Event = tuple[str, int]
"""What happens, and how long after the event before, in ms."""


class Found(NamedTuple):
    """What a search found: how many states and steps there were, whether it ended because nothing new was
    left (``whole``), and the ways to what must not be."""

    states: int
    steps: int
    whole: bool
    wrong: list[tuple[str, list[Event]]]


def unsearchable(link: Link) -> str:
    """Why a link cannot be searched, in words that follow its name; "" where it can."""
    if isinstance(link.medium, InfraredMedium):
        return "is a remote control's link, whose receiver sees codes and not frames"
    if link.frame.actions:
        return "sends single keys, whose meaning depends on those before"
    return ""


def _datagrams(link: Link) -> Machine:
    return Machine(link, stream=False)


class Searcher:
    """Searches one link's machine. The smaller its numbers (timeout, good frames), the sooner it is done.

    A delay guard is left out: it refuses frames, and changes nothing about who may move.
    """

    def __init__(self, link: Link, start_ms: int = 0, make: Callable[[Link], Machine] = _datagrams) -> None:
        if unsearchable(link):
            raise ValueError(f"{link.name} {unsearchable(link)}")
        rules = link.failsafe.model_copy(update={"delay_guard_ms": None})
        self._link = link = link.model_copy(update={"failsafe": rules})
        self._start_ms = start_ms
        self._make = make
        self._encoder = Encoder(link, stream=False)
        names = list(link.channels)
        self._arm = names.index(link.arm_channel) if link.arm_channel else None
        uses = moving_channels(link, output_routes(link))
        turning = {name for name, use in uses.items() if use.turns}
        required = {name for name, use in uses.items() if use.required}
        self._rest: list[Value] = [0] * len(names)
        self._moved: list[Value] = [FULL if name in turning else 0 for name in names]
        self._bare: list[Value] = [None if name in required else 0 for name in names]
        stand = place_channels(link) if link.frame.says_no_reading else frozenset()
        self._placed: list[Value] = [FULL if name in stand else 0 for name in names]
        self._unplaced: list[Value] = [None if name in stand else 0 for name in names]
        self._stays = [
            place
            for place, (name, route) in enumerate(output_routes(link).items())
            # What goes somewhere on a loss does so after a timeout without a reading too.
            if link.outputs[name].on_loss == "hold" and route.channels and stand.issuperset(route.channels)
        ]
        self._kinds = self._possible(bool(turning), bool(required))
        self._values = {
            **{"off": self._rest, "rest": self._rest, "moved": self._moved},
            **{"placed": self._placed, "unplaced": self._unplaced},
            **{"bare_off": self._bare, "bare_on": self._bare},
        }
        self._waits = (1, rules.timeout_ms - 1, rules.timeout_ms, 1 << 15)
        # What never changes need not be copied with a machine.
        self._shared = {id(part): part for part in _parts(link)}

    def events(self) -> Iterator[Event]:
        """Everything that can happen next."""
        for kind in self._kinds:
            waits = (self._waits[0], self._waits[2]) if kind in ODD_FRAMES else self._waits
            for wait in waits:
                yield kind, wait

    def _possible(self, turns: bool, required: bool) -> list[str]:
        """The kinds of event that this link can have."""
        frame = self._link.frame
        armless = self._arm is None
        there = {
            "off": not armless,
            "rest": True,
            "moved": turns,
            "bare_off": required and frame.says_no_reading and not armless,
            "bare_on": required and frame.says_no_reading,
            "placed": bool(self._stays),
            "unplaced": bool(self._stays),
            "stop": bool(self._encoder.stop(0)),
            "tick": True,
            "repeated": "no_sequence" not in frame.lacks,
            "older": "no_sequence" not in frame.lacks,
            "noise": "no_check" not in frame.lacks,
        }
        return [kind for kind, possible in there.items() if possible]

    @property
    def covers(self) -> str:
        """What is tried, for people."""
        waits = ", ".join(f"{wait}" for wait in self._waits)
        return f"{', '.join(self._kinds)}; after waits of {waits} ms; the clock begins at {self._start_ms} ms"

    def search(
        self,
        most: int = MOST_STATES,
        *,
        enough: int = 20,
        told: Callable[[int, int], None] = lambda states, steps: None,
    ) -> Found:
        """Try everything; at most so many states, and no further than ``enough`` that is wrong. ``told`` is
        called for every state, with how many states and steps there have been."""
        first = _Node(
            self._make(self._link),
            self._start_ms,
            0,
            ("nothing", b"", 0),
            self._start_ms - TIMER_MAX,
            False,
            0,
        )
        first.machine.tick(self._start_ms & TIMER_MAX)
        seen = {self._key(first)}
        queue: deque[tuple[_Node, tuple[Event, ...]]] = deque([(first, ())])
        steps = 0
        wrong: list[tuple[str, list[Event]]] = []
        leads: dict[object, set[object]] = {}
        while queue and len(seen) < most:
            node, way = queue.popleft()
            before = self._key(node)
            told(len(seen), steps)
            for event in self.events():
                after = self._after(node, event)
                steps += 1
                said = self._judged(node, event, after)
                if said:
                    wrong.append((said, [*way, event]))
                    if len(wrong) >= enough:
                        return Found(len(seen), steps, False, wrong)
                key = self._key(after)
                leads.setdefault(before, set()).add(key)
                if key not in seen:
                    seen.add(key)
                    queue.append((after, (*way, event)))
        if not queue:  # what has not been looked at is no dead end
            wrong += [(f"no way from {key} to ARMED", []) for key in self._dead_ends(leads)][:5]
        return Found(len(seen), steps, not queue, wrong)

    def _after(self, node: "_Node", event: Event) -> "_Node":
        kind, wait = event
        machine, now_ms = deepcopy(node.machine, dict(self._shared)), node.now_ms + wait
        clock_ms = now_ms & TIMER_MAX
        seq, last, wire = node.seq, node.last, b""
        sent, says = seq, kind
        if kind == "repeated":
            says, wire, sent = last
        elif kind == "older":
            sent, says = seq - 3, "rest"
            wire = self._command(self._rest, 1, sent)
        elif kind == "noise":
            wire = b"\x13\x37" * 5
        elif kind == "stop":
            sent = seq = seq + 1
            wire = self._encoder.stop(seq & 0xFF)
        elif kind != "tick":
            sent = seq = seq + 1
            values = self._values[kind]
            wire = self._command(values, int(kind not in ("off", "bare_off")), seq)
            last = kind, wire, seq
        taken = machine.feed(wire, clock_ms) if wire else []
        machine.tick(clock_ms)
        if not any(isinstance(one, Frame) for one in taken):
            says = "nothing"
        return self._reckoned(node, machine, now_ms, says, sent)._replace(seq=seq, last=last)

    def _reckoned(self, node: "_Node", machine: Machine, now_ms: int, says: str, sent: int) -> "_Node":
        """The search's own reckoning of what a machine must know, from nothing but what was done to it."""
        was, now = node.machine.state, machine.state
        silent = now_ms - node.driven_ms >= self._link.failsafe.timeout_ms
        good = 0 if silent or says in ("bare_off", "bare_on", "stop") else node.good
        off = node.off and not silent and says not in ("moved", "bare_off", "bare_on")
        newest = None if silent else node.newest
        stale = newest is not None and newest - 127 < sent <= newest and says not in ("nothing", "stop")
        if says != "nothing":
            newest = sent if newest is None else max(sent, newest)
        drives = says in ("off", *LIKE_REST, "moved")
        if drives:
            good += 1
            off = off or says == "off"
        if now is not was:
            # Coming into a state, nothing has been seen there yet, but for the off that disarmed.
            off = was is ARMED and says == "off"
        driven_ms = now_ms if drives else node.driven_ms
        return _Node(machine, now_ms, 0, node.last, driven_ms, off, good, says, sent, newest, stale)

    def _command(self, values: list[Value], arm: int, seq: int) -> bytes:
        if self._arm is not None:
            values = [*values[: self._arm], arm, *values[self._arm + 1 :]]
        return self._encoder.command(values, seq & 0xFF)

    def _judged(self, before: "_Node", event: Event, after: "_Node") -> str | None:
        """What must not be about a step; None if nothing is."""
        kind, rules = after.says, self._link.failsafe
        was, now = before.machine.state, after.machine.state
        silent = after.now_ms - before.driven_ms >= rules.timeout_ms
        efforts = [abs(demand.effort) for demand in after.machine.demands]
        faster = any(a > abs(b.effort) for a, b in zip(efforts, before.machine.demands, strict=True))
        if after.stale:
            return f"a {event[0]} frame was accepted"
        if now is not ARMED and faster:
            return f"an output sped up in {now}"
        if now is ARMED and was is not ARMED:
            return self._wrongly_armed(before, kind, silent)
        if now is ARMED and silent and kind in ("nothing", "bare_on"):
            return f"still armed {after.now_ms - before.driven_ms} ms after the last drive frame, with {kind}"
        if now is ARMED and kind == "off":
            return "still armed with arm off"
        if self._went(before, kind, now, after):
            return f"a place changed in {now}, with {kind}"
        if was in (WAITING, FAILSAFE) and now is STANDBY and after.good < rules.good_frames:
            return f"on standby after {after.good} good frames"
        ways_out = LIKE_REST if self._arm is None else ("off",)
        if was is STOPPED and now is not STOPPED and (now is not STANDBY or kind not in ways_out):
            return f"left STOPPED for {now} by {kind}"
        if kind == "stop" and (now is not STOPPED or any(efforts)):
            return f"a stop left it in {now}"
        gave_up = rules.give_up_ms is not None and was is FAILSAFE and now is WAITING
        if kind == "nothing" and not silent and now is not was and not gave_up:
            return f"{event[0]} led from {was} to {now}"
        if was is ARMED and now is FAILSAFE and not silent:
            return f"failsafe {after.now_ms - before.driven_ms} ms after a drive frame"
        return None

    def _went(self, before: "_Node", kind: str, now: State, after: "_Node") -> bool:
        """Whether a place has changed that is to stay as it is: in every state but ARMED, and in ARMED while
        it has no reading."""
        if now is ARMED and kind != "unplaced":
            return False
        was, is_now = before.machine.demands, after.machine.demands
        return any(was[place].value != is_now[place].value for place in self._stays)

    def _wrongly_armed(self, before: "_Node", kind: str, silent: bool) -> str | None:
        """What must not be about coming into ARMED."""
        was, recover = before.machine.state, self._link.failsafe.recover
        if was is STANDBY:
            if kind not in LIKE_REST or not (before.off or self._arm is None):
                return f"armed by {kind}, arm {'' if before.off else 'not '}seen off"
        elif was is not FAILSAFE or kind not in (*LIKE_REST, "moved") or recover == "rearm":
            return f"armed out of {was} by {kind}"
        elif kind == "moved" and recover == "at_rest":
            return "armed again by a stick that is pushed"
        elif before.good + 1 < self._link.failsafe.good_frames:
            return f"armed again after {before.good + 1} good frames"
        return "armed by the first frame after silence" if silent else None

    def _key(self, node: "_Node") -> object:
        """What decides what comes next."""
        machine = node.machine
        run, off_seen, numbered = machine.remembered
        # Of an age it only matters whether the waits there are bring it to the timeout.
        age = sum(node.now_ms - node.driven_ms >= limit for limit in (1, self._waits[1], self._waits[2]))
        moving = tuple(demand.level != 0 for demand in machine.demands)
        known = min(node.good, self._link.failsafe.good_frames), node.off
        # How far back what was sent last lies, as far as it matters: beyond half the numbers there are, a
        # sequence number says nothing any more, and a timeout comes long before.
        newest = None if node.newest is None else min(node.seq - node.newest, FAR_BACK)
        sent = newest, node.last[0], min(node.seq - node.last[2], FAR_BACK)
        return (str(machine.state), run, off_seen, age, moving, not numbered, known, sent)

    def _dead_ends(self, leads: dict[object, set[object]]) -> list[object]:
        """The states from which ARMED cannot be reached."""
        back: dict[object, set[object]] = {}
        for key, others in leads.items():
            for other in others:
                back.setdefault(other, set()).add(key)
        reached = [key for key in dict.fromkeys([*leads, *back]) if key[0] == State.ARMED]  # type: ignore[index]
        good = set(reached)
        while reached:
            for key in back.get(reached.pop(), ()):
                if key not in good:
                    good.add(key)
                    reached.append(key)
        return [key for key in leads if key not in good]


def _parts(model: BaseModel) -> Iterator[BaseModel]:
    """A model and every model in it."""
    yield model
    for value in model.__dict__.values():
        for part in value.values() if isinstance(value, dict) else [value]:
            if isinstance(part, BaseModel):
                yield from _parts(part)


class _Node(NamedTuple):
    """A machine at a time; the sequence number and the command sent last; and, by the search's own reckoning,
    when the last drive frame was, whether arm has been seen off, how many good frames came in a row, what was
    said and accepted last, the newest number accepted, and whether that was one too old."""

    machine: Machine
    now_ms: int
    seq: int
    last: tuple[str, bytes, int]
    driven_ms: int
    off: bool
    good: int
    says: str = "nothing"
    sent: int = 0
    newest: int | None = None
    stale: bool = False
