"""What pages are told again and again: the link as it is at this moment."""

from collections.abc import Mapping
from typing import Any

from nuvrik.core.levels import NO_READING
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.inspection.statistics import LinkStats
from nuvrik.levels import fraction_of
from nuvrik.panel.described import shown
from nuvrik.wire.values import value_to_show

THOUSAND = 1000
"""Fractions are told in thousandths: finer than any page draws, and short."""


def thousandths(value: float | None) -> int | None:
    """A fraction of full scale in thousandths."""
    return None if value is None else round(THOUSAND * value)


def handset_seen(
    handset: Handset, now_ms: int, readings: Mapping[str, int | None], back: LinkStats
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
        "why": shown(handset.why),
        "stopping": handset.stopping,
        "age_ms": handset.machine_age_ms,
        "quality": None if back.quality is None else round(100 * back.quality),
        "round_trip_ms": handset.round_trip_ms,
        "lets_go": handset.hold_ends,
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


def machine_seen(machine: Machine, *, simulated: bool) -> dict[str, Any]:
    """The machine's end: the simulated machine as it is, or what a machine built from this file is told by
    what has been sent."""
    reasons = machine.reasons()
    outputs = {}
    for name, demand in zip(machine.link.outputs, machine.demands, strict=True):
        outputs[name] = [
            thousandths(demand.fraction),
            demand.signed,
            demand.driven,
            shown(reasons[name]),
        ]
    return {
        "simulated": simulated,
        "state": str(machine.state),
        "why": shown(machine.why),
        "outputs": outputs,
    }
