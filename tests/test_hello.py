"""Who is there, and was it built from this file as it is now?"""

import json
from pathlib import Path

import pytest
from links import many
from typed import nuvrik_command

import nuvrik
from nuvrik.plan.build_tags import BuildTags, tags_of
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plan.tables.ends import build_tags, end_table
from nuvrik.ports.hello import other_build

TUG = starter_text("tug")

PARTS = [
    ("timeout_ms = 400", "timeout_ms = 500", ["link"]),
    ('recover = "at_rest"', 'recover = "rearm"', ["link"]),
    ("channel = 76", "channel = 77", ["link"]),
    ("bitrate = 250000", "bitrate = 1000000", ["link"]),
    ("[medium]\n", "[medium]\naddress = 0x10000\n", ["link"]),
    ("start_duty = 0.18", "start_duty = 0.2", ["outputs"]),
    ("pins = { pwm = 5", "pins = { pwm = 3", ["outputs"]),
    ("ramp_ms = 250", "ramp_ms = 260", ["outputs"]),
    ("turn_weight = 0.6", "turn_weight = 0.7", ["outputs"]),
    # What only a handset runs, and what only people read.
    ("expo = 0.3", "expo = 0.4", []),
    ("dead_zone = 0.04", "dead_zone = 0.05", []),
    ('name = "marram"', 'name = "towboat"', []),
]


@pytest.mark.parametrize(("old", "new", "apart"), PARTS)
def test_a_build_tag_says_which_part_of_the_file_has_changed(old: str, new: str, apart: list[str]) -> None:
    if old not in TUG:
        pytest.fail(f"{old} is not in the starter")
    assert build_tags(nuvrik.parse(TUG)).apart(build_tags(nuvrik.parse(TUG.replace(old, new)))) == apart


def test_what_comes_back_has_a_tag_of_its_own() -> None:
    vent = starter_text("vent")
    told = build_tags(nuvrik.parse(vent)).apart(
        build_tags(nuvrik.parse(vent.replace("every_ms = 200", "every_ms = 300")))
    )
    assert told == ["backward"], "the layout tag is the same: every bit is read alike"


def test_a_receiver_is_built_from_its_controls_too() -> None:
    curtain = starter_text("curtain")
    other = build_tags(nuvrik.parse(curtain.replace("code = 0x10", "code = 0x20")))
    assert build_tags(nuvrik.parse(curtain)).apart(other) == ["link"]


@pytest.mark.parametrize("name", starter_names())
def test_a_machine_is_what_its_file_says_whatever_it_is_tried_on(name: str) -> None:
    link = nuvrik.parse(starter_text(name))
    assert end_table(link, stream=True).who.build == end_table(link, stream=False).who.build
    table = end_table(link, stream=not link.medium.datagrams)
    assert tags_of(table) == BuildTags(*table.who.build)


def test_hello_names_the_part_that_was_edited_and_not_flashed(tmp_path: Path) -> None:
    """Two files that read every bit alike, and stop after other times."""
    file, older = tmp_path / "panel.toml", nuvrik.parse(starter_text("panel"))
    edited = starter_text("panel").replace("timeout_ms = 500", "timeout_ms = 1500")
    assert edited != starter_text("panel")
    handset, machine = (
        nuvrik.Handset(nuvrik.parse(edited), session=3),
        nuvrik.Machine(older, start="its watchdog"),
    )
    handset.greet()
    for now in range(0, 1000, 10):
        machine.feed(handset.send(now), now)
        while back := machine.send(now):
            handset.feed(back, now)
    assert handset.identity is not None and handset.known and handset.identity.start == "its watchdog"
    said = other_build(handset.identity, nuvrik.parse(edited))
    assert said == "from another [link] (frame, medium, timing, failsafe): export and flash it again"
    assert other_build(handset.identity, older) == ""
    file.write_text(starter_text("panel"), "utf-8")
    record = json.loads(nuvrik_command("hello", file, "--port", "sim", "--json"))
    assert record["this_file"] and record["apart"] == [] and record["name"] == "panel"


def test_any_name_comes_whole_or_cut_between_characters() -> None:
    for at in range(many(40)):
        name = ("märz-éèà-" * 4)[at % 9 : at % 9 + at % 20] or "x"
        text = starter_text("panel").replace('name = "panel"', f'name = "{name}"')
        table = end_table(nuvrik.parse(text), stream=True)
        told = bytes(table.who.name).decode("utf-8")
        assert name.startswith(told) and (told == name or len(told.encode()) > 11)
        assert table.who.name_first <= 4 and len(table.who.name) - table.who.name_first <= 10


@pytest.mark.parametrize("restarts", ["handset", "machine"])
@pytest.mark.parametrize("at", range(0, 40, 2))
def test_whoever_starts_anew_between_two_messages_nothing_is_said_to_be_done_that_was_not(
    restarts: str, at: int
) -> None:
    """Each start has a number of its own: an answer to somebody's older request is no answer to a new one."""
    link = nuvrik.parse(starter_text("panel"))
    done: list[int] = []

    def made(boot: int) -> nuvrik.Machine:
        machine = nuvrik.Machine(link, boot=boot)
        machine.on_request("beep", lambda times: done.append(times) or len(done))
        return machine

    machine, handset = made(1), nuvrik.Handset(link, session=1)
    asked = handset.request("beep", times=1)
    again = None
    for step in range(400):
        now = 20 * step
        if step == at and restarts == "handset":
            handset, asked = nuvrik.Handset(link, session=2), None
        elif step == at:
            machine = made(2)
        if step == at + 60:
            # What it asked before has settled by now, one way or the other.
            again, before = handset.request("beep", times=3), list(done)
        handset.read(now)
        for end, other in ((handset, machine), (machine, handset)):
            if wire := end.send(now):
                other.feed(wire, now)
        machine.tick(now)
    # To a machine that has started anew it is a stranger's, and then it says that nobody knows.
    assert again is not None and again.state in ("done", "unknown")
    assert (again.state == "done" or restarts == "machine") and done == before + [3] * (again.state == "done")
    assert before in ([], [1]) if asked is None or asked.state != "done" else before == [1]
