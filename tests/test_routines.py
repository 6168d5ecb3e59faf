"""Routines that the link file lists, texts that a request passes on, and values in the builder's own unit."""

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many

import nuvrik
from nuvrik.plan.starters import starter_text

TICK_MS = 10
OUTPUTS = ("lamp", "fan", "flap", "turntable")
TURNING = ("fan", "turntable")

TO = st.sampled_from([-0.8, -0.25, 0.0, 0.5, 1.0])

LEVELS = st.fixed_dictionaries({}, optional=dict.fromkeys(OUTPUTS, TO) | {"lamp": st.sampled_from([0, 1])})

STEPS = st.lists(st.tuples(st.integers(20, 400), LEVELS), min_size=1, max_size=5).filter(
    lambda steps: any(levels for _, levels in steps)
)


def board_that_goes_through(steps: list[tuple[int, dict[str, float]]], times: int = 1) -> nuvrik.Link:
    """The panel and its board without ramps, with one routine."""
    text = re.sub("ramp_ms = .00", "ramp_ms = 0", starter_text("panel"))
    text = text.replace("reverse_pause_ms = 200", "reverse_pause_ms = 0")
    text = text.replace("rate_max = 500", "rate_max = 500\nramp_ms = 0")
    rows = []
    for for_ms, levels in steps:
        said = ", ".join(f"{name} = {to}" for name, to in levels.items())
        rows.append(f"{{ for_ms = {for_ms}, levels = {{ {said} }} }}")
    routine = f'[requests.dance]\nkind = "routine"\ntimes = {times}\nsteps = [{", ".join(rows)}]\n\n'
    return nuvrik.parse(text.replace("[cues.near]", routine + "[cues.near]"))


class Board:
    """Both ends on a good line, armed, every channel at rest."""

    def __init__(self, link: nuvrik.Link) -> None:
        self.link, self.now = link, 0
        self.machine, self.handset = nuvrik.Machine(link, boot=9), nuvrik.Handset(link, session=4)
        for name in OUTPUTS:
            self.handset.put(0, name, 0)
        self.handset.put_arm(False)
        self.run(1500)
        self.handset.put_arm(True)
        self.run(1500)
        assert self.machine.state == "ARMED"

    def run(self, for_ms: int) -> list[tuple[float, ...]]:
        """Where each output stood at each tick."""
        seen = []
        for _ in range(0, for_ms, TICK_MS):
            self.now += TICK_MS
            self.machine.feed(self.handset.send(self.now), self.now)
            self.machine.tick(self.now)
            self.handset.feed(self.machine.send(self.now), self.now)
            seen.append(tuple(demand.fraction for demand in self.machine.demands))
        return seen


def as_listed(steps: list[tuple[int, dict[str, float]]], at_ms: int) -> dict[str, float] | None:
    """Where a routine wants its outputs so long after its beginning; None when it is over."""
    moved = {name for _, levels in steps for name in levels}
    stand: dict[str, float] = {}
    for for_ms, levels in steps:
        stand |= dict.fromkeys(moved & set(TURNING), 0.0) | levels
        if at_ms < for_ms:
            return stand
        at_ms -= for_ms
    return None


@settings(max_examples=many(40), deadline=None)
@given(STEPS, st.integers(1, 3))
def test_a_routine_does_what_it_lists_for_as_long_as_it_lists(steps: list, times: int) -> None:
    board = Board(board_that_goes_through(steps, times))
    asked = board.handset.request("dance")
    listed = [one for _ in range(times) for one in steps]
    whole = sum(for_ms for for_ms, _ in listed)
    rows: list[tuple[float, ...]] = []
    while not board.machine._desk.busy:
        board.run(TICK_MS)
    rows.append(tuple(demand.fraction for demand in board.machine.demands))
    rows += board.run(whole + 200)
    names = list(board.link.outputs)
    for tick, row in enumerate(rows):
        # A step that ends between two ticks ends at the next one.
        want = [as_listed(listed, max(0, tick * TICK_MS - late)) for late in (0, TICK_MS)]
        for place, (name, at) in enumerate(zip(names, row, strict=True)):
            able = [(one or {}).get(name, 0.0) for one in want]
            # What turns the other way stops first, for a tick.
            turns = tick > 0 and at == 0 and any(rows[tick - 1][place] * one < 0 for one in able)
            assert turns or any(abs(at - one) < 0.02 for one in able), (tick, name, at, able)
    board.run(2000)
    assert asked.state == "done" and board.machine.safe


