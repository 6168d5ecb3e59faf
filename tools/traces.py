"""Lives long random lives of every starter and of random links of every style: core in Python, in C by gcc
with sanitizers, in C by clang, and in MicroPython, all the same to the bit. Writes benchmarks/traces.json.

    python tools/traces.py [STEPS [LINKS [SEED]]]
"""

import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tests"))

from random_links import random_link  # noqa: E402

import nuvrik  # noqa: E402
from nuvrik.export.elsewhere import MicroPythons  # noqa: E402
from nuvrik.export.native import Native, build  # noqa: E402
from nuvrik.export.traces.driver import Life  # noqa: E402
from nuvrik.export.traces.runners import NativeLife, in_all  # noqa: E402
from nuvrik.plan.starters import starter_names, starter_text  # noqa: E402

STYLES = ("packed", "slip", "line", "columns", "keys", "train")
SANITIZERS = ("-fsanitize=address,undefined", "-fno-sanitize-recover=all", "-g")
OUT = ROOT / "benchmarks" / "traces.json"


def named(seed: int, links: int) -> dict[str, str]:
    """What is lived: a starter's name, or the seed and style of a random link."""
    made = {name: "" for name in starter_names() if name != "curtain"}
    return made | {f"random {n}": f"{seed + n} {STYLES[n % len(STYLES)]}" for n in range(links)}


def link_of(name: str, how: str) -> nuvrik.Link:
    if not how:
        return nuvrik.parse(starter_text(name))
    seed, style = how.split()
    return random_link(random.Random(int(seed)), style=style)


def live(job: tuple[str, str, int, int, str]) -> dict[str, object]:
    """All four on one link."""
    name, how, steps, seed, folder = job
    link, began = link_of(name, how), time.monotonic()
    life = Life(link, seed)
    interpreter = shutil.which("micropython", path=str(Path(sys.executable).parent))
    assert interpreter is not None
    pythons = MicroPythons(interpreter, life.table)
    places = {one: NativeLife(Native(Path(folder) / f"{one}.so"), life) for one in ("gcc", "clang")}
    wrong = in_all(places | {"micropython": pythons.machine()}, life, steps)
    pythons.close()
    found = {"link": name, "style": link.frame.style, "medium": link.medium.kind, "steps": steps}
    seconds = round(time.monotonic() - began)
    return found | {"seconds": seconds, "wrong": {place: said for place, said in wrong.items() if said}}


def main() -> int:
    steps, links, seed = (int(word) for word in (*sys.argv[1:], *("200000", "40", "1")[len(sys.argv) - 1 :]))
    if "LD_PRELOAD" not in os.environ:
        # What is built with a sanitizer can only be loaded into a process that has it from the start.
        library = subprocess.run(
            ["gcc", "-print-file-name=libasan.so"], check=True, capture_output=True, text=True
        ).stdout.strip()
        os.environ |= {"LD_PRELOAD": library, "ASAN_OPTIONS": "detect_leaks=0"}
        os.execv(sys.executable, [sys.executable, *sys.argv])
    began, results = time.monotonic(), []
    with tempfile.TemporaryDirectory() as folder, ProcessPoolExecutor(os.cpu_count()) as pool:
        build(Path(folder) / "gcc.so", flags=SANITIZERS)
        build(Path(folder) / "clang.so", compiler="clang")
        jobs = [(name, how, steps, seed, folder) for name, how in named(seed, links).items()]
        for result in pool.map(live, jobs):
            results.append(result)
            said = result["wrong"] or "equal"
            print(f"{result['link']:16} {result['style']:8} {result['seconds']} s  {said}", flush=True)
    wrong = [result for result in results if result["wrong"]]
    minutes = round((time.monotonic() - began) / 60, 1)
    whole = {"steps_a_link": steps, "links": len(results), "seed": seed, "minutes": minutes}
    whole["runners"] = ["python", "c by gcc, with sanitizers", "c by clang", "micropython"]
    OUT.write_text(json.dumps(whole | {"equal": not wrong, "lives": results}, indent=1) + "\n", "utf-8")
    print(f"{len(results)} links, {steps} steps each, {len(wrong)} not equal")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
