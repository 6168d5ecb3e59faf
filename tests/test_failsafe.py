"""Who may move and when: the table against a second reading of the rules, and the whole machine
against anything that may arrive at any time."""

import random
from itertools import product

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from links import TUG, WIRED, many

import nuvrik
from nuvrik.budget.stop import run_down_ms
from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.states import TABLE, Happening, State
from nuvrik.core.machine.watch import Watch
from nuvrik.failsafe.watch import LinkWatch
from nuvrik.failsafe.why import Code
from nuvrik.levels import FULL
from nuvrik.plan.form.models import FailsafeSection
from nuvrik.plan.starters import starter_text
from nuvrik.plan.tables.failsafe import watch_table
from nuvrik.wire import kinds, messages
from nuvrik.wire.frames import Encoder

TIMEOUT = 400


class Rules:
    """The rules written a second time, as a person would tell them, state by state."""

    def __init__(self, n: int, recover: str, give_up: int | None, armless: bool) -> None:
        self.n, self.recover, self.give_up, self.armless = n, recover, give_up, armless
        self.state, self.run, self.off_seen, self.age, self.here = "WAITING", 0, False, 10**9, 0
        self.counted, self.silent, self.missing = False, True, False

    def enter(self, state: str) -> None:
        self.here = 0 if state != self.state else self.here
        self.state, self.run, self.off_seen = state, 0, False

    def wait(self, ms: int) -> bool:
        """Gives whether a silence begins."""
        self.age += ms
        self.here += ms
        if self.state == "FAILSAFE" and self.give_up is not None and self.here >= self.give_up:
            self.enter("WAITING")
        if self.age >= TIMEOUT:
            if self.state == "STANDBY":
                self.enter("WAITING")
            elif self.state == "ARMED":
                self.enter("FAILSAFE")
            self.run = 0
            self.silent, before = True, self.silent
            return not before
        return False

    def stop(self) -> None:
        if self.state == "STOPPED":
            self.run = 0
        else:
            self.enter("STOPPED")

    def bare(self, arm: bool) -> None:
        on = arm or self.armless
        self.missing = True
        if self.state == "ARMED":
            if not on:
                self.enter("STANDBY")
        elif self.state == "FAILSAFE" and not on:
            self.enter("WAITING")
        elif self.state == "STANDBY":
            self.off_seen = False
        else:
            self.run = 0

    def drive(self, arm: bool, rest: bool) -> None:
        self.age, self.silent, self.missing = 0, False, False
        on = arm or self.armless
        good = False
        if self.state == "WAITING":
            good = True
        elif self.state == "STANDBY":
            if not on:
                self.off_seen = True
            elif not rest:
                self.off_seen = False
            elif self.off_seen or self.armless:
                self.enter("ARMED")
        elif self.state == "ARMED":
            if not on:
                self.enter("STANDBY")
                self.off_seen = True
        elif self.state == "FAILSAFE":
            if not on:
                # Its own first good frame, whatever came before it since the last tick.
                self.enter("WAITING")
                self.counted = False
            good = True
        elif (not on) or (self.armless and rest):
            good = True
        else:
            self.run = 0
        if good:
            self.run += not self.counted and self.run < self.n
            self.counted = True
            if self.run == self.n:
                if self.state != "FAILSAFE" or self.recover == "rearm":
                    self.enter("STANDBY")
                elif rest or self.recover == "resume":
                    self.enter("ARMED")


STEPS = st.one_of(
    st.tuples(st.just("wait"), st.sampled_from([1, 20, 150, 399, 400, 401, 900])),
    st.tuples(st.just("drive"), st.tuples(st.booleans(), st.booleans())),
    st.tuples(st.just("bare"), st.booleans()),
    st.tuples(st.just("stop"), st.none()),
    st.tuples(st.just("tick"), st.none()),
)


