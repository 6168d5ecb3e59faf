"""Every door through which a link is moved, with one story told at each: a hand that arms, pushes, stops,
pushes on, arms again and is gone. All in the simulated machine's time, through what the door really is."""

from collections import Counter, deque
from collections.abc import Callable, Collection, Mapping

from blessed.keyboard import Keystroke

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.loops.bridge import Bridge
from nuvrik.core.machine.states import ARMED
from nuvrik.levels import place_at
from nuvrik.panel.control import page_controls
from nuvrik.panel.player import PanelPlayer
from nuvrik.panel.room import Answer, Room
from nuvrik.plan.controls import AxisControl, ButtonControl, KeyControl, ReadControl, SliderControl
from nuvrik.plan.outputs import ServoOutput
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.tables.handset_end import bridge_table
from nuvrik.plan.wiring import output_routes, waiting_controls
from nuvrik.ports.driving import Player, run_handset
from nuvrik.ports.sim import SimLine
from nuvrik.ports.sources.hands import Hands
from nuvrik.ports.sources.keys import Keys
from nuvrik.ports.sources.lines import Lines
from nuvrik.ports.sources.recorded import Recorded
from nuvrik.ports.sources.source import Plain
from nuvrik.recordings.pilot import arm_ms, press_ms
from nuvrik.recordings.recording import Recording, Row
from nuvrik.rehearsal.faults_of_doors import places_alone
from nuvrik.rehearsal.hands import moving_controls
from nuvrik.rehearsal.on_air import Air

PUSHES_MS = 700
"""How long a stick is pushed: longer than any starter's ramp."""


class Story:
    """What the hand does, as a function of time, and when."""

    def __init__(self, link: nuvrik.Link) -> None:
        self.link = link
        self.arms = arm_ms(link)
        self.pushes = self.arms + 900
        self.stops = self.pushes + PUSHES_MS
        self.lets_go = self.stops + 400 + link.failsafe.timeout_ms
        self.again = self.lets_go + 600 + 3 * link.failsafe.timeout_ms
        self.pushes_again = self.again + 900
        self.ends = self.pushes_again + PUSHES_MS
        self.apart = set(places_alone(link))
        self.sticks = moving_controls(link)

    def row(self, t_ms: int) -> Row:
        """Where every control is that has readings of its own. What only says where a servo is to be has
        none: nobody touches it."""
        link, rules = self.link, self.link.failsafe
        pushed = self.pushes <= t_ms < self.lets_go or self.pushes_again <= t_ms
        row: Row = {}
        for name, control in link.controls.items():
            if not isinstance(control, ReadControl):
                continue
            if name in self.apart:
                row[name] = None
            elif isinstance(control, AxisControl | SliderControl):
                far = 0.9 if pushed and name in self.sticks else 0.0
                row[name] = round(place_at(control.points, far))
            elif name == link.arm_control:
                row[name] = self._arm(control, t_ms)
            elif isinstance(control, ButtonControl):
                pressed = name == rules.stop and self.stops <= t_ms < self.stops + 300
                row[name] = control.on if pressed else control.off
            else:
                row[name] = int(name == rules.stop and t_ms >= self.stops)
        return row

    def _arm(self, control: object, t_ms: int) -> int:
        first, second = t_ms >= self.arms, t_ms >= self.again
        if isinstance(control, KeyControl):
            return first + second
        assert isinstance(control, ButtonControl)
        if not control.toggle:
            on = self.arms <= t_ms < self.lets_go or second
            return control.on if on else control.off
        held = press_ms(control, self.link.period_ms)
        on = any(since <= t_ms < since + held for since in (self.arms, self.again))
        return control.on if on else control.off


