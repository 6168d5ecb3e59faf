"""What somebody who only listens makes of a link with a key, and what anybody may ask and do there."""

import random
from pathlib import Path

import pytest
from links import write
from links_with_key import authenticated, link_with_key
from typed import nuvrik_command

import nuvrik
from nuvrik.plan.layout import layout_tag
from nuvrik.plan.load import load_to_look
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import practice
from nuvrik.wire.events import Event, Frame, RefusedFrame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ALL_KINDS, COMMAND, HELLO, STOP, TELEMETRY
from nuvrik.wire.messages import Anybody, Query, Question, pack_hello
from nuvrik.wire.sealed import check_bytes, initial_of, sealed

LINK = authenticated(starter_text("marram"))


def session(link: nuvrik.Link, seed: int, until_ms: int = 2500) -> list[tuple[bool, bytes]]:
    """What goes over the air while somebody drives, and which way."""
    rng, script, air = random.Random(seed), practice(link, seed), list[tuple[bool, bytes]]()
    machine = nuvrik.Machine(link, stream=False, random=rng.randbytes)
    handset = nuvrik.Handset(link, stream=False, random=rng.randbytes)
    for now_ms in range(0, until_ms, 5):
        handset.read(now_ms, **script.at(now_ms))
        for there, wire in ((True, handset.send(now_ms)), (False, machine.send(now_ms))):
            if wire:
                air.append((there, wire))
                (machine if there else handset).feed(wire, now_ms)
        if now_ms % link.tick_ms == 0:
            machine.tick(now_ms)
    return air


def heard(link: nuvrik.Link, wires: list[bytes]) -> list[Event]:
    """What is made of them."""
    decoder = nuvrik.Decoder(link, ALL_KINDS)
    return [event for wire in wires for event in decoder.feed_datagram(wire)]


def test_who_hears_the_answer_checks_every_tag_and_tells_what_is_wrong() -> None:
    air = [wire for _, wire in session(LINK, 1)]
    events = heard(LINK, air)
    assert len(events) == len(air) > 100
    assert all(isinstance(event, Frame) and event.checked for event in events)
    kinds = {event.kind for event in events if isinstance(event, Frame)}
    assert {COMMAND, TELEMETRY, HELLO} <= kinds
    # The same command once more, and one in which a bit was changed behind a check that is right.
    commands = [e for e in events if isinstance(e, Frame) and e.kind == COMMAND]
    (event,) = heard(LINK, [*air, commands[-1].raw])[-1:]
    assert isinstance(event, RefusedFrame) and event.reason == "old"
    seal = Encoder(LINK)
    last = bytearray(air[-1])
    last[-8] ^= 1
    forged = bytes(last[:-2]) + check_bytes(bytes(last[:-2]), initial_of(last[0] & 15, seal.tag))
    (event,) = heard(LINK, [*air[:-1], forged])[-1:]
    assert isinstance(event, RefusedFrame) and event.reason == "forged"


def test_who_did_not_hear_the_answer_or_has_no_key_says_that_nothing_was_checked(tmp_path: Path) -> None:
    air = session(LINK, 2)
    only_there = heard(LINK, [wire for there, wire in air if there][5:])
    assert only_there and all(isinstance(e, Frame) and e.checked is False for e in only_there)
    path = tmp_path / "boat.toml"
    link_with_key(tmp_path, "marram").key  # noqa: B018
    path.write_text((tmp_path / "marram.toml").read_text(), "utf-8")
    (tmp_path / "own.key").unlink()
    with pytest.raises(nuvrik.LinkFileError, match="key_file"):
        nuvrik.load(path)
    without = load_to_look(path)
    events = heard(without, [wire for _, wire in air])
    assert all(isinstance(e, Frame) and e.checked is False for e in events)
    said = nuvrik_command("inspect", path, "--hex", air[-1][1].hex())
    assert "not checked" in said and "sound" not in said and "tag checked" not in said
    with pytest.raises(nuvrik.LinkFileError, match=r"link\.name"):
        load_to_look(write(tmp_path, "broken.toml", path.read_text().replace("[link]\nname", "[link]\nnome")))


