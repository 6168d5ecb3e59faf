"""Requests: at most once whatever happens on the way, exactly once when the answer came, and safely ended."""

import random
import re
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many

import nuvrik
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.wire.kinds import HELLO, REQUEST

pytestmark = pytest.mark.slow

PANEL = nuvrik.parse(starter_text("panel"))
COUNTED = nuvrik.parse(
    starter_text("panel").replace("{ times = {", '{ who = { kind = "count", bits = 16 }, times = {')
)

ACTIONS = st.sampled_from(
    ["send"] * 8
    + ["answer"] * 8
    + ["deliver"] * 10
    + ["lose"] * 2
    + ["twice"] * 2
    + ["late"] * 3
    + ["ask"] * 2
    + ["replay"] * 6
    + ["wait", "reset machine", "reset handset"]
)


@settings(max_examples=many(250))
@given(st.lists(ACTIONS, min_size=30, max_size=250), st.integers(0, 10**6))
def test_at_most_once_and_exactly_once_when_an_answer_came(script: list[str], seed: int) -> None:
    """Any interleaving of loss, repetition, reordering and resets at both ends. What is on the way is kept in
    two bags, from which anything may be taken at any time; and whatever asked for anything before may come
    again, after a silence that makes the receiver forget the last sequence number."""
    rng, now = random.Random(seed), 0
    done: Counter[int] = Counter()
    asked: dict[int, nuvrik.Asked] = {}
    there: list[bytes] = []
    history: list[bytes] = []
    bystander = nuvrik.Decoder(COUNTED)
    back: list[bytes] = []

    def beep(who: int, times: int) -> int:
        done[who] += 1
        return 1000 + who

    def new_machine() -> nuvrik.Machine:
        machine = nuvrik.Machine(COUNTED, boot=rng.getrandbits(32))
        machine.on_request("beep", beep)
        return machine

    def new_handset() -> nuvrik.Handset:
        return nuvrik.Handset(COUNTED, session=rng.getrandbits(16))

    machine, handset = new_machine(), new_handset()
    script = ["ask", *script, *["send", "deliver", "answer", "deliver back"] * 60]
    for action in script:
        now += rng.choice((5, 20, 60))
        if action == "send":
            wire = handset.send(now)
            there += [wire] if wire else []
            bystander.forget()
            heard = bystander.feed(wire)
            history += [wire for event in heard if event.kind in (REQUEST, HELLO)]
        elif action == "answer":
            back += filter(None, [machine.send(now)])
        elif action == "ask":
            who = len(asked)
            asked[who] = handset.request("beep", who=who, times=1)
        elif action == "reset machine":
            machine = new_machine()
        elif action == "reset handset":
            handset = new_handset()
        elif action == "wait":
            now += 5000
        elif action == "replay" and history:
            now += 600
            for wire in rng.choices(history, k=3):
                machine.feed(wire, now)
                machine._decoder.forget()
        elif action in ("deliver", "deliver back", "twice", "late", "lose"):
            for bag, take in ((there, machine.feed), (back, handset.feed)):
                if not bag:
                    continue
                place = 0 if action != "late" else rng.randrange(len(bag))
                frame = bag[place] if action == "twice" else bag.pop(place)
                if action != "lose":
                    take(frame, now)
        del there[:-40], back[:-40]
    assert all(times == 1 for times in done.values()), "never twice"
    for who, request in asked.items():
        if request.state == "done":
            assert done[who] == 1 and request.value == 1000 + who
        if request.state in ("refused", "not armed", "failed", "busy"):
            assert done[who] == 0


def begin(handset: nuvrik.Handset) -> None:
    """Let it send commands, all at rest."""
    for name in COUNTED.channels:
        if name != COUNTED.arm_channel:
            handset.put(0, name, 0)


def test_on_a_good_line_everything_asked_is_done_in_order() -> None:
    machine, handset, order = nuvrik.Machine(COUNTED, boot=7), nuvrik.Handset(COUNTED, session=1), []
    machine.on_request("beep", lambda who, times: order.append(who))
    asked = [handset.request("beep", who=who, times=1) for who in range(20)]
    begin(handset)
    for now in range(0, 20_000, 10):
        machine.feed(handset.send(now), now)
        handset.feed(machine.send(now), now)
    assert order == list(range(20)) and {request.state for request in asked} == {"done"}
    assert all(request.tries == 1 for request in asked)
    # The handset starts anew, in a session of its own, and is served as well.
    handset = nuvrik.Handset(COUNTED, session=2)
    again = handset.request("beep", who=99, times=1)
    begin(handset)
    for now in range(21_000, 23_000, 10):
        machine.feed(handset.send(now), now)
        handset.feed(machine.send(now), now)
    assert again.state == "done" and order[-1] == 99


