"""Late, early and at once: recordings on a busy computer, latency against its budget, clocks that drift."""

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, WIRED, many

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.line import budget
from nuvrik.budget.trips import Chain
from nuvrik.ends.handset import Handset
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.ports.driving import run_handset
from nuvrik.ports.sources.recorded import LONGEST_STEP_MS
from nuvrik.recordings.pilot import play
from nuvrik.recordings.recording import Recording
from nuvrik.rehearsal.verdict import world_of
from nuvrik.rehearsal.world import Clock, World

pytestmark = pytest.mark.slow


class Stumbling:
    """A clock and a line in one: time passes as it is told to, with long pauses at some turns."""

    stream = True

    def __init__(self, pauses: dict[int, int]) -> None:
        self.sent: list[tuple[int, bytes]] = []
        self._now_ms, self._turn, self._pauses = 0, 0, pauses

    def now_ms(self) -> int:
        return self._now_ms

    def sleep(self, seconds: float) -> None:
        self._turn += 1
        self._now_ms += max(1, round(1000 * seconds)) + self._pauses.get(self._turn, 0)

    pace = sleep

    def read(self) -> bytes:
        return b""

    def write(self, data: bytes) -> bool:
        self.sent.append((self._now_ms, data))
        return True


@settings(max_examples=many(25))
@given(st.dictionaries(st.integers(1, 900), st.integers(30, 450), max_size=8))
def test_a_busy_computer_plays_a_recording_late_and_passes_over_nothing(pauses: dict[int, int]) -> None:
    """Whenever it stumbles, for less than readings take to go stale: the press that arms, 100 ms of it, is
    never swallowed, everything is played in its order, and at the end the machine is left disarmed."""
    recording = play(
        WIRED, [(500, {"arm_button": 1}), (600, {"arm_button": 0}), (1000, {"left_stick": 1})], 1500, seed=1
    )
    line, played, read = Stumbling(pauses), [], []

    def told(now_ms: int, played_ms: int, handset: Handset) -> None:
        played.append(played_ms)
        read.append(tuple(recording.at(played_ms).values()))

    assert run_handset(WIRED, line, recording, told, line).dropped == 0
    steps = [b - a for a, b in itertools.pairwise(played) if b >= a]
    assert max(steps) <= LONGEST_STEP_MS and max(played) >= recording.duration_ms
    decoder = nuvrik.Decoder(WIRED)
    arms = [event.values[2] for _, wire in line.sent for event in decoder.feed(wire)]
    assert 1 in arms and arms[-1] == 0
    assert [arm for arm, _ in itertools.groupby(arms)] == [0, 1, 0]
    seen = [row for row, _ in itertools.groupby(read)]
    every = [tuple(row.values()) for row in recording.rows]
    presses = [row[2] for row, _ in itertools.groupby(seen)]
    assert [p for p, _ in itertools.groupby(presses)] == [
        p for p, _ in itertools.groupby(r[2] for r in every)
    ]


@pytest.mark.parametrize("name", ["tug", "rover", "slider_motor"])
def test_no_hand_waits_longer_for_its_motor_than_the_budget_says(name: str) -> None:
    """A stick thrown over at any moment: the first answer of a motor, measured through both ends."""
    link = nuvrik.parse(starter_text(name))
    sums = budget(link)
    waits = []
    stick = next(n for n, c in link.controls.items() if hasattr(c, "raw"))
    for seed in range(40):
        at_ms = 2000 + 7 * seed
        arm = next(c.source for n, c in link.channels.items() if n == link.arm_channel)
        toggled = getattr(link.controls[arm], "toggle", False)
        frames = [
            (1000, {arm: 1}),
            *([(1100, {arm: 0})] if toggled else []),
            (at_ms - 1, {stick: 0}),
            (at_ms, {stick: 1}),
        ]
        recording = play(link, frames, 3500, seed=seed, tremor=0)
        moved_ms = next(
            t for t, row in zip(recording.times_ms, recording.rows, strict=True) if t >= at_ms and row
        )
        trace = World(link, recording, seed=seed).run()
        first = next(
            moment.t_ms for moment in trace.moments if moment.t_ms >= moved_ms and any(moment.efforts)
        )
        waits.append(first - moved_ms)
    assert max(waits) <= sums.worst_ms + 1
    assert sums.typical_ms * 0.5 < sum(waits) / len(waits) < sums.worst_ms


