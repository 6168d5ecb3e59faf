"""Odds of a false trip: how often mere bad luck makes a machine think that its link is gone.

A trip is a gap between two frames that arrive of at least ``timeout_ms``. With a frame every P ms, n frames
lost in a row make a gap of (n + 1) P, give or take how differently the two at its ends were delayed: the
difference of two uniform delays of up to J ms, a triangle from -J to J, and of how often each was tried.
A frame that is tried again is lost if every try is; a burst outlasts them all.

Losses follow a chain of two states (E. N. Gilbert, "Capacity of a burst-noise channel", Bell System Technical
Journal 39, 1960): in the bad one everything is lost, in the good one each try with a chance of its own; the
plain independent case has no bad state. All of it is exact.
"""

import math
from itertools import product
from typing import Any, NamedTuple

from nuvrik.budget.conditions import Conditions
from nuvrik.plan.form.media import Retries, retries_of
from nuvrik.plan.form.models import Link
from nuvrik.wire.frames import Encoder

NEVER_H = float("inf")
LONGEST_MS = 30_000


class Way(NamedTuple):
    """How frames travel: one every ``period_ms``, each delayed by up to ``jitter_ms``, and tried again as
    ``retries`` say."""

    period_ms: float
    jitter_ms: float
    retries: Retries = Retries()

    @classmethod
    def of(cls, link: Link) -> "Way":
        """The command frames of a link."""
        retries = retries_of(link.medium, Encoder(link).longest_on_wire)
        return cls(link.period_ms, link.medium.jitter_ms, retries)


class Chain(NamedTuple):
    """The two-state chain as chances for each frame: to enter and to leave the bad state, and to be lost in
    the good one."""

    starts: float
    ends: float
    loss: float

    @classmethod
    def of(cls, conditions: Conditions, retries: int = 0) -> "Chain":
        """As the simulated medium has it."""
        ends = 1 / conditions.burst_frames
        starts = ends * conditions.burst_loss / (1 - conditions.burst_loss)
        return cls(starts, ends, conditions.loss ** (retries + 1))

    @property
    def received(self) -> float:
        """The share of frames that arrive."""
        good = self.ends / (self.starts + self.ends) if self.starts else 1.0
        return good * (1 - self.loss)

    def lost(self, frames: int, rng: Any) -> Any:
        """Which of so many frames in a row are lost, as a NumPy array of bool; ``rng`` is NumPy's."""
        import numpy as np

        lost = rng.random(frames) < self.loss if self.loss else np.zeros(frames, bool)
        if self.starts:
            # How long each stay in a state lasts, the good and the bad in turn.
            stays = int(frames * self.starts * self.ends / (self.starts + self.ends) * 1.2) + 100
            lengths = np.empty(2 * stays, np.int64)
            lengths[::2], lengths[1::2] = rng.geometric(self.starts, stays), rng.geometric(self.ends, stays)
            turns = np.minimum(np.cumsum(lengths), frames)
            change = np.zeros(frames + 1, np.int8)
            np.add.at(change, turns[::2], 1)
            np.add.at(change, turns[1::2], -1)
            lost |= np.cumsum(change[:-1], dtype=np.int8) > 0
        return lost

    def runs(self, most: int) -> list[float]:
        """After a frame that arrived: the chance that n frames in a row or more are lost, n from 0 on."""
        good, bad = 1.0, 0.0  # where the chain is, given that all so far were lost
        found = [1.0]
        for _ in range(most):
            to_good = good * (1 - self.starts) + bad * self.ends
            good, bad = to_good * self.loss, good + bad - to_good
            found.append(good + bad)
        return found


def _at_least(wanted_ms: float, jitter_ms: float) -> float:
    """The chance that the difference of two uniform delays is at least so much."""
    if wanted_ms <= -jitter_ms:
        return 1.0
    if wanted_ms > jitter_ms or not jitter_ms:
        return float(wanted_ms <= 0)
    share = wanted_ms / jitter_ms
    return (1 - share) ** 2 / 2 if share >= 0 else 1 - (1 + share) ** 2 / 2


