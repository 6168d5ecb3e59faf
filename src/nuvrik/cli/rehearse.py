"""``nuvrik rehearse``."""

import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, TypeVar

import typer

from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import stop_bound
from nuvrik.cli.inputs.elsewhere import AVR, PYTHON, makers
from nuvrik.cli.inputs.files import conditions_of, read_recording
from nuvrik.cli.options import BitErrors, Burst, BurstFrames, From, Json, LinkFile, Loss, drawn, page
from nuvrik.cli.words import DONE, NO, Trouble, console, say, say_json, speaks_plainly, table
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.problems import listing, suggestion
from nuvrik.recordings.recording import Recording
from nuvrik.rehearsal.faults import FAULTS, faults_for, unfit_for
from nuvrik.rehearsal.page import on_chip, summary
from nuvrik.rehearsal.verdict import Run, rehearse, rehearse_all
from nuvrik.rehearsal.world import MakeMachine, Trace

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
    on: tuple[str, ...] = (PYTHON,)


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
    elsewhere = [place for place in options.on if place not in (PYTHON, AVR)]
    if link.authenticated and elsewhere:
        where = f"--on {listing(elsewhere)}"
        raise Trouble(f"{where}: a link with a key is rehearsed in Python and on avr")
    if options.figure and len(options.names) != 1:
        raise Trouble("--figure draws one fault: say which with --fault")
    if options.figure and options.on not in ((PYTHON,), (AVR,)):
        raise Trouble("--figure draws what the machine in Python did, or with --on avr the pins of the chip")
    played = read_recording(options.recording, link) if options.recording else None
    runs: list[Run] = []
    by_machine: dict[str, list[Run]] = {}
    # What a chip does is printed beside what the library's own machine does.
    places = options.on if AVR not in options.on or PYTHON in options.on else (PYTHON, *options.on)
    for on, make in makers(link, places):
        names = [n for n in (options.names or able) if _can(on, n)]
        jobs = [(name, seed) for name in names for seed in options.seeds]
        mine = by_machine[on] = []
        results = _results(link, jobs, played, conditions, options.jobs, make)
        what = "rehearsing" if on == PYTHON else f"rehearsing on {on}"
        for result in with_progress(results, len(jobs), what):
            mine.append(result if options.figure else result._replace(trace=Trace(), pins=None))
            if options.as_json:
                say_json(_record(result) | {"on": on})
        runs += mine
        first = next(iter(by_machine))
        if options.as_json:
            continue
        if on == AVR:
            _print_chip(link, by_machine[PYTHON], mine, names)
        elif on == first or _apart(by_machine[first], mine):
            _print_page(link, mine, conditions, on)
        if on != first:
            _print_alike(first, on, by_machine[first], mine, link.tick_ms)
    if not (options.names or options.as_json):
        _print_unfit(link)
    if options.figure:
        _draw(link, runs, options, played)
    if options.report:
        from nuvrik.figures.report import write_report

        write_report(link, file, runs, conditions, options.report)
        _tell(options, f"{options.report}: written, all in one file")
    return NO if any(result.verdict == "fail" for result in runs) else DONE


def _can(on: str, fault: str) -> bool:
    """Whether a fault can be made where a machine runs."""
    one = FAULTS[fault]
    return on == PYTHON or not (one.own_code or (on == AVR and one.holds_up))


def _tell(options: Options, what: str) -> None:
    if not options.as_json:
        say(what)


def _draw(link: Link, runs: list[Run], options: Options, played: Recording | None) -> None:
    from nuvrik.figures.session import draw_run

    assert options.figure is not None
    if options.on == (AVR,):
        _draw_pins(link, [run for run in runs if run.pins], options)
        return
    # The one that went wrong, or else the one that came nearest to the bound.
    shown = next((run for run in runs if run.verdict == "fail"), None)
    draw_run(link, shown or max(runs, key=lambda run: run.stop_ms or 0), played, options.figure)
    _tell(options, f"{options.figure}: written")


