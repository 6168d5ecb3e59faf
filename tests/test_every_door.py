"""Every door is the same door: what is promised of a link holds from whichever side it is moved.

(a) What nobody touched stays where it is, from the first frame to leaving. (b) A stop stops within the bound.
(c) What was asked while it could not be done is refused, and never done later. (d) A door that dies, hangs,
or is lost and comes back starts nothing. (e) Controls set by name give the library's own frames."""

import os
import random
import shutil
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
from browser import until
from doors import DOORS, Pad, Seen, Story, Watched, told
from exported_handsets import by_the_library, in_c, in_micropython, read_controls, readings
from links import write
from links_with_key import authenticated, link_with_key
from on_air import by_radio
from python_chips import needs_micropython
from random_links import random_link
from test_keys_of_a_terminal import KEYED
from typed import nuvrik_command

import nuvrik
from nuvrik.core.machine.states import ARMED, STOPPED
from nuvrik.plan.controls import ButtonControl
from nuvrik.plan.form.media import InfraredMedium, RadioMedium
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.ports.jog import jog_once
from nuvrik.ports.own_code import OwnCode
from nuvrik.ports.sim import SimLine

SEED = int(os.environ["NUVRIK_SEED"])
NIGHTLY = bool(os.environ.get("NUVRIK_NIGHTLY"))
LINKS, READINGS = (40, 10_000) if NIGHTLY else (5, 500)

STARTERS = {name: nuvrik.parse(starter_text(name), f"{name}.toml") for name in starter_names()}
DRIVEN = {
    name: link
    for name, link in STARTERS.items()
    # A remote control sends codes, and a program alone has no controls: neither has hands of this kind.
    if not isinstance(link.medium, InfraredMedium) and link.arm_control is not None
}


READ_DOORS = [door for door in DOORS if door not in ("keys", "bridge", "radio")]
ROWS = [(name, door) for name in DRIVEN for door in READ_DOORS]
# A bridge is for what travels in packets, and keys move what has keys.
ROWS += [(name, "bridge") for name, link in DRIVEN.items() if isinstance(link.medium, RadioMedium)]
# A radio chip carries whatever is sealed.
ON_AIR = {
    f"{name} on air": nuvrik.parse(by_radio(starter_text(name)))
    for name, link in DRIVEN.items()
    if link.frame.sealed
}
ROWS += [(name, "radio") for name in ON_AIR]
# With a key everything is as it was, but for who is obeyed.
HAVE_KEYS = ("crane", "marram", "rover", "tug")
WITH_KEY = {f"{name} with a key": authenticated(starter_text(name)) for name in HAVE_KEYS}
ROWS += [(name, door) for name in WITH_KEY for door in READ_DOORS]
DRIVEN["keyed"] = nuvrik.parse(KEYED)
ROWS.append(("keyed", "keys"))


def at_the_door(story: Story, door: str) -> Seen:
    """The story at a door, and somebody impatient, who jogs before anything is armed."""
    turning = [name for name, output in story.link.outputs.items() if output.turns]
    refused: list[bool] = []

    def impatient(now_ms: int, handset: nuvrik.Handset, line: SimLine, player: object) -> None:
        # (c) What came of it later would be something untouched that moves.
        if turning and now_ms < story.arms - 200 and now_ms % 50 < 2:
            refused.append(not handset.jog(turning[0], 0.4, 300))

    seen = told(story, door, impatient)
    assert all(refused) and bool(refused) == bool(turning)
    assert seen.untouched() == "" and seen.stopped(story.stops) == "" and seen.at_rest() == ""
    return seen


@pytest.mark.parametrize(("name", "door"), ROWS)
def test_a_hand_at_any_door(name: str, door: str) -> None:
    story = Story((DRIVEN | ON_AIR | WITH_KEY)[name])
    seen = at_the_door(story, door)
    assert seen.reached(ARMED) and seen.reached(STOPPED)
    if story.sticks or door == "keys":
        assert seen.drove(story.pushes, story.stops) and seen.drove(story.pushes_again, story.ends + 50)


@pytest.mark.parametrize("at", range(6))
def test_a_hand_at_any_door_of_any_link(at: int) -> None:
    """What must never be is so for links at random too, at each door in turn."""
    rng = random.Random(f"{SEED} {at}")
    while True:
        link = random_link(rng, hands=True)
        fits = link.arm_control is not None and link.frame.sealed and link.failsafe.delay_guard_ms is None
        if fits and isinstance(link.controls[link.arm_control or ""], ButtonControl):
            break
    for door in READ_DOORS:
        at_the_door(Story(link), door)


# ---- doors that open their port themselves ---------------------------------------------------

OPENED = ["crane", "marram", "tug"]
BEHIND_DOORS = [*OPENED, "marram with a key"]
BEHIND = STARTERS | {"marram with a key": authenticated(starter_text("marram"))}


