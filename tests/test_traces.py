"""Random lives of whole machines: the same to the bit in Python, in C by two compilers, and in MicroPython;
and the library's own quick ways held to core."""

import os
import random
import shutil
import sys
from pathlib import Path

import pytest
from links import THOROUGH
from random_links import random_link

import nuvrik
from nuvrik.core.frames.sealed import ACCEPTED, TOO_LONG
from nuvrik.core.machine.desk import REFUSED
from nuvrik.core.machine.telling import NOTHING_THERE
from nuvrik.export.fitted_c import life_shape
from nuvrik.export.native import Native, build, fitted_source
from nuvrik.export.on_arm import COMPILER, EMULATOR, RunsOnArm, build_life
from nuvrik.export.traces.driver import Life
from nuvrik.export.traces.runners import in_all, in_c, in_micropython
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.wire.events import REASONS
from nuvrik.wire.messages import STARTS
from nuvrik.wire.styles.train import in_bytes

SEED = int(os.environ["NUVRIK_SEED"])
"""Another one in each run (``conftest``), so that in time many lives are lived."""

STEPS = 3000 if THOROUGH else 600
IN_MICROPYTHON = 5000 if THOROUGH else 600
LINKS = 5 if THOROUGH else 1
SANITIZED = ("-fsanitize=address,undefined", "-fno-sanitize-recover=all", "-g")


STARTERS = {name: nuvrik.parse(starter_text(name)) for name in starter_names() if name != "curtain"}
STYLES = ("packed", "slip", "line", "columns", "keys", "train")
LIVED = list(STARTERS.items())
LIVED += [(f"{s}{n}", random_link(random.Random(SEED + n), style=s)) for n in range(LINKS) for s in STYLES]
ONCE_WRONG = (("packed", 9000), ("train", 9007))
"""Links of which C did not compile: a route that only requests have several terms of; names without use."""

NAMES = [name for name, _ in LIVED]


@pytest.fixture(scope="module")
def by_gcc(tmp_path_factory: pytest.TempPathFactory) -> Native:
    if not shutil.which("gcc"):
        pytest.skip("a C compiler: make toolchain")
    library = tmp_path_factory.mktemp("gcc") / "core.so"
    build(library)
    return Native(library)


@pytest.fixture(scope="module")
def by_clang(tmp_path_factory: pytest.TempPathFactory) -> Native:
    if not shutil.which("clang"):
        pytest.skip("clang: make toolchain")
    library = tmp_path_factory.mktemp("clang") / "core.so"
    build(library, compiler="clang")
    return Native(library)


@pytest.mark.parametrize("link", [link for _, link in LIVED], ids=NAMES)
def test_a_life_in_c_is_the_same(link: nuvrik.Link, by_gcc: Native) -> None:
    assert in_c(by_gcc, Life(link, SEED), STEPS) == "", SEED


@pytest.mark.slow
@pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain")
@pytest.mark.parametrize("at", range(len(STARTERS) + (8 if THOROUGH else 4)))
def test_so_is_one_with_no_more_in_it_than_the_link_uses(at: int, tmp_path: Path) -> None:
    """Every starter, and other links in each run: nothing that a link needs is left out, no room is too
    small, and what stands in the place of its tables is so."""
    others = random.Random(SEED).sample(LIVED[len(STARTERS) :], 6 if THOROUGH else 2)
    others += [(f"{style}{n}", random_link(random.Random(n), style=style)) for style, n in ONCE_WRONG]
    name, link = [*STARTERS.items(), *others][at]
    life, library = Life(link, SEED + 3), tmp_path / "core.so"
    shape = life_shape(link, stream=life.stream)
    build(library, fitted_source(shape))
    assert in_c(Native(library, shape), life, STEPS) == "", (name, SEED)


@pytest.mark.slow
@pytest.mark.parametrize("link", [link for _, link in LIVED], ids=NAMES)
def test_and_by_another_compiler(link: nuvrik.Link, by_clang: Native) -> None:
    assert in_c(by_clang, Life(link, SEED + 1), STEPS) == "", SEED


@pytest.mark.slow
@pytest.mark.parametrize("link", [link for _, link in LIVED], ids=NAMES)
def test_and_in_micropython(link: nuvrik.Link, tmp_path: Path) -> None:
    interpreter = shutil.which("micropython", path=str(Path(sys.executable).parent))
    if interpreter is None:
        pytest.skip("the MicroPython interpreter is not installed")
    assert in_micropython(interpreter, Life(link, SEED + 2), IN_MICROPYTHON, tmp_path) == "", SEED


@pytest.mark.slow
@pytest.mark.skipif(not all(map(shutil.which, (COMPILER, EMULATOR))), reason=f"{EMULATOR}: make toolchain")
@pytest.mark.parametrize("name", STARTERS)
def test_and_on_an_emulated_cortex_m3(name: str, tmp_path: Path) -> None:
    life = Life(STARTERS[name], SEED + 4)
    place = RunsOnArm(build_life(STARTERS[name], tmp_path, stream=life.stream))
    assert in_all({"Cortex-M3": place}, life, STEPS // 5) == {"Cortex-M3": ""}, SEED


@pytest.mark.parametrize("link", [link for _, link in LIVED], ids=NAMES)
def test_the_librarys_own_ways_are_held_to_core(link: nuvrik.Link) -> None:
    """The decoder that splits and the encoder that packs, with all that the ends do around them."""
    life = Life(link, SEED + 3)
    life.answers = (REFUSED,)
    reasons = {reason: TOO_LONG + place for place, reason in enumerate(REASONS)}
    items = list(link.telemetry)
    machine = nuvrik.Machine(link)
    for at, (step, back, here) in zip(range(STEPS), life, strict=False):
        word, given = step[0], step[1:]
        said: list[int] = []
        if word == "begin":
            boot, start = given[0] | given[1] << 16, STARTS[given[2]]
            machine = nuvrik.Machine(link, boot=boot, start=start)
        elif word in ("stream", "packet"):
            events = machine.feed(bytes(given[3]), given[0])
            said = [ACCEPTED if isinstance(one, nuvrik.Frame) else reasons[one.reason] for one in events]
        elif word == "skip":
            stops = machine.skip(bytes(given[1]), given[0])
            assert len(stops) == back.count(ACCEPTED)
            said = back
        elif word == "slots":
            events = machine.feed(in_bytes(given[1][:-1]), given[0])
            said = [ACCEPTED if isinstance(one, nuvrik.Frame) else reasons[one.reason] for one in events]
        elif word == "turn":
            machine.tick(given[0])
        elif word == "send":
            said = [*machine.send(given[0])]
        elif word == "reading":
            raw = None if given[2] == NOTHING_THERE else given[2]
            machine.sense(given[0], **{items[given[1]]: raw})
        elif word == "axes":
            machine.sense(given[0], **{items[given[1]]: tuple(given[2:])})
        elif word == "expire":
            machine.expire(given[0])
        elif word == "cap":
            said = [int(machine._end.cap(*given))]
        elif word == "own":
            machine.own_stop(given[0])
        elif word == "halt":
            machine.halt()
        watch = machine.core.watch
        assert said == back, (SEED, at, step)
        assert [watch.state, watch.why, watch.place, watch.number] == here[:4], (SEED, at, step)
        told = [(one.level, one.value, one.direction, one.driven, one.braked) for one in machine.demands]
        ours = [life._end.machine.outputs.told(place) for place in range(len(told))]
        core = [(one.at, one.value, one.way, one.driven, one.braked) for one in ours]
        assert told == core, (SEED, at, step)