def _draw_pins(link: Link, runs: list[Run], options: Options) -> None:
    """The run that came nearest to the bound, as its pins show it."""
    from nuvrik.export.boards import uses_of_outputs
    from nuvrik.export.on_avr import chip_for
    from nuvrik.figures.stop import draw_stop
    from nuvrik.plan.outputs.base import PLAIN, PWM

    assert options.figure is not None
    shown = max(runs, key=lambda run: run.pins_us or 0, default=None)
    if shown is None or shown.pins_us is None:
        raise Trouble(f"--figure: {options.names[0]} stops nothing, so no pin shows a stop")
    rows = [
        (use.pin, f"{use.of} {use.key.rpartition('.')[2]}", use.role == PWM)
        for use in uses_of_outputs(link)
        if use.role in (PWM, PLAIN) and link.outputs[use.of].turns
    ]
    draw_stop(link, shown, rows, chip_for(link).name, options.figure)
    _tell(options, f"{options.figure}: written")


def _results(
    link: Link,
    jobs: list[Job],
    played: Recording | None,
    conditions: Conditions,
    processes: int,
    make: MakeMachine,
) -> Iterator[Run]:
    if processes == 1 or len(jobs) < BAR_FROM:
        if played is None:
            yield from rehearse_all(link, ((FAULTS[name], seed) for name, seed in jobs), conditions, make)
        for name, seed in jobs if played is not None else ():
            yield rehearse(link, FAULTS[name], seed, played, conditions, make)
        return
    from concurrent.futures import ProcessPoolExecutor
    from functools import partial

    work = partial(_elsewhere, link, played, conditions, make)
    with ProcessPoolExecutor(processes) as pool:
        yield from pool.map(work, jobs, chunksize=max(1, len(jobs) // (8 * processes)))


def _elsewhere(
    link: Link, played: Recording | None, conditions: Conditions, make: MakeMachine, job: Job
) -> Run:
    """One rehearsal in another process; what it saw stays there."""
    return rehearse(link, FAULTS[job[0]], job[1], played, conditions, make)._replace(trace=Trace())


def _record(result: Run) -> dict[str, Any]:
    """A run as ``rehearse --json`` gives it: everything but the trace and what pins did."""
    made = {name: getattr(result, name) for name in Run._fields if name not in ("trace", "pins")}
    return {**made, "group": FAULTS[result.fault].group}


def with_progress(work: Iterable[T], total: int, what: str = "rehearsing") -> Iterable[T]:
    """The same, with a bar on stderr if that is a terminal and there is more than a moment's work."""
    if not sys.stderr.isatty() or total < BAR_FROM:
        return work
    from rich.console import Console
    from rich.progress import track

    return track(work, description=what, total=total, console=Console(stderr=True), transient=True)


def _apart(ones: list[Run], others: list[Run], within_ms: float = 0) -> list[Run]:
    """Those that came to another verdict, or to a stop time further off than that."""
    known = {(run.fault, run.seed): run for run in ones}
    return [run for run in others if not _near(known[run.fault, run.seed], run, within_ms)]


def _near(one: Run, other: Run, within_ms: float) -> bool:
    if one.verdict != other.verdict or (one.stop_ms is None) != (other.stop_ms is None):
        return False
    return abs((one.stop_ms or 0) - (other.stop_ms or 0)) <= within_ms


def _print_alike(first: str, on: str, ones: list[Run], others: list[Run], tick_ms: int) -> None:
    """Whether the same rules, elsewhere, came to the same. A chip's loop ticks when it likes."""
    out, apart = console(), _apart(ones, others, tick_ms if on == AVR else 0)
    if not apart:
        same = "verdict, and stopped within a tick of" if on == AVR else "verdict and stop time as on"
        out.paragraph(f"On {on} each of {len(others)} rehearsals came to the same {same} {first}.")
    for run in apart[:5]:
        out.print(
            "  ", ("differs", "red"), f": {run.fault}, seed {run.seed}, {run.verdict} on {on}: {run.why}"
        )


def _counted(runs: list[Run], faults: Sequence[str]) -> str:
    many = ["" if len(ones) == 1 else "s" for ones in (runs, faults)]
    return f"{len(runs)} rehearsal{many[0]} of {len(faults)} fault{many[1]}"


def _print_chip(link: Link, ours: list[Run], its: list[Run], faults: list[str]) -> None:
    """What the pins of a chip show, beside the machine in Python and the bound."""
    out = console()
    out.print("\n", (link.name, "bold"), f" on an emulated chip: {_counted(its, faults)}\n")
    columns = ["fault", "must", "verdict", ">worst us, its pins", ">worst ms, python", ">bound ms"]
    rows = [
        on_chip(name, [run for run in its if run.fault == name], [run for run in ours if run.fault == name])
        for name in faults
    ]
    out.print(table("stop time, from the last frame that was accepted", columns, rows))
    _print_whys([run for run in its if run.verdict == "fail"], out.print)
    inside = [name for name in dict.fromkeys(run.fault for run in ours) if name not in faults]
    if inside:
        out.paragraph(f"  Not from outside a chip: {', '.join(inside)}.")


def _print_page(link: Link, runs: list[Run], conditions: Conditions, on: str = PYTHON) -> None:
    out = console()
    faults = list(dict.fromkeys(run.fault for run in runs))
    how = conditions.in_words()
    where = "" if on == PYTHON else f" on {on}"
    out.print((link.name, "bold"), f"{where}: {_counted(runs, faults)}, {how}")
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


@speaks_plainly
def command(
    link: LinkFile,
    fault: Annotated[
        list[str] | None,
        typer.Option("--fault", metavar="NAME", help="Rehearse only this fault; may be given several times."),
    ] = None,
    seed: Annotated[int, typer.Option("--seed", help="The first seed.")] = 0,
    runs: Annotated[
        int, typer.Option("--runs", min=1, max=10000, help="How many seeds to try for each fault.")
    ] = 5,
    jobs: Annotated[
        int, typer.Option("--jobs", min=1, max=64, help="How many processes share the work.")
    ] = 1,
    recording: From = None,
    loss: Loss = 0.0,
    burst_loss: Burst = 0.0,
    burst_frames: BurstFrames = 5.0,
    bit_errors: BitErrors = 0.0,
    jitter: Annotated[
        float, typer.Option("--jitter", help="Pulses: edge jitter, as a share of a unit.")
    ] = 0.0,
    mark_stretch_us: Annotated[
        float, typer.Option("--mark-stretch-us", help="Pulses: marks longer by so much.")
    ] = 0.0,
    lamp: Annotated[float, typer.Option("--lamp-per-s", help="Infrared: pulses a second from a lamp.")] = 0.0,
    figure: Annotated[
        Path | None,
        drawn("--figure", "Write a picture of the one --fault on a time axis."),
    ] = None,
    report: Annotated[
        Path | None,
        typer.Option(
            "--report", metavar="HTML", callback=page, help="Write verdicts, figures and sums as one page."
        ),
    ] = None,
    soak: Annotated[
        float | None,
        typer.Option(
            "--soak", metavar="HOURS", min=0.01, help="Drive for so many virtual hours, with random faults."
        ),
    ] = None,
    every_state: Annotated[
        bool, typer.Option("--every-state", help="Try every event in every state instead of faults.")
    ] = False,
    on: Annotated[
        str,
        typer.Option(
            "--on", metavar="PLACES", help="Where the machine runs: python, c, micropython, avr, arm."
        ),
    ] = "python",
    most_states: Annotated[
        int, typer.Option("--most-states", min=1, help="With --every-state: look at no more than these.")
    ] = 20_000,
    as_json: Json = False,
) -> int:
    """Run the link against faults: verdicts and stop times.

    Both ends run in virtual time; the stop time is from the last frame that was accepted. With
    --every-state the machine alone is searched: every event in every state that can be reached.
    """
    medium = {
        "loss": loss,
        "burst_loss": burst_loss,
        "burst_frames": burst_frames,
        "bit_errors": bit_errors,
        "jitter": jitter,
        "mark_stretch_us": mark_stretch_us,
        "lamp_per_s": lamp,
    }
    from nuvrik.cli.inputs.elsewhere import places

    machines = places(on)
    if every_state:
        from nuvrik.cli.search import run_search

        return run_search(link, most_states, as_json, machines)
    if soak is not None:
        from nuvrik.cli.soak import run_soak

        return run_soak(link, medium, soak, seed, as_json)
    seeds = range(seed, seed + runs)
    options = Options(fault or [], seeds, recording, jobs, figure, report, as_json, machines)
    return run(link, medium, options)
