"""A link driven for hours, virtual ones, with faults that come at random."""

import random
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import run_down_ms, stop_bound
from nuvrik.budget.trips import Chain, failed_tries
from nuvrik.plan.form.media import retries_of, transit_us
from nuvrik.plan.form.models import Link
from nuvrik.rehearsal.faults import faults_for
from nuvrik.rehearsal.verdict import Run, rehearse
from nuvrik.wire.frames import Encoder

Times = NDArray[np.int64]
"""Microseconds."""


class Stretch(NamedTuple):
    """One stretch of a soak: how long it took in virtual time, and the run that it was."""

    virtual_s: float
    run: Run


def soak(link: Link, hours: float, seed: int = 0, conditions: Conditions | None = None) -> Iterator[Stretch]:
    """Drive for so many virtual hours: again and again somebody switches on, drives, something goes wrong.

    Each stretch has a fault drawn at random, a pilot and bad luck of its own; it ends a while after the
    fault has ended or has stopped the machine for good.
    """
    rng, faults = random.Random(f"soak {seed}"), list(faults_for(link).values())
    passed_s = 0.0
    while passed_s < 3600 * hours:
        run = rehearse(link, rng.choice(faults), rng.randrange(1 << 30), None, conditions)
        moments = run.trace.moments
        ended_ms = max(run.trace.sent[-1] if run.trace.sent else 0.0, moments[-1].t_ms if moments else 0.0)
        passed_s += ended_ms / 1000
        yield Stretch(ended_ms / 1000, run)


class Summary(NamedTuple):
    """What came of a soak."""

    hours: float
    runs: int
    worst_share: float
    failed: list[tuple[str, int, str]]
    by_fault: Counter[str]


def summed_up(stretches: Iterator[Stretch]) -> Summary:
    """All stretches together; ``worst_share`` is the worst stop as a share of its bound."""
    seconds, runs, worst = 0.0, 0, 0.0
    failed: list[tuple[str, int, str]] = []
    by_fault: Counter[str] = Counter()
    for virtual_s, run in stretches:
        seconds += virtual_s
        runs += 1
        by_fault[run.fault] += 1
        if run.stop_ms is not None:
            worst = max(worst, run.stop_ms / run.bound_ms)
        if run.verdict == "fail":
            failed.append((run.fault, run.seed, run.why))
    return Summary(seconds / 3600, runs, worst, failed, by_fault)


class Bulk(NamedTuple):
    """What came of a soak all at once: how many frames were sent, how many times the machine tripped, and
    the longest stop in ms, from the sending of the last frame before each trip."""

    hours: float
    frames: int
    trips: int
    worst_ms: float
    bound_ms: float


PIECE = 4_000_000
"""Frames worked out together, so that memory does not grow with the hours."""


def bulk_soak(link: Link, hours: float, conditions: Conditions, seed: int = 0) -> Bulk:
    """Drive for so many hours, with the failsafe worked out for millions of frames at a time.

    The handset sends a frame every period, hard forward all the time; each is lost or delayed by the medium.
    The machine's loop ticks on its own clock; it notices silence at the first tick at which the last frame is
    ``timeout_ms`` old, and each output that turns ramps down from full, tick by tick, from that tick on.
    """
    rng = np.random.default_rng(seed)
    medium, bound = link.medium, stop_bound(link)
    period_us, tick_us = 1000 * link.period_ms, 1000 * link.tick_ms
    timeout_us = 1000 * link.failsafe.timeout_ms
    wire_bytes = Encoder(link).longest_on_wire
    retries = retries_of(medium, wire_bytes)
    way_us = transit_us(medium, wire_bytes)
    ramp_ticks = max(0, -(-run_down_ms(link, lost=True) // link.tick_ms) - 1)
    chain = Chain.of(conditions, retries.most)
    frames = round(hours * 3_600_000_000 / period_us)
    trips, worst, done = 0, 0.0, 0
    while done < frames:
        count = min(PIECE, frames - done)
        sent = np.arange(count, dtype=np.int64) * period_us + int(rng.integers(period_us))
        got = sent[~chain.lost(count, rng)]
        arrived = got + way_us + failed_tries(conditions, retries, len(got), rng) * retries.each_us
        if medium.jitter_ms:
            arrived = arrived + rng.integers(0, 1000 * medium.jitter_ms, len(got))
        # Frames never overtake each other, and whole milliseconds are all that the machine's clock knows.
        arrived = np.maximum.accumulate(arrived) // 1000 * 1000
        silent = np.flatnonzero(np.diff(arrived) >= timeout_us)
        phase = int(rng.integers(tick_us))
        noticed = stops_at(arrived[silent], timeout_us, tick_us, phase)
        at_rest = noticed + ramp_ticks * tick_us
        # Silence that a frame ends before any tick notices it is noticed by that frame, to the same effect.
        stops = (at_rest - got[silent]) / 1000
        trips += len(silent)
        worst = max(worst, float(stops.max(initial=0.0)))
        done += count
    return Bulk(hours, frames, trips, worst, bound.worst_ms)


def stops_at(arrived_us: Times, timeout_us: int, tick_us: int, phase_us: int) -> Times:
    """The ticks at which silence is noticed after frames that arrived at these times."""
    due = arrived_us + timeout_us
    # A tick at t sees a clock of t rounded down to a whole millisecond.
    ticks = -(-(due - phase_us) // tick_us)
    return ticks * tick_us + phase_us