class Seen:
    """What the machine was told, from tick to tick."""

    def __init__(self, story: Story) -> None:
        self.story, self.link = story, story.link
        self.rows: list[tuple[int, object, list[Demand]]] = []

    def look(self, now_ms: int, machine: nuvrik.Machine) -> None:
        """Note what it does, if that is new."""
        if not self.rows or self.rows[-1][1:] != (machine.state, machine.demands):
            self.rows.append((now_ms, machine.state, list(machine.demands)))

    def turns(self, demands: list[Demand]) -> bool:
        """Whether anything turns. A hold is no motion."""
        outputs = self.link.outputs.values()
        return any(o.turns and d.level for o, d in zip(outputs, demands, strict=True))

    def untouched(self) -> str:
        """(a) What nobody touched stays where it is, from the first frame to leaving."""
        places = self._unasked()
        for t_ms, state, demands in self.rows:
            for at in places:
                if demands[at] != self.rows[0][2][at]:
                    return f"{demands[at]} at {t_ms} ms, in {state}"
            if t_ms < self.story.pushes and self.turns(demands):
                return f"something turned at {t_ms} ms, before anything was pushed"
        return ""

    def _unasked(self) -> list[int]:
        """The servos that nothing in the story says a place of, and that no loss is to move."""
        link, quiet = self.link, self.story.apart | waiting_controls(self.link)
        silent = {n for n, c in link.channels.items() if quiet.issuperset(c.sources.values())}
        return [
            at
            for at, (name, route) in enumerate(output_routes(link).items())
            if isinstance(output := link.outputs[name], ServoOutput)
            and "hold" in (output.on_loss, "hold" if output.at_start == "silent" else "")
            and silent.issuperset(route.channels)
        ]

    def stopped(self, pressed_ms: int, later_ms: int = 0) -> str:
        """(b) A stop stops within the bound, and what is pushed on meanwhile moves nothing."""
        by_ms = pressed_ms + stop_bound(self.link).worst_ms + self.link.period_ms + later_ms
        late = [t for t, _, demands in self.rows if by_ms < t < self.story.again and self.turns(demands)]
        at_that = [demands for t, _, demands in self.rows if t <= by_ms][-1]
        return f"still turned after {by_ms:.0f} ms" if late or self.turns(at_that) else ""

    def drove(self, since_ms: int, until_ms: int) -> bool:
        """Whether anything was driven at all, so that something was shown."""
        return any(since_ms <= t < until_ms and self.turns(demands) for t, _, demands in self.rows)

    def quiet(self, since_ms: int) -> bool:
        """Whether nothing turns from some time on."""
        return not any(t >= since_ms and self.turns(demands) for t, _, demands in self.rows)

    def reached(self, state: object) -> bool:
        """Whether it was ever in a state."""
        return any(one is state for _, one, _ in self.rows)

    def at_rest(self) -> str:
        """(d) Once the door is gone nothing turns, and nothing is armed."""
        t_ms, state, demands = self.rows[-1]
        return f"{state} at {t_ms} ms" if state is ARMED or self.turns(demands) else ""


# ---- doors -----------------------------------------------------------------------------------


class Pad(Plain):
    """A pad: it may be lost, and come back. Its items have the names of controls."""

    comes_and_goes = True

    def __init__(self, name: str, story: Story, of: Collection[str]) -> None:
        super().__init__(name)
        self._story, self._of = story, of
        self.items = set(of)
        self.there = True

    def moves(self, name: str, control: ReadControl) -> str | None:
        return name if name in self._of else None

    def read(self, now_ms: int, wanted: Collection[str]) -> Mapping[str, int | None]:
        self.over = now_ms >= self._story.ends
        row = self._story.row(now_ms)
        return {name: row[name] if self.there else None for name in self._of}


def recording(story: Story, link: nuvrik.Link) -> Player:
    """``drive --from FILE``."""
    times = range(0, story.ends, 10)
    return Hands(link, [Recorded("file", Recording([*times], [story.row(t) for t in times]))])


def program(story: Story, link: nuvrik.Link) -> Player:
    """``drive --from -``: lines of another program."""
    names = [name for name in story.row(0) if name not in places_alone(link)]
    said = {"t_ms": -20, "header": False}

    def more() -> bytes | None:
        # Time is that of the player, who asks once a turn.
        said["t_ms"] += 2
        if said["t_ms"] >= story.ends:
            return None
        if not said["header"]:
            said["header"] = True
            return (",".join(names) + "\n").encode()
        row = story.row(max(0, said["t_ms"]))
        return (",".join(str(row[name]) for name in names) + "\n").encode()

    return Hands(link, [Lines("program", more)])


def pad(story: Story, link: nuvrik.Link) -> Player:
    """``drive --from pad``."""
    return Hands(link, [Pad("pad", story, [*story.row(0)])])


