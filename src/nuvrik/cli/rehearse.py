"""``nuvrik rehearse``."""

import sys
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import stop_bound
from nuvrik.cli.inputs.files import conditions_of, read_recording
from nuvrik.cli.words import DONE, NO, Trouble, console, say, say_json, table
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.problems import suggestion
from nuvrik.recordings.recording import Recording
from nuvrik.rehearsal.faults import FAULTS, faults_for, unfit_for
from nuvrik.rehearsal.page import summary
from nuvrik.rehearsal.verdict import Run, rehearse, rehearse_all
from nuvrik.rehearsal.world import Trace

BAR_FROM = 6
"""Rehearsals that take more than about a second together."""

Job = tuple[str, int]
T = TypeVar("T")


@dataclass
class Options:
    """What is to be rehearsed, and what is to come out."""

    names: list[str]
    seeds: range
    recording: Path | None = None
    jobs: int = 1
    figure: Path | None = None
    report: Path | None = None
    as_json: bool = False


def run(file: Path, medium: dict[str, float], options: Options) -> int:
    """Rehearse each fault with each seed. The answer is no if any verdict is fail."""
    link = load(file)
    conditions = conditions_of(medium)
    able = faults_for(link)
    for name in options.names:
        if name not in FAULTS:
            raise Trouble(f'there is no fault "{name}": {suggestion(name, FAULTS)}')
        if name not in able:
            raise Trouble(f'the fault "{name}" does not apply to {link.name}: {FAULTS[name].unfit(link)}')
    if options.figure and len(options.names) != 1:
        raise Trouble("--figure draws one fault: say which with --fault")
    played = read_recording(options.recording, link) if options.recording else None
    jobs = [(name, seed) for name in (options.names or able) for seed in options.seeds]
    runs: list[Run] = []
    for result in with_progress(_results(link, jobs, played, conditions, options.jobs), len(jobs)):
        runs.append(result if options.figure else result._replace(trace=Trace()))
        if options.as_json:
            say_json(_record(result))
    if not options.as_json:
        _print_page(link, runs, conditions)
        if not options.names:
            _print_unfit(link)
    if options.figure:
        _draw(link, runs, options, played)
    if options.report:
        from nuvrik.figures.report import write_report

        write_report(link, file, runs, conditions, options.report)
        _tell(options, f"{options.report}: written, all in one file")
    return NO if any(result.verdict == "fail" for result in runs) else DONE


def _tell(options: Options, what: str) -> None:
    if not options.as_json:
        say(what)


def _draw(link: Link, runs: list[Run], options: Options, played: Recording | None) -> None:
    from nuvrik.figures.session import draw_run

    assert options.figure is not None
    # The one that went wrong, or else the one that came nearest to the bound.
    shown = next((run for run in runs if run.verdict == "fail"), None)
    draw_run(link, shown or max(runs, key=lambda run: run.stop_ms or 0), played, options.figure)
    _tell(options, f"{options.figure}: written")


def _results(
    link: Link, jobs: list[Job], played: Recording | None, conditions: Conditions, processes: int
) -> Iterator[Run]:
    if processes == 1 or len(jobs) < BAR_FROM:
        if played is None:
            yield from rehearse_all(link, ((FAULTS[name], seed) for name, seed in jobs), conditions)
        for name, seed in jobs if played is not None else ():
            yield rehearse(link, FAULTS[name], seed, played, conditions)
        return
    from concurrent.futures import ProcessPoolExecutor
    from functools import partial

    work = partial(_elsewhere, link, played, conditions)
    with ProcessPoolExecutor(processes) as pool:
        yield from pool.map(work, jobs, chunksize=max(1, len(jobs) // (8 * processes)))


def _elsewhere(link: Link, played: Recording | None, conditions: Conditions, job: Job) -> Run:
    """One rehearsal in another process; what it saw stays there."""
    return rehearse(link, FAULTS[job[0]], job[1], played, conditions)._replace(trace=Trace())


def _record(result: Run) -> dict[str, Any]:
    """A run as ``rehearse --json`` gives it: everything but the trace."""
    made = {name: getattr(result, name) for name in Run._fields if name != "trace"}
    return {**made, "group": FAULTS[result.fault].group}


def with_progress(work: Iterable[T], total: int, what: str = "rehearsing") -> Iterable[T]:
    """The same, with a bar on stderr if that is a terminal and there is more than a moment's work."""
    if not sys.stderr.isatty() or total < BAR_FROM:
        return work
    from rich.console import Console
    from rich.progress import track

    return track(work, description=what, total=total, console=Console(stderr=True), transient=True)


def _print_page(link: Link, runs: list[Run], conditions: Conditions) -> None:
    out = console()
    faults = list(dict.fromkeys(run.fault for run in runs))
    how = conditions.in_words()
    out.print((link.name, "bold"), f": {len(runs)} rehearsals of {len(faults)} faults, {how}")
    out.print(f"  every motor at rest within {stop_bound(link).in_words()}\n")
    columns = ["fault", "stands for", "must", "verdict", ">median ms", ">worst ms", ">bound ms"]
    rows = [summary(name, [run for run in runs if run.fault == name]) for name in faults]
    out.print(table("stop time, from the last frame that was accepted", columns, rows))
    failed = [name for name in faults if any(run.verdict == "fail" for run in runs if run.fault == name)]
    for names in [[name] for name in faults] if len(faults) <= 3 else _alike(failed, runs):
        if len(names) > 1:
            out.print("  ", (f"{len(names)} faults alike", "bold"), f": {', '.join(names)}")
        else:
            out.print("  ", (names[0], "bold"), f": {FAULTS[names[0]].imitates}")
        _print_whys([run for run in runs if run.fault in names], out.print)
    if len(faults) > 3 and not failed:
        out.print("  All of them held. Name one with --fault to see what it imitates and what was said.")


def _print_unfit(link: Link) -> None:
    """The faults of the full list that were not rehearsed, with the reason, those alike together."""
    alike: dict[str, list[str]] = {}
    for name, why in unfit_for(link).items():
        alike.setdefault(why, []).append(name)
    if alike:
        count = sum(map(len, alike.values()))
        rows = [(why, ", ".join(names)) for why, names in alike.items()]
        console().print(table(f"\n{count} faults that do not apply", ["because", "faults"], rows))


def _alike(faults: list[str], runs: list[Run]) -> list[list[str]]:
    """Faults of which the same is to be said: one thing that is wrong shows in many."""
    alike: dict[frozenset[str], list[str]] = {}
    for name in faults:
        alike.setdefault(frozenset(run.why for run in runs if run.fault == name), []).append(name)
    return list(alike.values())


def _print_whys(mine: list[Run], put: Callable[..., None]) -> None:
    for why in dict.fromkeys(run.why for run in mine):
        seeds = [run.seed for run in mine if run.why == why]
        failed = any(run.verdict == "fail" for run in mine if run.why == why)
        verdict = ("fail", "red") if failed else ("pass", "green")
        first = [(f" (first seed {seeds[0]})", "dim")] if failed else []
        put("    ", verdict, f" {len(seeds)} of {len(mine)}: {why}", *first)