def _later(loss: float, most: int) -> dict[int, float]:
    """By how many tries a frame that arrives comes later than another that does, with what chance."""
    if not 0 < loss < 1:
        return {0: 1.0}
    whole = 1 - loss ** (most + 1)
    chances = [loss**tries * (1 - loss) / whole for tries in range(most + 1)]
    later = dict.fromkeys(range(-most, most + 1), 0.0)
    for (one, chance), (other, chance_too) in product(enumerate(chances), repeat=2):
        later[one - other] += chance * chance_too
    return later


def trips_a_frame(conditions: Conditions, way: Way, timeout_ms: float) -> float:
    """How many trips there are for each frame sent."""
    period_ms, jitter_ms, retries = way
    chain, later = Chain.of(conditions, retries.most), _later(conditions.loss, retries.most)
    spread_ms, each_ms = jitter_ms + retries.longest_ms, retries.each_us / 1000
    fewest = max(0, int((timeout_ms - spread_ms) // period_ms) - 1)
    most = int((timeout_ms + spread_ms) // period_ms) + 1
    runs = chain.runs(most + 1)
    total = 0.0
    for lost in range(fewest, most + 1):
        wanted_ms = timeout_ms - (lost + 1) * period_ms
        chance = sum(p * _at_least(wanted_ms - tries * each_ms, jitter_ms) for tries, p in later.items())
        # Gaps of exactly so many; of more than `most`, all trip.
        share = runs[lost] - runs[lost + 1] if lost < most else runs[lost]
        total += share * chance
    return chain.received * total


def mean_hours(conditions: Conditions, way: Way, timeout_ms: float) -> float:
    """The mean time between false trips, in hours; infinite where nothing is ever lost."""
    chance = trips_a_frame(conditions, way, timeout_ms)
    return way.period_ms / chance / 3_600_000 if chance > 0 else NEVER_H


def timeout_for(conditions: Conditions, way: Way, hours: float) -> int | None:
    """The shortest timeout in ms with no more than one false trip in so many hours; None if 30 s is not
    enough."""
    low, high = 1, LONGEST_MS
    if mean_hours(conditions, way, high) < hours:
        return None
    while low < high:
        middle = (low + high) // 2
        if mean_hours(conditions, way, middle) >= hours:
            high = middle
        else:
            low = middle + 1
    return low


def failed_tries(conditions: Conditions, retries: Retries, frames: int, rng: Any) -> Any:
    """How often each of so many frames that arrived was tried in vain: a NumPy array; ``rng`` is NumPy's."""
    import numpy as np

    loss = conditions.loss
    if not retries.most or not 0 < loss < 1:
        return np.zeros(frames, np.int64)
    # A geometric distribution cut off, turned round.
    chance = rng.random(frames) * (1 - loss ** (retries.most + 1))
    return np.minimum(np.log1p(-chance) // math.log(loss), retries.most).astype(np.int64)


def simulated_hours(
    conditions: Conditions, way: Way, timeout_ms: float, frames: int, seed: int = 0
) -> tuple[float, int]:
    """The same by trying: so many frames sent, all at once. Gives the mean time in hours and how many trips
    that was."""
    import numpy as np

    rng = np.random.default_rng(seed)
    lost = Chain.of(conditions, way.retries.most).lost(frames, rng)
    sent_ms = np.flatnonzero(~lost) * way.period_ms
    arrived = sent_ms + rng.random(len(sent_ms)) * way.jitter_ms
    if way.retries.most:
        tries = failed_tries(conditions, way.retries, len(sent_ms), rng)
        arrived = arrived + tries * (way.retries.each_us / 1000)
    trips = int(np.count_nonzero(np.diff(arrived) >= timeout_ms))
    return (frames * way.period_ms / trips / 3_600_000 if trips else NEVER_H), trips


def hours_words(hours: float) -> str:
    """A mean time for people to read."""
    if math.isinf(hours):
        return "never"
    for limit, unit, size in (
        (1 / 60, "s", 1 / 3600),
        (1, "minutes", 1 / 60),
        (48, "hours", 1),
        (8766, "days", 24),
    ):
        if hours < limit:
            return f"{hours / size:.3g} {unit}"
    years = hours / 8766
    return f"{years:.3g} years" if years < 1e6 else "millions of years"