@settings(max_examples=many(500))
# A machine that has been in STANDBY for longer than give_up_ms has lost nothing.
@example(1, "rearm", 0, False, [("drive", (False, False)), ("wait", 1)])
@given(
    st.integers(1, 4),
    st.sampled_from(["rearm", "at_rest", "resume"]),
    st.none() | st.sampled_from([0, 1, 20, 400, 401, 800, 1000]),
    st.booleans(),
    st.lists(STEPS, max_size=60),
)
def test_the_table_says_what_the_rules_say(
    n: int, recover: str, give_up: int | None, armless: bool, steps: list
) -> None:
    section = FailsafeSection(
        arm="none" if armless else "arm",
        timeout_ms=TIMEOUT,
        good_frames=n,
        recover=recover,
        give_up_ms=give_up,
    )
    rules, watch, now = Rules(n, recover, give_up, armless), Watch(watch_table(section)), 0
    said = LinkWatch(watch)
    for what, given_ in steps:
        if what == "wait":
            now += given_
            assert watch.pass_time(given_) == rules.wait(given_), "the sequence is forgotten once a silence"
        elif what == "drive":
            rules.drive(*given_)
            watch.drive(given_[0], NOBODY if given_[1] else 0)
        elif what == "bare":
            rules.bare(given_)
            watch.bare(given_, 0)
        elif what == "tick":
            rules.counted = False
            watch.ticked()
        else:
            rules.stop()
            watch.stop(Code.STOPPED, NOBODY)
        assert (said.state, watch.run, bool(watch.off_seen)) == (rules.state, rules.run, rules.off_seen)
        assert bool(said.why.code) == (said.state is not State.ARMED or rules.missing)
        assert said.why.code is not Code.GAVE_UP or said.state is State.WAITING


def test_there_is_one_way_into_armed_from_rest_and_every_cell_is_filled() -> None:
    leads = {
        (event, state)
        for event, row in TABLE.items()
        for state, cell in row.items()
        if cell.edge_to or State.ARMED in (cell.to, cell.counts_to)
    }
    assert leads == {(Happening.DRIVE_REST, State.STANDBY)}, "FAILSAFE is the other way, through recover"
    assert set(TABLE) == set(Happening) and all(set(row) == set(State) for row in TABLE.values())


# ---- the whole machine --------------------------------------------------------------------

ENCODER = Encoder(TUG)
LEVELS = st.sampled_from([None, 0, 200, -300, 400, 8000, FULL, -FULL])
ARRIVALS = st.one_of(
    st.binary(max_size=20),
    st.builds(
        lambda a, b, arm, seq: ENCODER.command([a, b, arm], seq),
        LEVELS,
        LEVELS,
        st.integers(0, 1),
        st.integers(0, 255),
    ),
    st.builds(
        lambda a, n: [ENCODER.command([a, 0, arm], i) for i in range(n) for arm in [int(i >= 6)]],
        LEVELS,
        st.integers(5, 12),
    ),
    st.builds(ENCODER.stop, st.integers(0, 255)),
)
GAPS = st.sampled_from([0, 1, 5, 20, 20, 20, 100, 399, 400, 700, 30000])


@settings(max_examples=many(400))
@given(st.lists(st.tuples(GAPS, ARRIVALS), max_size=40), st.integers(0, 65535))
def test_nothing_that_arrives_drives_a_motor_outside_armed(script: list, now: int) -> None:
    machine = nuvrik.Machine(TUG)
    outside_ms, before = 10**6, [0, 0]
    for gap, arrival in script:
        for packet in arrival if isinstance(arrival, list) else [arrival]:
            now += gap
            machine.feed(packet, now & 0xFFFF)
            demands = machine.tick(now & 0xFFFF)
            outside_ms = 0 if machine.state is State.ARMED else outside_ms + gap
            for was, demand in zip(before, demands, strict=True):
                assert demand.value <= round(0.9 * 255) and (demand.value == 0) == (demand.direction == 0)
                if machine.state is not State.ARMED:
                    assert demand.value <= was, "outside ARMED a motor only ever slows down"
                    assert demand.value == 0 or outside_ms <= run_down_ms(TUG)
                if machine.state is State.STOPPED:
                    assert demand.value == 0
            before = [demand.value for demand in demands]


@settings(max_examples=many(150))
@given(
    st.lists(st.integers(0, 9), min_size=150, max_size=400),
    st.integers(0, 65535),
    st.sampled_from(["rearm", "at_rest", "resume"]),
)
def test_the_stop_bound_holds_for_any_pattern_of_loss(fate: list[int], start: int, recover: str) -> None:
    """Frames every 20 ms, of which any may be lost; the stick hard over from the first second on."""
    link = TUG.model_copy(update={"failsafe": TUG.failsafe.model_copy(update={"recover": recover})})
    machine, now, last_good = nuvrik.Machine(link), start, start
    lost_for = 0
    for i, chance in enumerate(fate):
        # Runs of loss as well as single ones: a 9 loses this frame and the next thirty.
        lost_for = 30 if chance == 9 else max(0, lost_for - 1)
        if i < 10 or not (lost_for or chance == 8):
            machine.feed(ENCODER.command([FULL if i > 12 else 0, 0, int(i > 5)], i & 0xFF), now & 0xFFFF)
            last_good = now
        for _ in range(2):
            machine.tick(now & 0xFFFF)
            if now - last_good > 400 + link.tick_ms + run_down_ms(link):
                assert machine.safe
            now += 10
    if 9 not in fate and fate.count(8) < 10:
        assert machine.state is State.ARMED and not machine.safe, "and it does drive while frames come"


