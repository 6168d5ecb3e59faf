"""How a drive goes, in a few lines on stderr that are written over each other: first what matters."""

import shutil
import sys
from collections.abc import Callable, Iterable

from nuvrik.core.machine.states import State
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.inspection.statistics import LinkStats
from nuvrik.plan.form.models import Link
from nuvrik.ports.sim import SimLine
from nuvrik.printable import printable
from nuvrik.rehearsal.bench import in_words
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.packing import Field, fields_of
from nuvrik.wire.words import value_text

EVERY_MS = 100
"""Often enough to follow, seldom enough to read."""

INDENT = 8


class Status:
    """The lines, ten times a second. ``sources`` says why nothing comes from a source; ``sim`` is the
    simulated machine, where there is one. ``machine`` gives one that is told the same as the real one, or
    None while that is somewhere else: it is asked why nothing moves, as no link says so in words."""

    def __init__(
        self,
        link: Link,
        sources: Callable[[], Iterable[str]] = lambda: (),
        sim: SimLine | None = None,
        machine: Callable[[], Machine | None] = lambda: None,
    ) -> None:
        self._fields = fields_of(link.channels)
        self._sources, self._sim, self._machine = sources, sim, machine
        self._back = LinkStats(link.period_ms)
        self._shown_ms = -EVERY_MS
        self._up = 0
        self.said = ""
        """A line of news at the end: what was made or found last."""

    def heard(self, now_ms: int, event: Event) -> None:
        """Something has come back."""
        self._back.take(event, now_ms)
        if not isinstance(event, Frame):
            self.said = f"refused: {event.reason}, {now_ms / 1000:.1f} s"

    def told(self, now_ms: int, _: int, handset: Handset) -> None:
        """In every turn of the loop."""
        if handset.cues(now_ms):
            print("\a", end="", file=sys.stderr, flush=True)
        if now_ms - self._shown_ms < EVERY_MS:
            return
        self._shown_ms = now_ms
        for verdict in self._sim.verdicts() if self._sim is not None else ():
            self.said = verdict.told
        lines = self.lines(now_ms, handset, shutil.get_terminal_size().columns - 1)
        text = "".join(f"{printable(line)}\x1b[K\n" for line in lines)
        # Lines that are not needed any more are cleared: what is held or heard grows and shrinks.
        text += "\x1b[K\n" * max(0, self._up - len(lines))
        back = f"\x1b[{self._up}F" if self._up else ""
        print(f"{back}{text}", end="", file=sys.stderr, flush=True)
        self._up = max(self._up, len(lines))

    def lines(self, now_ms: int, handset: Handset, width: int) -> list[str]:
        """State, why, link; then what is held, what is sent and not at rest, what comes back. No line is
        wider than ``width``; what needs more goes on in the next."""
        lines = [*_wrapped("", [head(handset, self._machine())], width)]
        lines += _wrapped("link", [*self._link(now_ms, handset)], width)
        for why in self._sources():
            lines += _wrapped("hands", [why], width)
        lines += _wrapped("held", handset.latched, width) if handset.latched else []
        lines += _wrapped("sent", _away(handset, self._fields) or ["all at rest"], width)
        if handset.telemetry:
            items = [f"{name} {reading.words}" for name, reading in handset.telemetry.items()]
            lines += _wrapped("back", items, width)
        asked = handset.asked_last
        if asked is not None:
            lines += _wrapped("asked", [f"{asked.name}: {asked.state}"], width)
        if self._sim is not None:
            lines += _wrapped("sim", _doing(self._sim), width)
            at_hand = enumerate(self._sim.at_hand, 1)
            faults = [f"{number} {in_words(name)}{_on(self._sim, name)}" for number, name in at_hand]
            lines += _wrapped("faults", faults, width)
        lines += _wrapped("news", [self.said], width) if self.said else []
        return lines

    def _link(self, now_ms: int, handset: Handset) -> Iterable[str]:
        yield f"after {now_ms / 1000:.1f} s"
        age_ms = handset.machine_age_ms
        if not handset.link.telemetry:
            yield "one way: nothing comes back"
            return
        if self._back.quality is not None:
            yield f"{100 * self._back.quality:.0f} % of the last frames back came"
        yield "nothing heard yet" if age_ms is None else f"heard {age_ms} ms ago"


def head(handset: Handset, machine: Machine | None = None) -> str:
    """The state, and why nothing is driven: the handset's reason, or else the machine's."""
    if handset.link.telemetry:
        state = handset.machine_state
        lost = "NOTHING HEARD YET" if handset.machine_age_ms is None else "NOT HEARD"
        text = str(state or lost)
        if state is None and handset.machine_age_ms is not None:
            text += f" for {handset.machine_age_ms} ms"
    else:
        text = "SENDING" if handset.why == "" else "NOT DRIVING"
    text += ", about to let go of its load" if handset.hold_ends else ""
    text += f" by the machine's own code, with number {handset.own_stop}" if handset.own_stop else ""
    text += f", its radio chip had trouble: {handset.machine_radio}" if handset.machine_radio else ""
    if handset.why:
        return f"{text}: {handset.why}"
    if machine is None or machine.state is State.ARMED:
        return text
    return (
        f"{text}: {machine.why}"
        if handset.link.telemetry
        else f"{text}, to a machine in {machine.state}: {machine.why}"
    )


def _away(handset: Handset, fields: tuple[Field, ...]) -> list[str]:
    """The channels that are not at rest."""
    values = handset.wire_values
    return [f"{f.name} {value_text(values[f.name], f)}" for f in fields if values[f.name] != 0]


def _doing(sim: SimLine) -> list[str]:
    """What the simulated machine does."""
    told = zip(sim.machine.link.outputs, sim.machine.demands, strict=True)
    moving = [f"{name} {demand.words}" for name, demand in told if demand.driven]
    return [str(sim.machine.state), *(moving or ["no output is driven"])]


def _on(sim: SimLine, fault: str) -> str:
    return " (on)" if fault == sim.standing else ""


def _wrapped(what: str, items: list[str], width: int) -> list[str]:
    """Items in as many lines as they need, none of them cut in two unless it is wider than a line."""
    first = f"  {what:{INDENT - 2}}" if what else ""
    lines, line = [], first
    for item in items:
        words = item.split(" ") if len(first) + 2 + len(item) > width else [item]
        for place, word in enumerate(words):
            gap = " " if place else "  " if len(line) > len(first) or what else ""
            if len(line) > len(first) and len(line) + len(gap) + len(word) > width:
                lines.append(line)
                line = " " * max(len(first), 2)
                gap = "" if not what else "  "
            line += f"{gap}{word}"
    return [one[:width] for one in (*lines, line)]