def written(name: str, folder: Path) -> Path:
    """The file of one of them, and its key beside it."""
    if name in STARTERS:
        return write(folder, f"{name}.toml", starter_text(name))
    link_with_key(folder, "marram")
    return folder / "marram.toml"


@pytest.fixture
def opened(monkeypatch: pytest.MonkeyPatch) -> Callable[[str], Watched]:
    """What stands behind the port sim for whoever opens it next."""

    def behind(name: str) -> Watched:
        line = Watched(BEHIND[name], Seen(Story(BEHIND[name])))
        for where in ("nuvrik.ports.connection", "nuvrik.cli.inputs.lines"):
            monkeypatch.setattr(f"{where}.open_port", lambda *_, **__: line)
        return line

    return behind


def turning_channel(name: str) -> str:
    """A channel that makes something turn by itself."""
    return {"crane": "base"}.get(name, "throttle")


@pytest.mark.live
@pytest.mark.parametrize("name", BEHIND_DOORS)
def test_a_program_that_connects(name: str, opened: Callable[[str], Watched]) -> None:
    line = opened(name)
    line.seen.story.pushes = 10**9
    with nuvrik.connect(BEHIND[name], "sim") as machine:
        # (c) Nothing is armed: nothing is kept for when it is.
        with pytest.raises(ValueError, match=r"-1|cannot|must"):
            machine.set(**{turning_channel(name): 7})
        machine.arm()
        until(lambda: line.machine.state is ARMED)
        assert line.seen.untouched() == ""
        line.seen.story.pushes = 0
        machine.set(**{turning_channel(name): 0.8})
        until(lambda: line.seen.turns(line.machine.demands))
        machine.stop()
        pressed = line.now_ms()
        until(lambda: line.now_ms() > pressed + 1500)
        line.seen.story.again = line.now_ms()
        assert line.seen.reached(STOPPED) and line.machine.state is not ARMED
        assert line.seen.stopped(pressed) == ""
        line.seen.story.again = 10**9
        machine.set(**{turning_channel(name): 0})
        machine.arm()
        until(lambda: line.machine.state is ARMED)
    line.sleep(2)
    assert line.seen.untouched() == "" and line.seen.at_rest() == ""


@pytest.mark.live
@pytest.mark.parametrize("name", BEHIND_DOORS)
def test_a_question_from_the_command_line(
    name: str, opened: Callable[[str], Watched], tmp_path: Path
) -> None:
    line, file = opened(name), written(name, tmp_path)
    line.seen.story.pushes = 0
    said = nuvrik_command("ask", file, f"{turning_channel(name)}=0.6", "--for-s", 0.6, "--port", "sim")
    assert "disarmed" in said and line.seen.drove(0, line.now_ms())
    line.sleep(2)
    assert line.seen.untouched() == "" and line.seen.at_rest() == ""


@pytest.mark.parametrize("name", OPENED)
def test_own_code_that_fails_stops_it_until_it_is_armed_again(name: str) -> None:
    """`machine --code`: (b) and (d) for the functions that drive the outputs."""
    story = Story(STARTERS[name])
    link, machine, handset = story.link, nuvrik.Machine(story.link), nuvrik.Handset(story.link)
    told_last: dict[str, int] = {}
    fails_ms = story.pushes + 300
    now = 0

    def output(at: str) -> Callable[[Demand], None]:
        def drive(demand: Demand) -> None:
            if fails_ms <= now < fails_ms + 30 and link.outputs[at].turns:
                raise OSError("the motor board does not answer")
            told_last[at] = demand.level

        return drive

    def fail_once() -> int | None:
        if fails_ms <= now < fails_ms + 30:
            raise OSError("the sensor does not answer")
        return None

    sensors = {n: fail_once for n, item in link.telemetry.items() if item.kind == "volts"}
    code = OwnCode(link, {n: output(n) for n in link.outputs}, sensors, {})
    code.prepare(machine)
    seen = Seen(story)
    story.stops = story.ends = 10**9
    for now in range(0, story.again + 1500, 2):
        handset.read(now, **story.row(now))
        if wire := handset.send(now):
            machine.feed(wire, now)
        if now % link.tick_ms == 0:
            machine.tick(now)
            code.watch(now, machine)
            seen.look(now, machine)
        while answer := machine.send(now):
            handset.feed(answer, now)
        if fails_ms + 200 <= now < story.again and (sensors or machine.state is STOPPED):
            turning = [at for at, one in link.outputs.items() if one.turns]
            assert machine.state is STOPPED and not any(told_last[at] for at in turning)
    assert seen.drove(story.pushes, fails_ms)


@pytest.mark.parametrize("how", ["hangs", "is lost and comes back"])
@pytest.mark.parametrize("door", READ_DOORS)
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