def test_a_machine_that_restarts_in_mid_request_never_does_it_again() -> None:
    handset, done = nuvrik.Handset(COUNTED, session=1), []
    machine = nuvrik.Machine(COUNTED, boot=100)
    machine.on_request("beep", lambda who, times: done.append(who))
    request = handset.request("beep", who=3, times=1)
    for now in range(0, 4000, 10):
        machine.feed(handset.send(now), now)
        answer = machine.send(now)
        if done and machine._desk.boot == 100:
            machine = nuvrik.Machine(COUNTED, boot=200)  # its answer is lost with it
            machine.on_request("beep", lambda who, times: done.append(who))
            continue
        handset.feed(answer, now)
    assert done == [3] and request.state == "unknown" and "unknown whether it was done" in request.why


def test_nobody_there_is_a_clear_failure() -> None:
    handset, machine = nuvrik.Handset(COUNTED, session=1), nuvrik.Machine(COUNTED, boot=3)
    never = handset.request("beep", who=1, times=1)
    for now in range(0, 6000, 10):
        handset.send(now)
    assert never.state == "failed" and "never sent" in never.why
    handset.greet()
    for now in range(6000, 8000, 10):
        machine.feed(handset.send(now), now)
        handset.feed(machine.send(now), now)
    lost = handset.request("beep", who=2, times=1)
    for now in range(8000, 16_000, 10):
        handset.send(now)
    assert lost.state == "unknown" and lost.tries > 3, "asked again, with pauses that grow"
    assert handset.identity is None or handset.identity.name == "panel"


class Board:
    """A panel and its board, a millisecond loop between them."""

    def __init__(self) -> None:
        self.machine, self.handset, self.now = (
            nuvrik.Machine(PANEL, boot=9),
            nuvrik.Handset(PANEL, session=4),
            0,
        )
        for name in ("lamp", "fan", "flap", "turntable"):
            self.handset.put(0, name, 0)
        self.handset.put_arm(False)
        self.steps = 0.0

    def run(self, ms: int, until=lambda: False) -> None:
        for _ in range(0, ms, 5):
            self.now += 5
            self.machine.feed(self.handset.send(self.now), self.now)
            if self.now % PANEL.link.tick_ms == 0:
                self.steps += self.machine.demands[3].signed * PANEL.link.tick_ms / 1000
                self.machine.tick(self.now)
            self.handset.feed(self.machine.send(self.now), self.now)
            if until():
                return

    def armed(self) -> "Board":
        self.run(1500)
        self.handset.put_arm(True)
        self.run(1500)
        assert self.machine.state == "ARMED"
        return self


@settings(max_examples=many(40))
@given(st.integers(-2000, 2000))
def test_a_stepper_turns_exactly_as_many_steps_as_it_was_asked(steps: int) -> None:
    board = Board().armed()
    request = board.handset.request("move", steps=steps)
    board.run(12_000, until=lambda: request.settled)
    board.run(500)
    assert request.state == "done" and request.value == steps
    assert abs(board.steps - steps) < 0.5 and board.machine.safe
    home = board.handset.request("home")
    board.run(12_000, until=lambda: home.settled)
    board.run(500)
    assert home.state == "done" and abs(board.steps) < 0.5


@pytest.mark.parametrize("how", ["disarm", "silence", "stop", "hand"])
def test_a_motion_ends_on_leaving_armed_and_when_a_hand_takes_over(how: str) -> None:
    board = Board().armed()
    request = board.handset.request("move", steps=5000)
    board.run(1500)
    assert request.state == "running" and not board.machine.safe
    if how == "disarm":
        board.handset.put_arm(False)
    elif how == "hand":
        board.handset.put(board.now, "turntable", -8000 / FULL)
    elif how == "stop":
        board.machine.feed(nuvrik.Encoder(PANEL).on_wire(nuvrik.Encoder(PANEL).stop(0)), board.now)
        assert board.machine.tick(board.now) and board.machine.safe
    else:
        board.now += 600
        board.machine.tick(board.now)
    board.run(3000)
    assert request.state == "ended"
    assert how == "hand" or board.machine.safe


