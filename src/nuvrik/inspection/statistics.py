"""How a link fares: what came, what did not, how regularly.

Times are milliseconds that only grow, or None where a capture has none; then nothing about time is said.
"""

from collections import Counter, deque
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from nuvrik.wire.events import Event, Frame
from nuvrik.wire.messages import from_the_machine, only_asks

WINDOW = 200
"""Quality is about so many of the frames that were last due: 4 s at 50 frames a second, and steps of half a
percent."""

STRAYS = 3
"""So many refused frames that follow each other by sequence are somebody, not chance: frames out
of order come singly or in pairs, and a second sender never ends."""

GAP_EDGES_PERIODS = (0.5, 1.5, 2.5, 3.5, 5.5, 10.5, 20.5, 50.5, 100.5)
"""Where the classes of the gap histogram end, in periods: one is a frame lost, two are two."""


WRAPPED = "sequence numbers have gone round"


class Notice(NamedTuple):
    """Something about the sender that no single frame shows."""

    at: int
    what: str


class LinkStats:
    """Counts of one direction of a link.

    ``accepted`` and ``refused`` (by reason) count frames, ``lost`` those whose sequence numbers never came,
    ``longest_silence_ms`` is between two accepted ones. ``jitter_ms`` is the smoothed change of spacing of
    RFC 3550, section 6.4.1. ``notices`` tell of wraps, restarts and second senders, the last ones only.
    """

    def __init__(self, period_ms: float) -> None:
        self._period_ms = period_ms
        self.accepted = 0
        self.refused: Counter[str] = Counter()
        self.lost = 0
        self.longest_silence_ms: float | None = None
        self.jitter_ms: float | None = None
        self.gaps = [0] * (len(GAP_EDGES_PERIODS) + 1)
        self.notices: deque[Notice] = deque(maxlen=50)
        self._last_seq: int | None = None
        self._last_ms: float | None = None
        self._last_gap_ms: float | None = None
        self._due: deque[int] = deque(maxlen=WINDOW)
        self._stray_seq: int | None = None
        self._stray_run = 0
        self._since_stray = 0

    @property
    def repeated(self) -> int:
        """Frames that came twice."""
        return self.refused["repeated"]

    @property
    def quality(self) -> float | None:
        """The share of the last frames that were due and came; None before any did."""
        return sum(self._due) / len(self._due) if self._due else None

    def age_ms(self, now_ms: float) -> float | None:
        """How long ago the last accepted frame came."""
        return None if self._last_ms is None else now_ms - self._last_ms

    def take(self, event: Event, now_ms: float | None = None) -> Notice | None:
        """Count one event; gives what it shows about the sender, if that is new."""
        if not isinstance(event, Frame):
            self.refused[event.reason] += 1
            return self._stray(event.at, event.seq)
        self.accepted += 1
        self._since_stray += 1
        self._spaced(now_ms)
        return self._followed(event)

    def _followed(self, frame: Frame) -> Notice | None:
        if only_asks(frame.values):
            return None  # anybody's, and no part of the sender's sequence
        seq, before = frame.seq, self._last_seq
        self._due.append(1)
        # A style that does not number its commands leaves gaps between the frames that it does number.
        self._last_seq = seq
        if seq is None or before is None:
            return None
        ahead = (seq - before) & 0xFF
        if not 0 < ahead < 128:
            # It was accepted all the same: the receiver had forgotten the last one.
            return self._notice(frame.at, f"restarted: sequence {before} is followed by {seq}")
        self.lost += ahead - 1
        self._due.extend([0] * (ahead - 1))
        return self._notice(frame.at, WRAPPED) if seq < before else None

    def _spaced(self, now_ms: float | None) -> None:
        if now_ms is None:
            return
        if self._last_ms is not None:
            gap_ms = now_ms - self._last_ms
            self.longest_silence_ms = max(self.longest_silence_ms or 0.0, gap_ms)
            self.gaps[gap_class(gap_ms / self._period_ms)] += 1
            if self._last_gap_ms is not None:
                self.jitter_ms = self.jitter_ms or 0.0
                self.jitter_ms += (abs(gap_ms - self._last_gap_ms) - self.jitter_ms) / 16
            self._last_gap_ms = gap_ms
        self._last_ms = now_ms

    def _stray(self, at: int, seq: int | None) -> Notice | None:
        """Sound frames that come out of order, but in an order of their own, are a second sender's, or, once
        nothing else comes, the same one's after a restart."""
        if seq is None:
            return None
        follows = self._stray_seq is not None and 0 < (seq - self._stray_seq) & 0xFF <= STRAYS
        self._stray_run = self._stray_run + 1 if follows else 1
        self._stray_seq = seq
        if self._stray_run == 1:
            self._since_stray = 0
        if self._stray_run != STRAYS:
            return None
        if self._since_stray:
            return self._notice(at, "a second sender with the same pair number")
        return self._notice(at, f"restarted: its sequence went on at {seq}")

    def _notice(self, at: int, what: str) -> Notice:
        made = Notice(at, what)
        self.notices.append(made)
        return made

    def gap_rows(self) -> list[tuple[str, int]]:
        """The gap histogram: a class in words, and how often."""
        edges = ["0", *(f"{edge * self._period_ms:.0f}" for edge in GAP_EDGES_PERIODS)]
        rows = [f"{low} to {high} ms" for low, high in pairwise(edges)]
        return list(zip([*rows, f"over {edges[-1]} ms"], self.gaps, strict=True))

    def record(self) -> dict[str, object]:
        """All of it for a program to read."""
        return {
            "accepted": self.accepted,
            "refused": dict(self.refused),
            "lost": self.lost,
            "repeated": self.repeated,
            "longest_silence_ms": self.longest_silence_ms,
            "jitter_ms": None if self.jitter_ms is None else round(self.jitter_ms, 3),
            "quality": None if self.quality is None else round(self.quality, 4),
            "gaps": dict(self.gap_rows()),
            "notices": [notice.what for notice in self.notices],
        }


class TwoWays:
    """Both directions of a link, each with counts of its own, because each end numbers its own frames. What
    is refused counts as the handset's: it cannot be believed when it says whose it is."""

    def __init__(self, period_ms: float) -> None:
        self.there, self.back = LinkStats(period_ms), LinkStats(period_ms)

    def take(self, event: Event, now_ms: float | None = None) -> Notice | None:
        """Count one event in its direction."""
        back = isinstance(event, Frame) and from_the_machine(event.kind, event.values)
        return (self.back if back else self.there).take(event, now_ms)

    @property
    def accepted(self) -> int:
        """Frames accepted, both ways."""
        return self.there.accepted + self.back.accepted

    @property
    def lost(self) -> int:
        """Frames that never came, both ways."""
        return self.there.lost + self.back.lost

    def record(self) -> dict[str, object]:
        """All of it for a program to read: the handset's direction, and the machine's under ``back``."""
        return {**self.there.record(), **({"back": self.back.record()} if self.back.accepted else {})}


def gap_class(periods: float, edges: Sequence[float] = GAP_EDGES_PERIODS) -> int:
    """The class of the histogram into which a gap of so many periods falls."""
    return next((place for place, edge in enumerate(edges) if periods < edge), len(edges))
