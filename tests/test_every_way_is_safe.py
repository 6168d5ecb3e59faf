"""Whatever style frames travel in, whatever is asked for: nothing turns outside ARMED, and it all stops."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import any_link, many

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import run_down_ms
from nuvrik.levels import FULL
from nuvrik.plan.form.frame_actions import KeysFrame
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal.faults import faults_for
from nuvrik.rehearsal.verdict import rehearse
from nuvrik.rehearsal.world import World
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ECHO, HELLO, REQUEST
from nuvrik.wire.messages import Ask, Echo, Jog, Query, pack_ask, pack_echo, pack_hello, pack_jog
from nuvrik.wire.styles.keys import KeyReader
from nuvrik.wire.styles.style import PlainMaker

pytestmark = pytest.mark.slow

PANEL = nuvrik.parse(starter_text("panel"))
ENCODER = Encoder(PANEL)
LACKS = 'accept = ["no_sequence", "no_pair", "no_layout"'
KEYS = "".join(
    f'"{chr(97 + n)}" = {{ set = {{ throttle = {n / 5 - 1:.1f} }} }}\n' for n in range(11)
) + "".join(f'"{chr(65 + n)}" = {{ set = {{ turn = {n / 5 - 1:.1f} }} }}\n' for n in range(11))
STYLES = {
    "slip": 'style = "slip"\npair = 90',
    "line": f'style = "line"\ncheck = "crc8"\nmissing = "no_reading"\n{LACKS}]',
    "silent line": f'style = "line"\ncheck = "crc16"\n{LACKS}]',
    "columns": f'style = "columns"\ncheck = "crc8"\n{LACKS}]',
    "keys": f'style = "keys"\n{LACKS}, "no_check"]\n[frame.keys]\n{KEYS}'
    '"1" = { set = { arm = 1 } }\n"0" = { set = { arm = 0 } }\n" " = { stop = true }\n',
}


def tug_in(style: str) -> nuvrik.Link:
    text = starter_text("tug")
    start, end = text.index("[frame]"), text.index("# ---- the handset")
    return nuvrik.parse(text[:start] + f"[frame]\n{STYLES[style]}\n\n" + text[end:])


@pytest.mark.parametrize("style", STYLES)
def test_every_style_stops_within_the_bound_and_drives_while_frames_come(style: str) -> None:
    link = tug_in(style)
    for fault in faults_for(link).values():
        runs = [rehearse(link, fault, seed, conditions=Conditions(loss=0.02)) for seed in range(2)]
        assert [run.why for run in runs if run.verdict == "fail"] == []
    trace = World(link, practice(link, seed=1), seed=1).run()
    driven = sum(any(moment.efforts) for moment in trace.moments)
    assert driven > 50 and not trace.refused


# ---- requests ------------------------------------------------------------------------------

NAMES = list(PANEL.requests)
AT_REST = [0, 0, 0, 0]
MOVED = [[1, 0, 500, 0], [0, 9000, 0, 0], [0, 0, 0, -9000], [0, None, 0, 0]]
ASKED = st.one_of(
    st.tuples(st.just("move"), st.integers(-900, 900).map(lambda steps: (steps,))),
    st.tuples(st.just("home"), st.just(())),
    st.tuples(st.just("routine"), st.integers(0, 15).map(lambda number: (number,))),
)
STEPS = st.one_of(
    st.tuples(st.just("ask"), ASKED),
    st.tuples(st.just("jog"), st.builds(Jog, st.integers(0, 3), st.integers(-8000, 8000), st.just(400))),
    st.tuples(st.just("hello"), st.integers(1, 3)),
    st.tuples(st.just("command"), st.tuples(st.just(AT_REST), st.just(1))),
    st.tuples(st.just("command"), st.tuples(st.just(AT_REST), st.just(1))),
    st.tuples(st.just("command"), st.tuples(st.just(AT_REST), st.just(0))),
    st.tuples(
        st.just("command"),
        st.tuples(
            st.sampled_from([[1, 0, 500, 0], [0, 9000, 0, 0], [0, 0, 0, -9000], [0, None, 0, 0]]), st.just(1)
        ),
    ),
    st.tuples(st.just("stop"), st.none()),
    st.tuples(st.just("echo"), st.none()),
    st.tuples(st.just("wait"), st.integers(1, 800)),
)
ARMING = [*[("command", (AT_REST, 0))] * 5, ("command", (AT_REST, 1)), ("hello", 1)]


@settings(max_examples=many(250))
@given(st.lists(STEPS, max_size=80), st.integers(0, 65535))
def test_nothing_that_is_asked_for_moves_anything_outside_armed(script: list, now: int) -> None:
    machine = nuvrik.Machine(PANEL, boot=9)
    machine.on_request("routine", iter_moves)
    outside_ms, before = 10**6, [0] * 4
    for seq, (what, given_) in enumerate([*ARMING, *script]):
        gap = given_ if what == "wait" else 20
        while gap > 0:
            step = min(gap, 20)
            gap, now, outside_ms = gap - step, now + step, outside_ms + step
            demands = machine.tick(now & 0xFFFF)
            outside_ms = 0 if machine.state == "ARMED" else outside_ms
            efforts = [abs(demand.effort) for demand in demands]
            if machine.state != "ARMED":
                assert all(effort <= was for effort, was in zip(efforts, before, strict=True))
                assert outside_ms <= run_down_ms(PANEL) + 20 or not any(efforts)
                assert not machine._desk.busy, "a motion ends with the right to move"
            before = efforts
        desk, body = machine._desk, b""
        if what == "command":
            body = ENCODER.command([*given_[0], given_[1]], seq & 0xFF)
        elif what == "stop":
            body = ENCODER.stop(seq & 0xFF)
        elif what == "ask":
            code = NAMES.index(given_[0])
            ask = Ask(code, desk.boot, desk.session or 0, 1 + seq, given_[1])
            body = ENCODER.sealed(REQUEST, seq & 0xFF, pack_ask(ask, PANEL.requests[given_[0]]))
        elif what == "jog":
            body = ENCODER.sealed(REQUEST, seq & 0xFF, pack_jog(given_))
        elif what == "hello":
            body = ENCODER.sealed(HELLO, seq & 0xFF, pack_hello(Query(given_)))
        elif what == "echo":
            body = ENCODER.sealed(ECHO, seq & 0xFF, pack_echo(Echo(False, b"xy")))
        machine.feed(ENCODER.on_wire(body), now & 0xFFFF)
        machine.send(now & 0xFFFF)


def iter_moves(number: int):
    for _ in range(number * 10):
        yield {"fan": 0.7, "turntable": -0.5, "lamp": 1.0}


def test_two_programs_on_one_machine_never_do_a_thing_twice_between_them() -> None:
    machine, done = nuvrik.Machine(PANEL, boot=50), []
    machine.on_request("beep", lambda times: done.append(times) or 1)
    first, second = nuvrik.Handset(PANEL, session=1), nuvrik.Handset(PANEL, session=2)
    asked = [(who, n, who.request("beep", times=n)) for n in range(8) for who in (first, second)]
    for now in range(0, 60_000, 10):
        for who in (first, second):
            wire = who.send(now)
            if wire:
                machine._decoder.forget()  # two senders, two sequences: let both through, the worst case
                machine.feed(wire, now)
            answer = machine.send(now)
            first.feed(answer, now)
            second._hearing.forget()
            second.feed(answer, now)
    assert all(request.settled for *_, request in asked)
    for n in range(8):
        wanted = sum(number == n and request.state == "done" for _, number, request in asked)
        unknown = sum(number == n and request.state == "unknown" for _, number, request in asked)
        assert wanted <= done.count(n) <= wanted + unknown <= 2


# ---- keys ----------------------------------------------------------------------------------


@given(
    st.lists(
        st.tuples(st.integers(-FULL, FULL), st.integers(-FULL, FULL), st.integers(0, 1)),
        min_size=1,
        max_size=6,
    )
)
def test_keys_bring_the_machine_as_near_as_there_are_keys_and_keep_it_there(wanted: list) -> None:
    link = tug_in("keys")
    assert isinstance(link.frame, KeysFrame)
    sender, reader = PlainMaker(link), KeyReader(link)
    for throttle, turn, arm in wanted:
        heard = ()
        for _ in range(12):
            key = sender.text([throttle, turn, arm])
            assert key, "there is always something to say"
            heard = reader.judge(key, key, 0).values
        assert heard[2] == arm
        # Half a step, and half of what counts as a hand that trembles.
        assert all(abs(a - b) <= FULL // 10 + 151 for a, b in zip(heard, (throttle, turn), strict=False))


@settings(max_examples=many(40))
@given(any_link(), st.lists(st.binary(max_size=80), max_size=10))
def test_a_handset_hears_anything_and_only_ever_learns_from_sound_frames(
    link: nuvrik.Link, pieces: list
) -> None:
    handset, now = nuvrik.Handset(link, stream=True), 0
    for piece in pieces:
        now += 50
        assert all(isinstance(event, nuvrik.RefusedFrame) for event in handset.feed(piece, now))
    assert handset.machine_state is None and handset.identity is None and not handset.telemetry