def test_requests_that_move_need_armed_and_one_motion_goes_on_at_a_time() -> None:
    board = Board()
    board.run(1500)
    early = board.handset.request("move", steps=10)
    board.run(800)
    assert early.state == "not armed"
    board.armed()
    board.machine.on_request("routine", lambda number: iter(()))
    closed = []

    def routine(number: int):
        try:
            for _ in range(number * 5):
                yield {"fan": 0.5, "flap": -0.5}
            return number
        finally:
            closed.append(number)

    board.machine.on_request("routine", routine)
    first, second = board.handset.request("routine", number=4), board.handset.request("move", steps=3)
    board.run(200)
    assert board.machine.demands[1].level > 0, "the fan turns"
    board.run(4000)
    assert (first.state, first.value, second.state) == ("done", 4, "done") and closed == [4]
    # A second handset's frame in mid-motion would be a new session; in one session they queue.
    board.machine.on_request("routine", lambda number: 1 / 0)
    board.machine.on_request("beep", refuse)
    broken, refused = board.handset.request("routine", number=1), board.handset.request("beep", times=1)
    board.run(1000)
    assert broken.state == "failed" and refused.state == "refused" and board.machine.state == "ARMED"
    with pytest.raises(ValueError, match="times is 16"):
        board.handset.request("beep", times=16)
    with pytest.raises(TypeError, match="takes times"):
        board.handset.request("beep")
    with pytest.raises(KeyError, match="no request"):
        board.handset.request("bark")
    with pytest.raises(KeyError, match="routine, beep"):
        board.machine.on_request("move", refuse)


def refuse(times: int) -> int:
    raise nuvrik.RequestRefused("not today")


# ---- a button that starts one --------------------------------------------------------------

BEEPING = starter_text("panel").replace(
    "[requests.beep]\n",
    '[controls.bell]\nkind = "button"\n\n[requests.beep]\nwhen = "bell"\nwhen_args = { times = 3 }\n',
)


@settings(max_examples=many(30))
@given(st.lists(st.tuples(st.booleans(), st.integers(40, 400)), min_size=1, max_size=12))
def test_a_button_starts_a_request_once_a_press_however_long_it_is_held(
    holds: list[tuple[bool, int]],
) -> None:
    """On a good line each press is carried out once, unless one is still under way; on none twice."""
    link = nuvrik.parse(BEEPING)
    handset, machine = (
        nuvrik.Handset(link, stream=False, session=5),
        nuvrik.Machine(link, stream=False, boot=7),
    )
    beeps: list[int] = []
    machine.on_request("beep", lambda times: beeps.append(times) or times)
    now_ms, down, presses = 0, False, 0
    for pressed, for_ms in [(False, 100), *holds, (False, 1000)]:
        presses += pressed and not down
        down = pressed
        for _ in range(for_ms // 10):
            now_ms += 10
            handset.read(now_ms, bell=int(pressed))
            machine.feed(handset.send(now_ms), now_ms)
            machine.tick(now_ms)
            handset.feed(machine.send(now_ms), now_ms)
    assert set(beeps) <= {3} and min(presses, 1) <= len(beeps) <= presses
    if presses:
        assert handset.asked_last is not None and handset.asked_last.state == "done"


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('when = "bell"', 'when = "bel"', 'did you mean "bell"'),
        ('when = "bell"\n', "", "is given without when"),
        ("{ times = 3 }", "{}", "has no times, which the request wants"),
        ("{ times = 3 }", "{ times = 99 }", "not from 0 to 15"),
        ("{ times = 3 }", "{ times = 3, loud = 1 }", "which the request does not take"),
    ],
)
def test_what_a_button_starts_is_checked(old: str, new: str, words: str) -> None:
    with pytest.raises(nuvrik.LinkFileError, match=re.escape(words)):
        nuvrik.parse(BEEPING.replace(old, new, 1))


# ---- how fast ------------------------------------------------------------------------------

SLOWLY = starter_text("panel").replace(
    '[requests.move]\nkind = "steps"\n', '[requests.move]\nkind = "steps"\nspeed = true\n'
)


