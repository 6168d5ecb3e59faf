"""Lives random lives of every class of core and of whole machines, and prints the lines and branches of core
that none of them has come to.

    python tools/core_coverage.py [LINKS [STEPS]]

``tests/core_unreached.md`` lists those that no life can come to, each with the reason."""

import os
import random
import sys
from pathlib import Path

import coverage

from nuvrik.export.program import CORE, name_of


def live(links: int, steps: int, seed: int = 5) -> None:
    """Every starter, so many random links of each style, and every class on several tables."""
    from everywhere import LIVES, live
    from random_links import random_link

    import nuvrik
    from nuvrik.export.traces.driver import Life
    from nuvrik.plan.starters import starter_names, starter_text

    names = [name for name in starter_names() if name != "curtain"]
    machines = [nuvrik.parse(starter_text(name)) for name in names]
    for style in ("packed", "slip", "line", "columns", "keys", "train"):
        machines += [random_link(random.Random(seed + at), style=style) for at in range(links)]
    for link in machines:
        for _ in zip(range(steps), Life(link, seed), strict=False):
            pass
    for name, (_, any_table, _) in LIVES.items():
        rng = random.Random(seed)
        # What is rare is in the tables, more than in long lives.
        for at in range(8 * links):
            live(name, any_table(rng), random.Random(at), steps // 2, {})


def unreached(links: int, steps: int) -> list[str]:
    """What has not been reached, a place a line, as ``module: text of the line``, with `` -> `` and where it
    would go for a branch."""
    watch = coverage.Coverage(branch=True, include=[str(CORE / "*")], data_file=None)
    watch.start()
    live(links, steps)
    watch.stop()
    found = []
    for file in sorted(CORE.rglob("*.py")):
        lines = file.read_text("utf-8").splitlines()
        for line in watch.analysis2(str(file))[3]:
            found.append(f"{name_of(file)}: {lines[line - 1].strip()}")
        about = watch._analyze(str(file))
        for line, others in about.missing_branch_arcs().items():
            for to in others:
                there = lines[to - 1].strip() if to > 0 else "the end"
                found.append(f"{name_of(file)}: {lines[line - 1].strip()} -> {there}")
    return found


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    os.environ.setdefault("NUVRIK_SEED", "1")
    given = [int(one) for one in sys.argv[1:]]
    for one in unreached(*(given + [6, 4000][len(given) :])):
        print(one)
