"""Many runs of one fault as a row of a page."""

import statistics
from collections.abc import Sequence

from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import Run

MUST = {"stop": "stop", "hold": "stay true", "never": "stay still"}


def summary(name: str, mine: Sequence[Run]) -> tuple[str, ...]:
    """A fault's row: what it stands for, its verdict, and its stop times."""
    failed = sum(run.verdict == "fail" for run in mine)
    stops = [run.stop_ms for run in mine if run.stop_ms is not None]
    median = f"{statistics.median(stops):.0f}" if stops else "-"
    worst = f"{max(stops):.0f}" if stops else "-"
    verdict = f"fail ({failed} of {len(mine)})" if failed else "pass"
    bound = f"{mine[0].bound_ms:.0f}" if FAULTS[name].must == "stop" else "-"
    return name, FAULTS[name].group, MUST[FAULTS[name].must], verdict, median, worst, bound