def test_forgetting_the_sequence_lets_a_restarted_handset_in_again() -> None:
    machine = nuvrik.Machine(TUG)
    for seq in (200, 201, 202):
        machine.feed(ENCODER.command([0, 0, 0], seq), 20 * seq)
        machine.tick(20 * seq)
    assert machine.state is State.STANDBY
    for seq, now in ((3, 4060), (4, 4080)):
        assert machine.feed(ENCODER.command([0, 0, 0], seq), now)[0].seq == seq  # 202 -> 3 is 57 newer
    assert machine.feed(ENCODER.command([0, 0, 0], 250), 4100)[0].reason == "out_of_order"
    assert isinstance(machine.feed(ENCODER.command([0, 0, 0], 250), 4100 + 400)[0], nuvrik.Frame)


@given(st.integers(0, 255), st.integers(0, 255))
def test_whoever_asked_before_keeps_nobody_out(before: int, seq: int) -> None:
    """At a machine at rest, where no silence begins because there was no command."""
    machine, hello = nuvrik.Machine(TUG), messages.pack_hello(messages.Query(7))
    asked = ENCODER.on_wire(ENCODER.sealed(kinds.HELLO, before, hello))
    assert isinstance(machine.feed(asked, 0)[0], nuvrik.Frame)
    asked = ENCODER.on_wire(ENCODER.sealed(kinds.HELLO, seq, hello))
    newer = 0 < (seq - before) % 256 < 128
    assert isinstance(machine.feed(asked, 399)[0], nuvrik.Frame) is newer
    assert isinstance(machine.feed(asked, 798)[0], nuvrik.Frame) is not (newer or seq == before)
    assert not isinstance(machine.feed(asked, 1300)[0], nuvrik.Frame), "an old frame is not new each time"


def test_a_stop_counts_even_where_the_state_has_moved_on_before_the_next_tick() -> None:
    machine, now = nuvrik.Machine(WIRED), 0
    wired = Encoder(WIRED)
    for i in range(40):
        now += 20
        machine.feed(wired.on_wire(wired.command([FULL if i > 8 else 0, 0, int(i > 5)], i)), now)
        machine.tick(now)
    assert not machine.safe
    burst = wired.on_wire(wired.stop(40)) + b"".join(
        wired.on_wire(wired.command([0, 0, 0], 41 + i)) for i in range(3)
    )
    machine.feed(burst, now + 5)
    assert machine.safe, "at once, and not only at the next tick"
    machine.tick(now + 5)
    assert machine.state is State.STOPPED, "a burst of good frames counts as one"
    for i in range(3):
        machine.feed(wired.on_wire(wired.command([0, 0, 0], 44 + i)), now + 20 * i)
        machine.tick(now + 20 * i)
    assert machine.state is State.STANDBY and machine.safe


# ---- the handset's side of the bargain -----------------------------------------------------


def frames_of(handset: nuvrik.Handset, until: int, hands, start: int = 0) -> list[tuple[int, nuvrik.Frame]]:
    decoder, seen = nuvrik.Decoder(TUG), []
    for now in range(start, until, 5):
        handset.read(now, **hands(now))
        wire = handset.send(now)
        if wire:
            seen += [(now, event) for event in decoder.feed_datagram(wire)]
    return seen


def arms(seen: list) -> list[tuple[int, int]]:
    return [(now, frame.values[2]) for now, frame in seen if frame.values]


def test_the_handset_starts_disarmed_and_an_off_lasts() -> None:
    at_rest = {"left_stick": 508, "right_stick": 515, "stop_button": 0}
    # The button is down at power-up: that is no press. Then one press on at 1 s, off at 2 s, on at 2.1 s.
    presses = [(0, 300), (1000, 1050), (2000, 2050), (2100, 2150)]
    held = lambda now: any(a <= now < b for a, b in presses)  # noqa: E731
    sent = arms(frames_of(nuvrik.Handset(TUG), 4000, lambda now: {**at_rest, "arm_button": int(held(now))}))
    ons = [now for now, arm in sent if arm]
    assert 1000 <= min(ons) <= 1045
    off_again = [now for now, arm in sent if not arm and now > 1100]
    assert 2000 <= min(off_again) <= 2045 and max(off_again) - min(off_again) >= 400 - 20
    assert len(sent) == 200, "a frame every period, none missed and none twice"


