"""Lives long random lives of every starter and of random links of every style, and of what stands beside a
machine (handsets, bridges, remotes and their receivers, readers): core in Python, in C by gcc with
sanitizers, in C by clang, and in MicroPython, all the same to the bit; and a tenth as long of every starter
in C on an emulated Cortex-M3. Writes benchmarks/traces.json.

    python tools/traces.py [STEPS [LINKS [SEED]]]
"""

import hashlib
import json
import os
import random
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tests"))

from everywhere import LIVES, MICROPYTHON, InC, InMicroPython, live  # noqa: E402
from lives_infrared import receiver_of  # noqa: E402
from random_links import random_link  # noqa: E402

import nuvrik  # noqa: E402
from nuvrik.export.elsewhere import MicroPythons  # noqa: E402
from nuvrik.export.native import Native, build  # noqa: E402
from nuvrik.export.on_arm import RunsOnArm, build_life  # noqa: E402
from nuvrik.export.program import MODULES, text_of  # noqa: E402
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


BESIDE = ("HandsetEnd", "Receiver", "Remote", "InfraredReader", "OnOffReader", "OnOffMaker", "Bridge")
"""What lives beside a machine: lives of many tables, a tenth as long together, for each step compares every
number in it, and not only what can be seen."""

CORTEX = "Cortex-M3"

TABLES = 20


def all_four(job: tuple[str, str, int, int, str]) -> dict[str, Any]:
    """All four on one link, or on one kind of what stands beside a machine."""
    name, how, steps, seed, folder = job
    began, natives = time.monotonic(), {one: Native(Path(folder) / f"{one}.so") for one in ("gcc", "clang")}
    found: dict[str, Any] = {"name": name, "how": how}
    if how == CORTEX:
        steps //= 10
        wrong = on_cortex(name, steps, seed)
    elif name in BESIDE:
        steps = steps if how else steps // 10
        wrong = beside(name, how, steps, seed, natives)
    else:
        link = link_of(name, how)
        found |= {"style": link.frame.style, "medium": link.medium.kind}
        life = Life(link, seed)
        pythons = MicroPythons(MICROPYTHON, life.link)
        places = {one: NativeLife(native, life) for one, native in natives.items()}
        wrong = in_all(places | {"micropython": pythons.machine()}, life, steps)
        pythons.close()
    seconds = round(time.monotonic() - began)
    said = {place: said for place, said in wrong.items() if said}
    return found | {"steps": steps, "seconds": seconds, "wrong": said}


def on_cortex(name: str, steps: int, seed: int) -> dict[str, str]:
    """A starter's life on an emulated Cortex-M3."""
    life = Life(link_of(name, ""), seed)
    with tempfile.TemporaryDirectory() as folder:
        place = RunsOnArm(build_life(life.link, Path(folder), stream=life.stream))
        return in_all({CORTEX: place}, life, steps)


def beside(name: str, how: str, steps: int, seed: int, natives: dict[str, Native]) -> dict[str, str]:
    """Lives of what stands beside a machine, in as many steps: of a starter, or of random tables."""
    rng, wrong = random.Random(f"{name} {seed}"), {}
    for at in range(1 if how else TABLES):
        table = receiver_of(nuvrik.parse(starter_text(how))) if how else LIVES[name][1](rng)
        with tempfile.TemporaryDirectory() as folder:
            python = InMicroPython(name, table, Path(folder))
            places = {one: InC(native, name, table) for one, native in natives.items()}
            one = random.Random(f"{seed} {at}")
            said = live(name, table, one, steps if how else steps // TABLES, places | {"micropython": python})
            python.close()
        wrong |= {place: f"table {at}, {words}" for place, words in said.items() if words}
    return wrong


def known(whole: dict[str, Any]) -> list[dict[str, Any]]:
    """What was lived before, by the same core for as long from the same seed: so a run may be broken off."""
    before = json.loads(OUT.read_text("utf-8"))
    alike = all(before.get(key) == whole[key] for key in ("steps_a_link", "seed", "core"))
    return [one for one in before["lives"] if not one["wrong"]] if alike else []


def main() -> int:
    steps, links, seed = (int(word) for word in (*sys.argv[1:], *("200000", "40", "1")[len(sys.argv) - 1 :]))
    if "LD_PRELOAD" not in os.environ:
        # What is built with a sanitizer can only be loaded into a process that has it from the start.
        library = subprocess.run(
            ["gcc", "-print-file-name=libasan.so"], check=True, capture_output=True, text=True
        ).stdout.strip()
        os.environ |= {"LD_PRELOAD": library, "ASAN_OPTIONS": "detect_leaks=0"}
        os.execv(sys.executable, [sys.executable, *sys.argv])
    # Not into what is started from here: compilers, and emulators.
    del os.environ["LD_PRELOAD"]
    texts = "".join(text_of(name) for name in MODULES)
    whole: dict[str, Any] = {"steps_a_link": steps, "seed": seed}
    whole |= {"core": hashlib.sha256(texts.encode()).hexdigest()[:12]}
    whole["runners"] = [
        "python",
        "c by gcc, with sanitizers",
        "c by clang",
        "micropython",
        "c on an emulated Cortex-M3",
    ]
    whole["lives"] = known(whole)
    starters = [name for name, how in named(seed, links).items() if not how]
    lived = [*((name, CORTEX) for name in starters), *named(seed, links).items()]
    lived += [("Receiver", "curtain"), *((name, "") for name in BESIDE)]
    done = {(one["name"], one["how"]) for one in whole["lives"]}
    with tempfile.TemporaryDirectory() as folder, ProcessPoolExecutor(os.cpu_count()) as pool:
        build(Path(folder) / "gcc.so", flags=SANITIZERS)
        build(Path(folder) / "clang.so", compiler="clang")
        jobs = [pool.submit(all_four, (*one, steps, seed, folder)) for one in lived if one not in done]
        for job in as_completed(jobs):
            one = job.result()
            whole["lives"].append(one)
            print(
                f"{one['name']:14} {one['how']:12} {one['seconds']} s  {one['wrong'] or 'equal'}", flush=True
            )
            OUT.write_text(json.dumps(whole, indent=1) + "\n", "utf-8")
    wrong = [one["name"] for one in whole["lives"] if one["wrong"]]
    print(f"{len(whole['lives'])} lives, {len(wrong)} not equal")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
