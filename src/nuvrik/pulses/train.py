"""The pulse train that radio gear uses to carry several channels on one wire.

A pulse of fixed length starts each slot and one more ends the last; from the start of one pulse to the start
of the next is the slot; a gap longer than any slot comes before the next train. Nothing in it is protected: a
train with a pulse lost or two run together has slots of impossible length or the wrong number of them, and
that is all by which it can be known.
"""

from collections.abc import Iterable, Sequence
from itertools import pairwise

from nuvrik.core.frames.train import TrainMaker
from nuvrik.plan.form.media import MOST_SLOTS, PulsesMedium
from nuvrik.plan.tables.medium import medium_table

EDGES_KEPT = MOST_SLOTS + 2


def train(slots: Sequence[int], medium: PulsesMedium) -> list[int]:
    """One train as marks (the level that is ``active``) and spaces, with the gap behind it, in microseconds.
    ValueError where it leaves no gap, and for a slot too short for its pulse."""
    pulse = medium.pulse_us
    if any(slot <= pulse for slot in slots):
        raise ValueError(f"a slot of {min(slots)} us is no longer than its pulse of {pulse} us")
    gap = medium.frame_us - sum(slots) - pulse
    if gap < medium.sync_us - pulse:
        raise ValueError(f"{len(slots)} slots of {sum(slots)} us leave no gap in {medium.frame_us} us")
    maker, made, count = TrainMaker(medium_table(medium)), [], len(slots)
    while length := maker.next([*slots], count):
        made.append(length if maker.is_mark else -length)
    return made


def edge_times(durations: Iterable[int], start_us: int = 0) -> list[int]:
    """When the pulses began: the edges that a timer captures, in microseconds."""
    times, at = [], start_us
    for duration in durations:
        if duration > 0:
            times.append(at)
        at += abs(duration)
    return times


def as_levels(durations: Iterable[int], medium: PulsesMedium) -> list[int]:
    """Marks and spaces as levels on the wire, high positive; and back."""
    sign = 1 if medium.active == "high" else -1
    return [sign * duration for duration in durations]


class TrainDecoder:
    """The times of edges to trains. It starts with the first gap: what came before may be half a train."""

    def __init__(self, medium: PulsesMedium) -> None:
        self._sync_us = medium.sync_us
        self._edges: list[int] | None = None
        self._last_us: int | None = None

    def feed(self, edges_us: Iterable[int]) -> list[list[int]]:
        """The trains that have ended by the next edges, as slots. One of too many slots ends as so many that
        no reader takes it."""
        trains = []
        for at_us in edges_us:
            if self._last_us is not None and at_us - self._last_us >= self._sync_us:
                trains += self.end()
                self._edges = [at_us]
            elif self._edges is not None and len(self._edges) < EDGES_KEPT:
                self._edges.append(at_us)
            self._last_us = at_us
        return trains

    def end(self) -> list[list[int]]:
        """The train that a gap has ended, if there is one."""
        edges, self._edges = self._edges, None
        return [[after - before for before, after in pairwise(edges)]] if edges else []