def test_a_pressed_stop_sends_only_stops_and_then_wants_arm_off_first() -> None:
    hands = lambda now: {  # noqa: E731
        "left_stick": 900,
        "right_stick": 515,
        "arm_button": int(500 <= now < 550 or 4000 <= now < 4050 or 5000 <= now < 5050),
        "stop_button": int(2000 <= now < 2100),
    }
    seen = frames_of(nuvrik.Handset(TUG), 6000, hands)
    stops = [now for now, frame in seen if not frame.values]
    assert stops and 2000 <= min(stops) <= 2040
    assert max(stops) >= 2100 + 400 and len(stops) == len(
        [now for now, _ in seen if min(stops) <= now <= max(stops)]
    )
    on = [now for now, arm in arms(seen) if arm]
    # A stop lets the toggle fall, so one press arms again.
    assert not [now for now in on if min(stops) <= now < 4000] and min(on) < 600
    assert [now for now in on if 4050 < now < 5000] and not [now for now in on if now > 5050]


def test_readings_that_stop_coming_are_no_reading_and_arm_goes_off() -> None:
    handset, seen = nuvrik.Handset(TUG), []
    seen = frames_of(
        handset,
        1500,
        lambda now: {
            "left_stick": 900,
            "right_stick": 515,
            "arm_button": int(500 <= now < 550),
            "stop_button": 0,
        },
    )
    assert seen[-1][1].values[0] > 8000 and seen[-1][1].values[2] == 1
    later = frames_of(handset, 4000, lambda now: {"right_stick": 515, "stop_button": 0}, start=1500)
    values = [(now, frame.values) for now, frame in later]
    withdrawn = [now for now, v in values if v[0] is None]
    assert 1500 + 480 <= min(withdrawn) <= 1500 + 520 and all(v[1] == 0 for _, v in values)
    assert [arm for now, (_, _, arm) in values if now > 2020] == [0] * len(
        [1 for now, _ in values if now > 2020]
    )


def test_both_ends_agree_whatever_the_clocks_say() -> None:
    """The same second of driving, with either clock about to wrap, gives the same demands."""
    outcomes = set()
    for handset_start, machine_start in product((0, 65000, 65535 - 900), repeat=2):
        handset, machine = nuvrik.Handset(TUG), nuvrik.Machine(TUG)
        rng, said = random.Random(5), []
        for now in range(0, 3000, 5):
            stick = 508 + round(400 * (now > 1200) * rng.random())
            handset.read(
                (handset_start + now) & 0xFFFF,
                left_stick=stick,
                right_stick=515,
                arm_button=int(600 < now < 700),
                stop_button=0,
            )
            wire = handset.send((handset_start + now) & 0xFFFF)
            if wire:
                machine.feed(wire, (machine_start + now) & 0xFFFF)
            if now % 20 == 0:
                said.append((machine.state, *machine.tick((machine_start + now) & 0xFFFF)))
        assert said[-1][0] is State.ARMED
        outcomes.add(tuple(said))
    assert len(outcomes) == 1


def test_a_loss_that_is_given_up_at_once_has_its_turn() -> None:
    """Whatever else happens in that millisecond, the outputs first do what their on_loss says."""
    link = nuvrik.parse(starter_text("tug").replace("[failsafe]", "[failsafe]\ngive_up_ms = 0"))
    machine, encoder = nuvrik.Machine(link, stream=True), Encoder(link, stream=True)
    for at in range(20):
        values = [int(name == "arm" and at > 10) for name in link.channels]
        machine.feed(encoder.command_on_wire(values, at), 20 * at)
        machine.tick(20 * at)
    assert machine.state is State.ARMED
    late = 20 * at + link.failsafe.timeout_ms
    machine.feed(b"noise", late)
    machine.feed(b"more", late)
    machine.tick(late)
    assert machine.state is State.FAILSAFE
    machine.tick(late + 1)
    assert machine.state is State.WAITING


@pytest.mark.parametrize("reading", [1.5, "508", float("nan")])
def test_a_reading_that_is_no_whole_number_is_refused(reading: object) -> None:
    with pytest.raises(TypeError):
        nuvrik.Handset(TUG).read(0, left_stick=reading)  # type: ignore[arg-type]
    with pytest.raises(KeyError, match="left_stick"):
        nuvrik.Handset(TUG).read(0, lift_stick=3)
