"""Two logs of one run laid side by side: what was sent, what of it arrived, and when.

The clocks of two logs do not agree, and nobody knows by how much. The frame that took least is taken to have
taken nothing; so delays are how much longer each took than the quickest.
"""

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from nuvrik.wire.events import Event, Frame

AHEAD = 256
"""How far ahead a frame is looked for: once round the sequence numbers."""

GAP_FRAMES = 3
"""So many frames that are missing one after the other are told as a gap of their own."""

Timed = tuple[float, Event]


class Gap(NamedTuple):
    """Frames in a row that did not arrive: from when to when, by the sender's clock, and how many."""

    from_ms: float
    to_ms: float
    frames: int


class Compared(NamedTuple):
    """One direction of two logs. ``offset_ms`` is the second log's clock less the first's, by the quickest
    frame; ``delays_ms`` are in order of size."""

    sent: int
    arrived: int
    refused: int
    strange: int
    offset_ms: float | None
    delays_ms: list[float]
    gaps: list[Gap]

    @property
    def lost(self) -> int:
        """Frames that were sent and did not arrive."""
        return self.sent - self.arrived

    def delay_ms(self, share: float) -> float | None:
        """The delay that a share of all frames did not exceed; None where none arrived."""
        if not self.delays_ms:
            return None
        return self.delays_ms[min(len(self.delays_ms) - 1, int(share * len(self.delays_ms)))]


def compare(sent: Sequence[Timed], came: Sequence[Timed]) -> Compared:
    """Lay what one end sent beside what the other end heard; only what both logs cover is counted."""
    ours = [(t_ms, event.raw) for t_ms, event in sent if isinstance(event, Frame)]
    theirs = [(t_ms, event.raw) for t_ms, event in came if isinstance(event, Frame)]
    refused = sum(not isinstance(event, Frame) for _, event in came)
    pairs = _pairs(ours, theirs)
    if not pairs:
        return Compared(len(ours), 0, refused, len(theirs), None, [], [])
    # Before the first and after the last that both have, one of them was not there.
    (first, first_there), (last, last_there) = pairs[0], pairs[-1]
    took = [theirs[there][0] - ours[here][0] for here, there in pairs]
    offset_ms = min(took)
    gaps = [
        Gap(ours[a + 1][0], ours[b - 1][0], b - a - 1)
        for (a, _), (b, _) in pairwise(pairs)
        if b - a - 1 >= GAP_FRAMES
    ]
    strange = last_there - first_there + 1 - len(pairs)
    return Compared(
        last - first + 1,
        len(pairs),
        refused,
        strange,
        offset_ms,
        sorted(one - offset_ms for one in took),
        gaps,
    )


def _pairs(
    ours: Sequence[tuple[float, bytes]], theirs: Sequence[tuple[float, bytes]]
) -> list[tuple[int, int]]:
    """The places, in both, of frames that are the same, in order. Between two of the same bytes (a sequence
    number comes round) the first that is not yet taken is meant."""
    pairs: list[tuple[int, int]] = []
    here = 0
    for there, (_, raw) in enumerate(theirs):
        reach = len(ours) if not pairs else min(len(ours), here + AHEAD)
        match = next((place for place in range(here, reach) if ours[place][1] == raw), None)
        if match is not None:
            pairs.append((match, there))
            here = match + 1
    return pairs
