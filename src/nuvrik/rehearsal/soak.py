"""A link driven for hours, virtual ones, with faults that come at random."""

import random
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.budget.conditions import Conditions
from nuvrik.plan.models import Link
from nuvrik.rehearsal.faults import faults_for
from nuvrik.rehearsal.verdict import Run, rehearse


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