@pytest.mark.parametrize("how", ["disarm", "silence", "stop", "hand", "not armed"])
def test_a_routine_ends_with_the_right_to_move(how: str) -> None:
    board = Board(board_that_goes_through([(400, {"fan": 0.5}), (30_000, {"fan": -0.5, "flap": 1.0})]))
    if how == "not armed":
        board.handset.put_arm(False)
        board.run(1000)
        asked = board.handset.request("dance")
        board.run(1000)
        assert asked.state == "not armed" and board.machine.safe
        return
    asked = board.handset.request("dance")
    board.run(1000)
    assert asked.state == "running" and not board.machine.safe
    if how == "disarm":
        board.handset.put_arm(False)
    elif how == "hand":
        board.handset.put(board.now, "fan", 0.3)
    elif how == "stop":
        encoder = nuvrik.Encoder(board.link)
        board.machine.feed(encoder.on_wire(encoder.stop(0)), board.now)
        assert board.machine.tick(board.now) and board.machine.safe
    else:
        board.now += 600
        board.machine.tick(board.now)
    seen = board.run(2000)
    assert asked.state == "ended"
    fan = OUTPUTS.index("fan")
    assert seen[-1][fan] > 0 if how == "hand" else board.machine.safe


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("levels = { fan = 0.5 }", "levels = { fen = 0.5 }", 'names "fen"'),
        ("levels = { fan = 0.5 }", "levels = { lamp = 0.5 }", "a switch, to 0.5"),
        ("levels = { fan = 0.5 }", "levels = {}", "move nothing"),
        ("levels = { fan = 0.5 }", "levels = { fan = 1.5 }", "1.5"),
        ("for_ms = 400", "for_ms = 5", "5"),
    ],
)
def test_what_a_routine_lists_is_checked(old: str, new: str, words: str) -> None:
    text = starter_text("panel").replace(
        "[cues.near]",
        '[requests.dance]\nkind = "routine"\nsteps = [{ for_ms = 400, levels = { fan = 0.5 } }]\n[cues.near]',
    )
    nuvrik.parse(text)
    with pytest.raises(nuvrik.LinkFileError, match=words):
        nuvrik.parse(text.replace(old, new))


SAYS = nuvrik.parse(
    starter_text("panel").replace(
        "args = { times = {", 'args = { word = { kind = "text", bytes = 11 }, times = {'
    )
)


@settings(max_examples=many(60), deadline=None)
@given(st.text(max_size=14))
def test_a_text_arrives_as_it_was_given_or_is_refused_at_once(word: str) -> None:
    board = Board(SAYS)
    heard: list[str] = []
    board.machine.on_request("beep", lambda word, times: heard.append((word, times)))
    fits = len(word.encode("utf-8", "surrogatepass")) <= 11 and "\0" not in word
    try:
        board.handset.request("beep", word=word, times=3)
    except ValueError:
        assert not fits
        return
    board.run(1000)
    assert fits and heard == [(word, 3)]


IN_DEGREES = '[channels.turntable]\nrange = [-90, 90]\nunit = "degrees"\n'
TURNED = re.sub(r"\[channels.turntable\][^\n]*\n", IN_DEGREES, starter_text("panel"))


@given(st.floats(-100, 100))
def test_a_channel_is_set_in_the_unit_of_its_file(degrees: float) -> None:
    channel = nuvrik.parse(TURNED).channels["turntable"]
    if abs(degrees) > 90:
        with pytest.raises(ValueError, match="degrees is not from -90 to 90"):
            channel.fraction(degrees)
    else:
        assert channel.fraction(degrees) == pytest.approx(degrees / 90)
