"""What pages are told again and again: the link as it is at this moment."""

from collections import deque
from collections.abc import Mapping
from typing import Any

from nuvrik.core.levels import NO_READING
from nuvrik.ends.asking import RADIO
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.failsafe.why import Code
from nuvrik.inspection.statistics import LinkStats
from nuvrik.levels import fraction_of
from nuvrik.panel.described import shown
from nuvrik.wire.values import value_to_show

THOUSAND = 1000
"""Fractions are told in thousandths: finer than any page draws, and short."""


def thousandths(value: float | None) -> int | None:
    """A fraction of full scale in thousandths."""
    return None if value is None else round(THOUSAND * value)


RATED_MS = 1000
"""Frames are counted over the last second."""


class Rates:
    """Frames a second, sent and come back."""

    def __init__(self) -> None:
        self._counted: deque[tuple[int, int, int]] = deque()
        self.sent_hz = self.back_hz = 0

    def count(self, now_ms: int, sent: int, back: int) -> None:
        """So many have been sent and have come back in all; a handset that starts anew counts from 0."""
        counted = self._counted
        if counted and sent < counted[-1][1]:
            counted.clear()
        counted.append((now_ms, sent, back))
        while now_ms - counted[0][0] > RATED_MS:
            counted.popleft()
        began_ms, sent_before, back_before = counted[0]
        lasts_ms = now_ms - began_ms
        if lasts_ms > 0:
            self.sent_hz = round(1000 * (sent - sent_before) / lasts_ms)
            self.back_hz = round(1000 * (back - back_before) / lasts_ms)


def handset_seen(
    handset: Handset, now_ms: int, readings: Mapping[str, int | None], back: LinkStats, rates: Rates
) -> dict[str, Any]:
    """The handset's end: what is read, what is made of it and sent, what has come back."""
    link = handset.link
    state = handset.machine_state
    channels = {}
    for name, value in handset.wire_values.items():
        channel = link.channels[name]
        to_show = value_to_show(channel, value)
        channels[name] = thousandths(to_show) if channel.scaled else to_show
    return {
        "at_ms": now_ms,
        "state": None if state is None else str(state),
        "reason": reason_seen(handset),
        "stopping": handset.stopping,
        "age_ms": handset.machine_age_ms,
        "sent_hz": rates.sent_hz,
        "back_hz": rates.back_hz,
        "quality": None if back.quality is None else round(100 * back.quality),
        "round_trip_ms": handset.round_trip_ms,
        "lets_go": handset.hold_ends,
        "own_stop": handset.own_stop,
        "radio": RADIO.index(handset.machine_radio),
        "controls": {name: [readings.get(name), level] for name, level in _levels(handset)},
        "held": handset.latched,
        "channels": channels,
        "telemetry": {
            name: [_number(one.value), shown(one.words), one.lost, one.commanded]
            for name, one in handset.telemetry.items()
        },
    }


def _levels(handset: Handset) -> list[tuple[str, int | None]]:
    """The level of each control, in thousandths."""
    said: list[tuple[str, int | None]] = []
    for place, name in enumerate(handset.control_names):
        level = handset.core.hands.value(place)
        said.append((name, None if level == NO_READING else thousandths(fraction_of(level))))
    return said


def _number(value: object) -> object:
    if isinstance(value, float):
        return round(value, 4)
    return value if isinstance(value, bool | int) else None


def reason_seen(end: Handset | Machine) -> list[str | int]:
    """A reason as its code, the name that it has a place for, and its number: a page has words of its own."""
    why, names = end.reason, end.reason_names
    named = names[why.place] if 0 <= why.place < len(names) and why.code is not Code.OWN_CODE else ""
    return [why.code.name, named, why.place if why.code is Code.OWN_CODE else why.number]


def machine_seen(machine: Machine, *, simulated: bool) -> dict[str, Any]:
    """The machine's end: the simulated machine as it is, or what a machine built from this file is told by
    what has been sent."""
    reasons = machine.reasons(whole=False)
    outputs = {}
    for name, demand in zip(machine.link.outputs, machine.demands, strict=True):
        outputs[name] = [
            thousandths(demand.fraction),
            demand.value,
            demand.driven,
            shown(reasons[name]),
        ]
    return {
        "simulated": simulated,
        "state": str(machine.state),
        "reason": reason_seen(machine),
        "outputs": outputs,
    }
