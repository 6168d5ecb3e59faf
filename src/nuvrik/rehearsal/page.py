"""Many runs of one fault as a row of a page."""

import statistics
from collections.abc import Sequence

from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import Run

MUST = {"stop": "stop", "hold": "stay true", "never": "stay still"}


def on_chip(name: str, mine: Sequence[Run], others: Sequence[Run]) -> tuple[str, ...]:
    """A fault's row where it was rehearsed on a chip: the worst stop as its pins show it, in microseconds,
    that of the ``others`` and the bound in milliseconds."""
    pins = [run.pins_us for run in mine if run.pins_us is not None]
    stops = [run.stop_ms for run in others if run.stop_ms is not None]
    failed = sum(run.verdict == "fail" for run in mine)
    return (
        name,
        MUST[FAULTS[name].must],
        f"fail ({failed} of {len(mine)})" if failed else "pass",
        f"{max(pins):,.0f}" if pins else "-",
        f"{max(stops):.1f}" if stops else "-",
        f"{mine[0].bound_ms:.1f}" if FAULTS[name].must == "stop" else "-",
    )


def summary(name: str, mine: Sequence[Run]) -> tuple[str, ...]:
    """A fault's row: what it stands for, its verdict, and its stop times."""
    failed = sum(run.verdict == "fail" for run in mine)
    stops = [run.stop_ms for run in mine if run.stop_ms is not None]
    median = f"{statistics.median(stops):.0f}" if stops else "-"
    worst = f"{max(stops):.0f}" if stops else "-"
    verdict = f"fail ({failed} of {len(mine)})" if failed else "pass"
    bound = f"{mine[0].bound_ms:.0f}" if FAULTS[name].must == "stop" else "-"
    return name, FAULTS[name].group, MUST[FAULTS[name].must], verdict, median, worst, bound
