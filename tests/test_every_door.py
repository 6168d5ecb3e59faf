"""Every door is the same door: what is promised of a link holds from whichever side it is moved.

(a) What nobody touched stays where it is, from the first frame to leaving. (b) A stop stops within the bound.
(c) What was asked while it could not be done is refused, and never done later. (d) A door that dies, hangs,
or is lost and comes back starts nothing. (e) Controls set by name give the library's own frames."""

import os
import random
import shutil
from functools import partial
from pathlib import Path

import pytest
from doors import ARMED, DOORS, STOPPED, Pad, Seen, Story, told
from exported_handsets import by_the_library, in_c, in_micropython, read_controls, readings
from python_chips import needs_micropython
from random_links import random_link

import nuvrik
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.ports.jog import jog_once
from nuvrik.ports.sim import SimLine

STARTERS = {name: nuvrik.parse(starter_text(name), f"{name}.toml") for name in starter_names()}
DRIVEN = {
    name: link
    for name, link in STARTERS.items()
    # A remote control sends codes, and a program alone has no controls: neither has hands of this kind.
    if not isinstance(link.medium, InfraredMedium) and link.arm_control is not None
}


@pytest.mark.parametrize("door", DOORS)
@pytest.mark.parametrize("name", DRIVEN)
def test_a_hand_at_any_door(name: str, door: str) -> None:
    story = Story(DRIVEN[name])
    turning = [name for name, output in story.link.outputs.items() if output.turns]
    refused: list[bool] = []

    def impatient(now_ms: int, handset: nuvrik.Handset, line: SimLine, player: object) -> None:
        # (c) Before anything is armed. What came of it later would be something untouched that moves.
        if turning and now_ms < story.arms - 200 and now_ms % 50 < 2:
            refused.append(not handset.jog(turning[0], 0.4, 300))

    seen: Seen = told(story, door, impatient)
    assert all(refused) and bool(refused) == bool(turning)
    assert seen.reached(ARMED) and seen.reached(STOPPED)
    assert seen.untouched() == ""
    if story.sticks:
        assert seen.drove(story.pushes, story.stops) and seen.drove(story.pushes_again, story.ends + 50)
    assert seen.stopped(story.stops) == ""
    assert seen.at_rest() == ""


@pytest.mark.parametrize("how", ["hangs", "is lost and comes back"])
@pytest.mark.parametrize("door", DOORS)
@pytest.mark.parametrize("name", [name for name in DRIVEN if Story(DRIVEN[name]).sticks])
def test_a_door_that_is_gone_for_a_while_starts_nothing(name: str, door: str, how: str) -> None:
    """(d) Its sticks are pushed when it is back, and arm is still on."""
    story = Story(DRIVEN[name])
    timeout_ms = story.link.failsafe.timeout_ms
    story.ends += 3 * timeout_ms + 2000
    gone = story.pushes_again + 300
    back = gone + timeout_ms // 2

    def act(now_ms: int, handset: nuvrik.Handset, line: SimLine, player: object) -> None:
        if how == "hangs":
            if gone <= now_ms < gone + 3:
                line.sleep((timeout_ms + 700) / 1000)
            return
        for source in getattr(player, "sources", []):
            if isinstance(source, Pad):
                source.there = not gone <= now_ms < back

    seen = told(story, door, act)
    assert seen.drove(story.pushes_again, gone)
    if how == "hangs" or door in ("pad", "second source"):
        settled = gone + 3 * timeout_ms + 1000
        assert seen.quiet(settled), "it drove on, though its sticks had not been let go of"


@pytest.mark.parametrize("name", DRIVEN)
def test_a_jog_moves_one_output_and_leaves_the_rest(name: str) -> None:
    """(a) and (d) for jog: it arms, moves what turns, disarms; nothing else is touched, nothing goes on."""
    story = Story(DRIVEN[name])
    turning = [name for name, output in story.link.outputs.items() if output.turns]
    for output in turning[:2]:
        line, seen = SimLine(story.link), Seen(story)
        story.pushes = 0
        look = partial(_look, seen, line)
        jog_once(story.link, line, line, output, 0.4, 300, look=look)
        _look(seen, line, line.now_ms())
        moved = {at for _, _, demands in seen.rows for at, demand in enumerate(demands) if demand.level}
        assert moved == {list(story.link.outputs).index(output)}
        assert seen.untouched() == "" and seen.at_rest() == ""


def _look(seen: Seen, line: SimLine, now_ms: int, handset: object = None) -> None:
    seen.look(now_ms, line.machine)


# ---- exported handsets, against the library's ------------------------------------------------

SEED = int(os.environ["NUVRIK_SEED"])
NIGHTLY = bool(os.environ.get("NUVRIK_NIGHTLY"))
LINKS, READINGS = (40, 10_000) if NIGHTLY else (5, 500)


def links_with_hands() -> dict[str, nuvrik.Link]:
    """Every starter whose handset can be exported and has controls to read, and links at random. (The keys of
    a remote control leave as codes: see test_chip_edges. A link that only programs drive has nothing to
    read.)"""
    links = {n: one for n, one in STARTERS.items() if read_controls(one)}
    rng, wanted = random.Random(SEED), len(links) + LINKS
    while len(links) < wanted:
        link = random_link(rng, hands=True, medium="serial")
        # With a delay guard it says nothing until it has heard something, and here nobody answers.
        if link.failsafe.delay_guard_ms is None:
            links[f"random {len(links)}"] = link
    return {n: one for n, one in links.items() if not isinstance(one.medium, InfraredMedium)}


HANDED = links_with_hands()


@pytest.mark.slow
@pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain")
@pytest.mark.parametrize("name", HANDED)
def test_a_handset_exported_in_c_sends_what_the_librarys_does(name: str, tmp_path: Path) -> None:
    link, rows = HANDED[name], list(readings(HANDED[name], READINGS, SEED))
    reads, sent = in_c(link, rows, tmp_path)
    ours = by_the_library(link, rows, reads, list(range(1, reads[-1] + 1)))
    assert len(reads) > READINGS and len(sent) > 2
    assert [(at, a, b) for at, (a, b) in enumerate(zip(sent, ours, strict=False)) if a != b] == []
    assert abs(len(sent) - len(ours)) <= 1


@pytest.mark.slow
@needs_micropython
@pytest.mark.parametrize("name", HANDED)
def test_a_handset_exported_to_micropython_sends_what_the_librarys_does(name: str, tmp_path: Path) -> None:
    link, rows = HANDED[name], list(readings(HANDED[name], READINGS, SEED))
    reads, turns, sent = in_micropython(link, rows, tmp_path)
    # The last two may be under way as the interpreter is ended, which takes its leave behind them.
    ours = by_the_library(link, rows, reads, turns)[:-2]
    assert ours
    assert sent.startswith(b"".join(ours))
