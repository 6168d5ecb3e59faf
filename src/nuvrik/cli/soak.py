"""``nuvrik rehearse --soak HOURS``."""

import sys
from collections.abc import Iterator
from pathlib import Path

from nuvrik.cli.inputs.files import conditions_of
from nuvrik.cli.words import DONE, NO, say, say_json
from nuvrik.plan.load import load
from nuvrik.rehearsal.soak import Stretch, soak, summed_up


def run_soak(file: Path, medium: dict[str, float], hours: float, seed: int, as_json: bool) -> int:
    """Drive for hours with random faults. The answer is no if any of it failed."""
    link, conditions = load(file), conditions_of(medium)
    found = summed_up(_with_bar(soak(link, hours, seed, conditions), hours))
    if as_json:
        say_json(found._asdict())
    else:
        say(f"{link.name}: {found.hours:.2f} virtual hours, {found.runs} faults, {conditions.in_words()}")
        say(f"  the worst stop took {100 * found.worst_share:.1f} % of its bound")
        say(f"  {len(found.failed)} failed" if found.failed else "  all of them held")
        for name, which, why in found.failed[:20]:
            say(f"    {name}, seed {which}: {why}")
    return NO if found.failed else DONE


def _with_bar(stretches: Iterator[Stretch], hours: float) -> Iterator[Stretch]:
    """The stretches, with a bar on stderr if that is a terminal."""
    if not sys.stderr.isatty():
        yield from stretches
        return
    from rich.console import Console
    from rich.progress import Progress

    with Progress(console=Console(stderr=True), transient=True) as progress:
        task = progress.add_task("driving", total=3600 * hours)
        for stretch in stretches:
            progress.update(task, advance=stretch.virtual_s)
            yield stretch