@pytest.mark.parametrize("name", starter_names())
def test_a_budget_adds_up_for_every_starter(name: str) -> None:
    link = nuvrik.parse(starter_text(name))
    sums = budget(link, Conditions(loss=0.3))
    assert sums.stop.worst_ms == pytest.approx(sum(sums.stop.terms.values()), abs=0.01)
    assert 0 <= sums.load < 1 and sums.load_back >= 0 and sums.max_rate_hz >= link.rate_hz * 0.9
    assert sums.typical_ms < sums.worst_ms and all(0 < one.share < 0.5 for one in sums.steps)
    moved = {channel for channel, model in link.channels.items() if model.kind in ("level", "share")}
    assert {one.channel for one in sums.steps} == moved
    assert (sums.load_back > 0) == bool(link.telemetry)


@given(
    st.floats(0.0, 0.5),
    st.floats(0.01, 0.6),
    st.floats(1.5, 30),
    st.integers(0, 2**32 - 1),
)
@settings(max_examples=many(25))
def test_the_chain_of_losses_is_the_one_that_the_medium_makes(
    loss: float, burst_loss: float, burst_frames: float, seed: int
) -> None:
    """All at once and frame by frame, as odds and by trying: the share received, and how long losses last."""
    import random

    import numpy as np

    from nuvrik.rehearsal.medium import Losses

    conditions = Conditions(loss=loss, burst_loss=burst_loss, burst_frames=burst_frames)
    chain = Chain.of(conditions)
    at_once = chain.lost(200_000, np.random.default_rng(seed))
    one_by_one = Losses(conditions, random.Random(seed)).tries
    slowly = np.array([one_by_one() is None for _ in range(40_000)])
    runs = chain.runs(60)
    assert runs == sorted(runs, reverse=True) and runs[0] == 1
    noise = 6 * (burst_frames / 200_000) ** 0.5
    for lost, slack in ((at_once, noise), (slowly, noise * 2.5)):
        assert 1 - lost.mean() == pytest.approx(chain.received, abs=slack + 0.005)
    # After a frame that arrived, the chance that the next one is lost.
    after = at_once[1:][~at_once[:-1]]
    assert after.mean() == pytest.approx(runs[1], abs=0.02)


@given(st.integers(0, 65_535), st.sampled_from([0.97, 1.0, 1.03]))
def test_an_end_s_clock_runs_on_from_where_it_starts(start_ms: int, pace: float) -> None:
    clock = Clock(start_ms)
    clock.run_at(pace, 0)
    times = [clock.ms(t_us) for t_us in range(0, 10_000_000, 1234)]
    assert times[0] == start_ms and all(a <= b <= a + 2 for a, b in itertools.pairwise(times))
    assert times[-1] - start_ms == pytest.approx(10_000 * pace, abs=3)


@pytest.mark.parametrize("name", starter_names())
def test_a_world_is_its_seed(name: str) -> None:
    """The same seed, the same run to the microsecond; whatever the link, and through every kind of loss."""
    link = nuvrik.parse(starter_text(name))
    bad = Conditions(
        loss=0.1, burst_loss=0.1, burst_frames=5, bit_errors=0.0003, jitter=0.05, mark_stretch_us=60
    )
    from nuvrik.recordings.pilot import practice

    recording = practice(link, 5, 6000)
    first, again, other = (world_of(link, recording, bad, seed=seed).run() for seed in (1, 1, 2))
    assert (
        first.moments == again.moments and first.refused == again.refused and first.accepted == again.accepted
    )
    assert first.accepted != other.accepted


def test_hands_may_be_changed_and_programs_hung_in_mid_drive() -> None:
    """What faults use of a world, by hand: altered readings, a hung program, a killed one, a stalled loop."""
    still = Recording(
        [0, 8000], [{"left_stick": 508, "right_stick": 515, "arm_button": 0, "stop_button": 0}] * 2
    )
    world = World(TUG, still, seed=1)
    pressed = {"arm_button": 1}
    world.at(1_000_000, lambda _: setattr(world, "hands", lambda row: {**row, **pressed}))
    world.at(1_200_000, lambda _: setattr(world, "hands", lambda row: {**row, "left_stick": 1023}))
    world.at(2_500_000, lambda _: setattr(world, "hung", True))
    world.at(4_000_000, lambda _: setattr(world, "hung", False))
    world.at(6_000_000, lambda _: world.kill_handset())
    trace = world.run()

    def effort_at(t_ms: float) -> int:
        return next(moment.efforts[0] for moment in reversed(trace.moments) if moment.t_ms <= t_ms)

    assert [effort_at(t) for t in (900, 2400, 3400, 7000)] == [0, FULL, 0, 0]
    whys = {moment.words for moment in trace.moments}
    assert "stop was pressed" in whys, "a stop button that is not read any more is pressed"
    assert any("no drive frame" in why for why in whys)
    stalled = World(TUG, still, seed=1)
    stalled.machine_stalled_until_us = 5_000_000
    assert all(moment.t_ms == 0 or moment.t_ms >= 5000 for moment in stalled.run().moments)
