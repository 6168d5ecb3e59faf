"""``nuvrik rehearse --every-state``: every state that a machine can be in, and every event in each."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from nuvrik.cli.inputs.elsewhere import MICROPYTHON, PYTHON, makers
from nuvrik.cli.words import DONE, NO, Trouble, console, say_json
from nuvrik.levels import CLOCK_WRAP
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.rehearsal.search import Event, Searcher, unsearchable
from nuvrik.rehearsal.world import MakeMachine

BEFORE_WRAP_MS = CLOCK_WRAP - 6
"""The clock wraps in the first moments, when most of what happens is still to come."""


def run_search(file: Path, most: int, as_json: bool, on: tuple[str, ...] = (PYTHON,)) -> int:
    """Search a link. The answer is no if anything can be reached that must not be."""
    link = load(file)
    if unsearchable(link):
        raise Trouble(f"--every-state: {link.name} {unsearchable(link)}")
    if MICROPYTHON in on:
        raise Trouble("--every-state copies machines at every step, which only python and c can do")
    answers = [_search(link, most, as_json, place, make) for place, make in makers(link, on)]
    return NO if NO in answers else DONE


def _search(link: Link, most: int, as_json: bool, on: str, make: MakeMachine) -> int:
    # The search gives its frames one by one, whatever the medium.
    in_packets = () if on == PYTHON else (replace(make, packets=True),)  # type: ignore[type-var]
    searcher = Searcher(link, BEFORE_WRAP_MS, *in_packets)
    with _progress() as told:
        found = searcher.search(most, told=told)
    if as_json:
        wrong = [
            {"what": what, "way": [f"{kind} after {wait} ms" for kind, wait in way]}
            for what, way in found.wrong
        ]
        sums = {"states": found.states, "steps": found.steps, "whole": found.whole}
        say_json(sums | {"wrong": wrong, "on": on})
        return NO if found.wrong else DONE
    out = console()
    where = "" if on == PYTHON else f" on {on}"
    out.print((link.name, "bold"), f"{where}: {found.states} states, {found.steps} steps")
    out.paragraph(f"In each state the machine was given: {searcher.covers}.")
    if not found.whole and not found.wrong:
        out.paragraph(f"It stopped at {most} states; raise --most-states to look at the rest.")
    for what, way in found.wrong[:5]:
        out.print("  ", ("wrong", "red"), f": {what}")
        out.paragraph(f"  the way there: {_way(way)}" if way else "  from a state that was reached")
    if not found.wrong:
        end = "and nothing new was left" if found.whole else "as far as it was looked"
        out.paragraph(f"Nothing can be reached that must not be, {end}.")
    return NO if found.wrong else DONE


def _way(way: list[Event]) -> str:
    return ", ".join(f"{kind} after {wait} ms" for kind, wait in way)


@contextmanager
def _progress() -> Iterator[Callable[[int, int], None]]:
    """How far the search is, on stderr, if that is a terminal."""
    if not sys.stderr.isatty():
        yield lambda states, steps: None
        return
    from rich.console import Console

    with Console(stderr=True).status("searching") as status:
        yield lambda states, steps: status.update(f"searching: {states} states found, {steps} steps tried")