def second_source(story: Story, link: nuvrik.Link) -> Player:
    """Two sources at once: one has the sticks, the other all else."""
    names = list(story.row(0))
    first = story.sticks or names[: len(names) // 2]
    return Hands(link, [Pad("pad", story, first), Pad("box", story, [n for n in names if n not in first])])


class PageDoor:
    """``panel``: a page that answers every tick. Its stop is the stand's own."""

    def __init__(self, story: Story, link: nuvrik.Link) -> None:
        self.story = story
        self.controls = list(page_controls(link))
        self.now = 0.0
        self.room = Room(self.controls, 500, link.failsafe.timeout_ms)
        self.player = PanelPlayer(link, self.room, None, lambda: self.now, None, None)
        page = self.room.join(0)
        assert page is not None and self.room.take(page, 0, 0)
        self.page, self.hand = page, self.room.hand
        self.link, self.over = link, False

    def __getattr__(self, name: str) -> object:
        return getattr(self.player, name)

    def play_into(self, handset: nuvrik.Handset, now_ms: int) -> None:
        """A tick goes out and is answered at once."""
        self.now = float(now_ms)
        self.over = now_ms >= self.story.ends
        row = self.story.row(now_ms)
        tick = self.page.next_tick(now_ms)
        said = {c.name: row[c.name] for c in self.controls if row.get(c.name) is not None}
        self.room.answer(self.page, Answer(tick, self.hand, 1, said), now_ms)
        self.room.press_stop(self.page, self.story.stops <= now_ms < self.story.stops + 300)
        self.player.play_into(handset, now_ms)


class KeysDoor(Keys):
    """``drive --from keys``, but for the terminal itself: what is typed, and when, is the story's. A held key
    arrives again and again."""

    def __init__(self, story: Story) -> None:
        Plain.__init__(self, "keys")
        self._terminal, self._arrived, self._begun = self, Counter(), False
        self.others = lambda key: None
        self._story, self._at_ms, self._typed = story, 0, deque[Keystroke]()

    def inkey(self, timeout: float, esc_delay: float) -> Keystroke:
        return self._typed.popleft() if self._typed else Keystroke("")

    def read(self, now_ms: int, wanted: Collection[str]) -> Mapping[str, int | None]:
        story, before, self._at_ms = self._story, self._at_ms, now_ms
        pushed = story.pushes <= now_ms < story.lets_go or story.pushes_again <= now_ms
        for key, times in {"e": (story.arms, story.again), " ": (story.stops,)}.items():
            self._typed += [Keystroke(key) for at in times if before < at <= now_ms]
        if pushed and before // 40 != now_ms // 40:
            self._typed.append(Keystroke("w"))
        self.over = now_ms >= story.ends
        return super().read(now_ms, wanted)

    def close(self) -> None:
        """There is no terminal to give back."""


class Bridged(SimLine):
    """A simulated machine behind a bridge: a stream on the host's side, packets on the other."""

    def __init__(self, link: nuvrik.Link) -> None:
        super().__init__(link)
        self.stream = True
        self.bridge = Bridge(bridge_table(link))

    def write(self, data: bytes) -> bool:
        for byte in data:
            if self.bridge.take(byte):
                super().write(bytes(self.bridge.sealed.body[: self.bridge.sealed.length]))
        return True

    def read(self) -> bytes:
        said = b""
        while packet := self.bench.take(all_of_it=False):
            self.bridge.begin_packet()
            for byte in packet:
                self.bridge.packet_byte(byte)
            if self.bridge.end_packet():
                said += bytes(self.bridge.sender.wire[: self.bridge.sender.count])
        return said


class ByRadio(SimLine):
    """A simulated machine, and a driver of a radio chip at each end, with the air between."""

    def __init__(self, link: nuvrik.Link) -> None:
        super().__init__(link)
        self.bench.air = Air(self.bench)


class Watched(SimLine):
    """A simulated machine that is looked at as its time passes, for doors that open their port themselves."""

    def __init__(self, link: nuvrik.Link, seen: Seen) -> None:
        super().__init__(link)
        self.seen = seen

    def sleep(self, seconds: float) -> None:
        super().sleep(seconds)
        self.seen.look(self.now_ms(), self.machine)

    pace = sleep


DOORS: dict[str, Callable[[Story, nuvrik.Link], Player]] = {
    "recording": recording,
    "program": program,
    "pad": pad,
    "second source": second_source,
    "page": PageDoor,  # type: ignore[dict-item]
    "bridge": recording,
    "radio": recording,
    "keys": lambda story, link: Hands(link, [KeysDoor(story)]),
}
"""What plays readings into the handset of this computer."""

LINES = {"bridge": Bridged, "radio": ByRadio}
"""What stands between, where that is more than a medium."""


Act = Callable[[int, nuvrik.Handset, SimLine, Player], None]
"""What happens besides, in every turn of the loop."""


def told(story: Story, door: str, act: Act = lambda *_: None) -> Seen:
    """The story at one door, and what a simulated machine made of it; until well after the door is gone."""
    link = story.link
    line, seen = LINES.get(door, SimLine)(link), Seen(story)
    player = DOORS[door](story, link)

    def look(now_ms: int, played_ms: int, handset: nuvrik.Handset) -> None:
        # A link whose file names no stop has that of the program that drives.
        if not isinstance(link.controls.get(link.failsafe.stop or ""), ReadControl) and door != "page":
            pressed = story.stops <= now_ms < story.stops + 300
            if pressed or handset.core.arming.stop_put:
                handset.press_stop(now_ms, pressed=pressed)
        act(now_ms, handset, line, player)
        seen.look(now_ms, line.machine)

    run_handset(link, line, player, look, line, make=line.handset)
    for _ in range(300):
        line.sleep(0.01)
        seen.look(line.now_ms(), line.machine)
    return seen
