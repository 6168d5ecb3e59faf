"""A link rehearsed in its builder's own tests::

def test_my_boat_stops():
    nuvrik.assert_holds("boat.toml")
"""

from collections.abc import Iterable
from pathlib import Path

from nuvrik.budget.conditions import Conditions
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.problems import suggestion
from nuvrik.rehearsal.faults import FAULTS, faults_for
from nuvrik.rehearsal.verdict import Run, rehearse_all


def assert_holds(
    link: Link | str | Path,
    faults: Iterable[str] | None = None,
    seeds: Iterable[int] = range(3),
    conditions: Conditions | None = None,
) -> list[Run]:
    """Rehearse a link against faults (all that can strike it, or some by name) and give the runs.

    AssertionError names every fault that failed, with its seed and what went wrong; KeyError for a fault that
    there is not; LinkFileError for a link file with problems.

    >>> [run.verdict for run in assert_holds("tug.toml", ["cable_pulled"], seeds=range(1))]
    ['pass']
    """
    link = link if isinstance(link, Link) else load(link)
    names = list(faults_for(link)) if faults is None else list(faults)
    for name in names:
        if name not in FAULTS:
            raise KeyError(f"there is no fault {name}: {suggestion(name, FAULTS)}")
    jobs = [(FAULTS[name], seed) for seed in seeds for name in names]
    runs = list(rehearse_all(link, jobs, conditions))
    failed = [f"  {run.fault}, seed {run.seed}: {run.why}" for run in runs if run.verdict == "fail"]
    if failed:
        raise AssertionError(f"{link.name} failed {len(failed)} of {len(runs)}:\n" + "\n".join(failed))
    return runs
