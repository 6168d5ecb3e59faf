"""The loops of core on boards that exist only here: fitted to a link, in Python and in C, they ask the same
of a board and of the builder's own code, call by call, whatever comes."""

import os
import random
import shutil
from pathlib import Path

import pytest
from links import THOROUGH
from random_links import random_link
from taped_boards import c_plays, fitted_plays, live

import nuvrik
from nuvrik.plan.form.media import RadioMedium
from nuvrik.plan.starters import starter_names, starter_text

SEED = int(os.environ["NUVRIK_SEED"])
TURNS = 4000 if THOROUGH else 1500

STYLES = ("packed", "slip", "line", "columns", "keys", "train")
LINKS = {name: nuvrik.parse(starter_text(name)) for name in starter_names()}
LINKS |= {
    style: random_link(random.Random(SEED + at), style=style, hands=True) for at, style in enumerate(STYLES)
}
PAIRS = [(name, "machine", "handset") for name in LINKS]
PAIRS += [(name, "bridge", "machine") for name, link in LINKS.items() if isinstance(link.medium, RadioMedium)]


SOME = random.Random(SEED).sample(PAIRS, len(PAIRS) if THOROUGH else 4)
"""Others in each run."""


@pytest.mark.slow
@pytest.mark.parametrize(("name", "first", "second"), SOME)
def test_fitted_to_a_link_it_asks_the_same_of_its_board(
    name: str, first: str, second: str, tmp_path: Path
) -> None:
    for end, (wanted, tape) in live(LINKS[name], (first, second), TURNS, SEED).items():
        fitted_plays(wanted, tape)
        if shutil.which("gcc"):
            (tmp_path / end).mkdir()
            c_plays(wanted, tape, tmp_path / end)