def test_anybody_may_ask_who_is_there_now_and_then_and_that_changes_nothing() -> None:
    machine = nuvrik.Machine(LINK, stream=False)
    question = Encoder(LINK, stream=False).sealed(HELLO, 0, pack_hello(Query(0, 0)), anyone=True)
    answers = 0
    for now_ms in range(0, 2000, 10):
        (event,) = machine.feed(question, now_ms)
        assert isinstance(event, Frame) and isinstance(event.values, Anybody) and not event.proves(True)
        answer = machine.answer()
        answers += bool(answer)
        assert not answer or answer[0] & 15 == HELLO
    assert answers == 8 and not machine.counts and machine.send(2000) == b""


def test_a_stop_that_needs_no_key_stops_and_makes_nobody_the_other_end() -> None:
    text = starter_text("marram").replace("[failsafe]\n", "[failsafe]\nstop_without_key = true\n", 1)
    for link, stops in ((authenticated(text), True), (LINK, False)):
        machine = nuvrik.Machine(link, stream=False)
        plain = sealed(STOP, link.frame.pair, layout_tag(link), 0, b"")
        (event,) = machine.feed(plain, 10)
        assert (str(machine.state) == "STOPPED") is stops
        if stops:
            assert isinstance(event, Frame) and not event.proves(True)
        else:
            assert isinstance(event, RefusedFrame) and event.reason == "not_authenticated"


def test_a_question_is_not_a_sign_of_life() -> None:
    (question,) = [wire for there, wire in session(LINK, 3, 5) if there]
    machine = nuvrik.Machine(LINK, stream=False)
    (event,) = machine.feed(question, 0)
    assert isinstance(event, Frame) and isinstance(event.values, Question)
    assert str(machine.state) == "WAITING" and not machine.counts


def test_who_asks_last_drives_and_the_other_is_told_and_may_take_over_again() -> None:
    machine = nuvrik.Machine(LINK, stream=False)
    both = [nuvrik.Handset(LINK, stream=False) for _ in range(2)]
    arm = LINK.arm_control
    assert arm is not None
    rest = practice(LINK, 1).at(0)
    drove: list[int] = []

    def run(from_ms: int, until_ms: int, on: dict[int, tuple[int, int]]) -> None:
        """``on``: which handset presses its arm button, and from when to when."""
        for now_ms in range(from_ms, until_ms, 5):
            for which, handset in enumerate(both):
                if which not in on:
                    continue
                first, last = on[which]
                handset.read(now_ms, **rest | {arm: int(first <= now_ms < last)})
                wire = handset.send(now_ms)
                if any(
                    isinstance(e, Frame) and e.kind == COMMAND for e in machine.feed(wire, now_ms) if wire
                ):
                    drove.append(which)
            machine.tick(now_ms)
            answer = machine.send(now_ms)
            for handset in both if answer else ():
                handset.feed(answer, now_ms)

    run(0, 1500, {0: (800, 900)})
    assert str(machine.state) == "ARMED" and set(drove) == {0}
    drove.clear()
    run(1500, 4000, {0: (9999, 9999), 1: (2300, 2400)})
    assert drove[-20:] == [1] * 20 and str(machine.state) == "ARMED"
    assert "another handset has driven since" in both[0].why and not both[1].why
    drove.clear()
    run(4000, 6500, {0: (4500, 4600), 1: (9999, 9999)})
    assert drove[-20:] == [0] * 20 and "another handset has driven since" in both[1].why


def test_a_machine_of_another_file_is_asked_again_after_a_while() -> None:
    other = authenticated(starter_text("marram") + '\n[channels.spare]\nkind = "flag"\n')
    first, second = nuvrik.Machine(other, stream=False), nuvrik.Machine(LINK, stream=False)
    handset, refused = nuvrik.Handset(LINK, stream=False), set[str]()
    for now_ms in range(0, 4000, 5):
        machine = first if now_ms < 1500 else second
        wire = handset.send(now_ms)
        if wire:
            machine.feed(wire, now_ms)
        answer = machine.send(now_ms)
        for event in handset.feed(answer, now_ms) if answer else []:
            refused |= {event.reason} if isinstance(event, RefusedFrame) else set()
        assert not handset.met or now_ms >= 1500
    assert "wrong_layout" in refused and handset.met