@settings(max_examples=many(20))
@given(st.integers(-400, 400), st.integers(0, 127))
def test_a_move_may_be_told_how_fast_and_still_lands_exactly(steps: int, speed: int) -> None:
    """At most so many per cent of the rate; 0, and more than 100, are as fast as it can."""
    link = nuvrik.parse(SLOWLY)
    handset, machine = (
        nuvrik.Handset(link, stream=False, session=5),
        nuvrik.Machine(link, stream=False, boot=7),
    )
    place = list(link.outputs).index("turntable")
    for name in set(link.channels) - {link.arm_channel}:
        handset.put(0, name, 0)
    handset.put_arm(False)
    asked, fastest, now_ms = None, 0, 0
    while now_ms < 60_000 and (asked is None or not asked.settled):
        now_ms += 20
        if now_ms == 1000:
            handset.put_arm(True)
        if now_ms == 1500:
            asked = handset.request("move", steps=steps, speed=speed)
        machine.feed(handset.send(now_ms), now_ms)
        fastest = max(fastest, abs(machine.tick(now_ms)[place].signed))
        handset.feed(machine.send(now_ms), now_ms)
    rate = link.outputs["turntable"].rate_max
    most = rate if speed == 0 or speed > 100 else rate * speed / 100
    assert asked is not None and asked.state == "done" and asked.value == steps
    assert fastest <= max(1, most + 0.5)
    if abs(steps) > 2 * rate:
        assert fastest >= most - 1


# ---- home against a switch -----------------------------------------------------------------


class AtTheEnd:
    """A turntable with a switch at one end of its way, so many steps from where it was at power-up."""

    def __init__(self, way: str, at: int, reverse: bool) -> None:
        text = starter_text("panel").replace(
            "[outputs.turntable]\n",
            f'[outputs.turntable]\nend_{way} = "stop"\nreverse = {str(reverse).lower()}\n',
        )
        text += '\n[telemetry.stop]\nkind = "digital"\n'
        text += f'\n[requests.find]\nkind = "home"\noutput = "turntable"\nagainst = "{way}"\n'
        self.link = nuvrik.parse(text)
        self.machine = nuvrik.Machine(self.link, stream=False, boot=7)
        self.handset = nuvrik.Handset(self.link, stream=False, session=5)
        self.place = list(self.link.outputs).index("turntable")
        self.sign = 1 if way == "forward" else -1
        self.at, self.now_ms, self.turned = at, 0, 0.0
        for name in set(self.link.channels) - {self.link.arm_channel}:
            self.handset.put(0, name, 0)
        self.handset.put_arm(False)
        self.reads = True
        self.run(1000)
        self.handset.put_arm(True)
        self.run(500)

    def run(self, for_ms: int) -> None:
        for _ in range(for_ms // 10):
            self.now_ms += 10
            on = self.sign * self.turned >= self.at
            self.machine.sense(self.now_ms, stop=int(on) if self.reads else None)
            self.machine.feed(self.handset.send(self.now_ms), self.now_ms)
            demand = self.machine.tick(self.now_ms)[self.place]
            self.turned += demand.signed * 0.01
            self.handset.feed(self.machine.send(self.now_ms), self.now_ms)

    def ask(self, name: str, **arguments: int) -> nuvrik.Asked:
        asked = self.handset.request(name, **arguments)
        for _ in range(600):
            if asked.settled:
                break
            self.run(100)
        self.run(500)
        return asked


@settings(max_examples=many(12))
@given(st.sampled_from(["forward", "backward"]), st.integers(0, 600), st.booleans())
def test_home_against_a_switch_counts_from_there(way: str, at: int, reverse: bool) -> None:
    """Whichever way it is mounted; and it finds it again."""
    one = AtTheEnd(way, at, reverse)
    found = one.ask("find")
    assert found.state == "done" and one.sign * one.turned >= at
    there = one.turned
    assert abs(there - one.sign * at) <= 12, "no further than a tick"
    away = one.ask("move", steps=round(-one.sign * 50 * (-1 if reverse else 1)))
    assert away.state == "done" and abs(abs(one.turned - there) - 50) < 1
    again = one.ask("find")
    assert again.state == "done" and abs(one.turned - there) <= 12 and abs(abs(again.value) - 50) <= 12


def test_home_against_a_switch_that_cannot_be_read_fails_and_turns_nothing() -> None:
    one = AtTheEnd("backward", 50, False)
    one.reads = False
    one.run(1500)
    assert one.ask("find").state == "failed" and abs(one.turned) < 1
