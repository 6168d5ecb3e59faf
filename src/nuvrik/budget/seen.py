"""Loss and bursts as a real capture shows them, by its sequence numbers."""

from collections.abc import Iterable

from nuvrik.budget.conditions import Conditions
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.messages import from_the_machine, only_asks

BURSTY = 1.3
"""Runs of lost frames this many times longer than by mere chance are bursts."""
MOST_LOST = 100
"""A longer gap in the sequence is a restart or the end of a drive, not loss."""


def conditions_seen(events: Iterable[Event]) -> tuple[Conditions, int, int]:
    """How bad a medium was: the conditions that fit, how many frames arrived, and how many were lost. Only
    styles with sequence numbers show it; of any other, nothing is lost. What the machine sends has numbers of
    its own, and is left out."""
    arrived = lost = runs = 0
    last: int | None = None
    for event in events:
        if not isinstance(event, Frame) or event.seq is None:
            continue
        if from_the_machine(event.kind, event.values) or only_asks(event.values):
            continue
        if last is not None:
            missing = (event.seq - last - 1) & 0xFF
            if 0 < missing <= MOST_LOST:
                lost += missing
                runs += 1
        arrived += 1
        last = event.seq
    share = lost / (lost + arrived) if arrived else 0.0
    mean_run = lost / runs if runs else 0.0
    by_chance = 1 / (1 - share) if share < 1 else 1.0
    if mean_run > BURSTY * by_chance:
        return Conditions(burst_loss=min(share, 0.95), burst_frames=max(1.0, mean_run)), arrived, lost
    return Conditions(loss=share), arrived, lost
