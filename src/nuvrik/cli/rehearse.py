"""``nuvrik rehearse``."""

import statistics
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from nuvrik.budget.stop import stop_bound
from nuvrik.cli.words import DONE, NO, Trouble, console, say_json, table
from nuvrik.plan.load import load
from nuvrik.plan.models import Link
from nuvrik.plan.problems import suggestion
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.medium import Conditions
from nuvrik.rehearsal.recording import Recording, parse_recording
from nuvrik.rehearsal.verdict import Run, rehearse

BAR_FROM = 6
"""Rehearsals that take more than about a second together."""


def read_recording(path: Path, link: Link) -> Recording:
    """A pilot's recording from a file."""
    try:
        with path.open(encoding="utf-8-sig", newline="") as file:
            return parse_recording(file, link, str(path))
    except UnicodeDecodeError:
        raise Trouble(f"{path}: is not text; a recording is CSV: t_ms,CONTROL,...") from None


def run(
    file: Path,
    names: list[str],
    seeds: range,
    recording: Path | None,
    medium: dict[str, float],
    as_json: bool,
) -> int:
    """Rehearse each fault with each seed. The answer is no if any verdict is fail."""
    for name in names:
        if name not in FAULTS:
            raise Trouble(f'there is no fault "{name}": {suggestion(name, FAULTS)}')
    link = load(file)
    try:
        conditions = Conditions(**medium)
    except ValueError as error:
        raise Trouble(f"--{str(error).replace('_', '-', 1)}") from None
    played = read_recording(recording, link) if recording else None
    jobs = [(name, seed) for name in (names or FAULTS) for seed in seeds]
    runs = []
    for name, seed in _with_progress(jobs):
        result = rehearse(link, FAULTS[name], seed, played, conditions)
        runs.append(result)
        if as_json:
            say_json(_record(result))
    if not as_json:
        _print_page(link, runs, conditions)
    return NO if any(result.verdict == "fail" for result in runs) else DONE


def _record(result: Run) -> dict[str, Any]:
    """A run as ``rehearse --json`` gives it: everything but the trace."""
    return {name: getattr(result, name) for name in Run._fields if name != "trace"}


def _with_progress(jobs: list[tuple[str, int]]) -> Iterable[tuple[str, int]]:
    """The jobs, with a bar on stderr if that is a terminal and there is more than a moment's work."""
    if not sys.stderr.isatty() or len(jobs) < BAR_FROM:
        return jobs
    from rich.console import Console
    from rich.progress import track

    return track(jobs, description="rehearsing", console=Console(stderr=True), transient=True)


def _print_page(link: Link, runs: list[Run], conditions: Conditions) -> None:
    out = console()
    out.print(f"[bold]{link.link.name}[/bold]: {len(runs)} rehearsals, {_in_words(conditions)}")
    out.print(f"  every motor at rest within {stop_bound(link).in_words()}\n")
    by_fault = {
        name: [run for run in runs if run.fault == name] for name in dict.fromkeys(run.fault for run in runs)
    }
    columns = ["fault", "stands for", "verdict", ">median ms", ">worst ms", ">bound ms"]
    rows = [_summary(name, mine) for name, mine in by_fault.items()]
    out.print(table("stop time, from the last frame that was obeyed", columns, rows))
    for name, mine in by_fault.items():
        out.print(f"  [bold]{name}[/bold]: {FAULTS[name].imitates}")
        for why in dict.fromkeys(run.why for run in mine):
            seeds = [run.seed for run in mine if run.why == why]
            failed = any(run.verdict == "fail" for run in mine if run.why == why)
            colour = "red" if failed else "green"
            out.print(
                f"    [{colour}]{'fail' if failed else 'pass'}[/{colour}] {len(seeds)} of {len(mine)}: {why}",
                end="",
            )
            out.print(f" [dim](first seed {seeds[0]})[/dim]" if failed else "")


def _summary(name: str, mine: list[Run]) -> tuple[str, ...]:
    failed = sum(run.verdict == "fail" for run in mine)
    stops = [run.stop_ms for run in mine if run.stop_ms is not None]
    median = f"{statistics.median(stops):.0f}" if stops else "-"
    worst = f"{max(stops):.0f}" if stops else "-"
    verdict = f"fail ({failed} of {len(mine)})" if failed else "pass"
    return name, FAULTS[name].group, verdict, median, worst, f"{mine[0].bound_ms:.0f}"


def _in_words(conditions: Conditions) -> str:
    words = []
    if conditions.loss:
        words.append(f"{100 * conditions.loss:g} % of frames lost one by one")
    if conditions.burst_loss:
        words.append(f"{100 * conditions.burst_loss:g} % lost in bursts of {conditions.burst_frames:g}")
    if conditions.bit_errors:
        words.append(f"one bit in {1 / conditions.bit_errors:.0f} inverted")
    return ", ".join(words) or "on a medium without loss"
