"""Both ends, a hand and a bad link, in any order of doings: what a person standing by must never see."""

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule
from links import TUG, many

import nuvrik
from nuvrik.budget.stop import run_down_ms, stop_bound
from nuvrik.core.machine.states import State

pytestmark = pytest.mark.slow

STEP_MS = 5
BOUND_MS = stop_bound(TUG).worst_ms
TICK_MS = TUG.link.tick_ms


class Bystander(RuleBasedStateMachine):
    """Drives Marram's two ends in steps of 5 ms and keeps what a bystander knows about them."""

    def __init__(self) -> None:
        super().__init__()
        self.handset: nuvrik.Handset | None = nuvrik.Handset(TUG)
        self.machine = nuvrik.Machine(TUG)
        self.now = 64_000  # both clocks wrap within the first seconds
        self.hands = {"left_stick": 508, "right_stick": 515, "arm_button": 0, "stop_button": 0}
        self.hears = True
        self.presses = 0
        self.since_heard_ms = 0
        self.outside_ms = 10**6
        self.stop_held_ms = 0
        self.silent_stop = False
        self.before = [0, 0]

    def live(self, ms: int) -> None:
        """Let both ends run, and look at them at every step."""
        for _ in range(0, ms, STEP_MS):
            self.now += STEP_MS
            wire = b""
            if self.handset is not None:
                self.handset.read(self.now & 0xFFFF, **self.hands)
                wire = self.handset.send(self.now & 0xFFFF)
            self.since_heard_ms += STEP_MS
            self.stop_held_ms = self.stop_held_ms + STEP_MS if self.hands["stop_button"] else 0
            if wire and self.hears:
                self.machine.feed(wire, self.now & 0xFFFF)
                self.since_heard_ms = 0
            if self.now % TICK_MS == 0:
                self.machine.tick(self.now & 0xFFFF)
            self.look()

    def look(self) -> None:
        state = self.machine.state
        self.outside_ms = 0 if state is State.ARMED else self.outside_ms + STEP_MS
        efforts = [abs(demand.effort) for demand in self.machine.demands]
        if state is not State.ARMED:
            assert all(now <= was for now, was in zip(efforts, self.before, strict=True)), (
                "it speeds up unasked"
            )
            assert not any(efforts) or self.outside_ms <= run_down_ms(TUG) + 2 * TICK_MS
        if self.since_heard_ms > BOUND_MS:
            assert self.machine.safe and state in (State.FAILSAFE, State.WAITING, State.STOPPED)
        if self.stop_held_ms > TUG.link.period_ms + TICK_MS and self.hears and self.handset is not None:
            assert state is State.STOPPED and self.machine.safe
        if state is State.ARMED and self.presses == 0:
            raise AssertionError(
                "armed, and nobody has pressed the button since this handset was switched on"
            )
        self.before = efforts

    @rule(
        left=st.sampled_from([0, 300, 508, 520, 1023]),
        right=st.sampled_from([4, 515, 1021]),
        ms=st.sampled_from([20, 200, 700]),
    )
    def move(self, left: int, right: int, ms: int) -> None:
        self.hands |= {"left_stick": left, "right_stick": right}
        self.live(ms)

    @rule(held=st.sampled_from([10, 60, 500]))
    def press_arm(self, held: int) -> None:
        self.presses += held > 30  # the shortest is a bounce
        self.hands["arm_button"] = 1
        self.live(held)
        self.hands["arm_button"] = 0
        self.live(60)

    @rule(held=st.sampled_from([40, 300]))
    def press_stop(self, held: int) -> None:
        self.hands["stop_button"] = 1
        self.live(held)
        self.hands["stop_button"] = 0
        self.live(20)

    @rule(ms=st.sampled_from([40, 390, 800, 3000]))
    def lose_the_link(self, ms: int) -> None:
        self.hears = False
        self.live(ms)
        self.hears = True

    @rule(ms=st.sampled_from([30, 500, 2500]))
    def restart_the_handset(self, ms: int) -> None:
        self.handset = None
        self.live(ms)
        self.handset = nuvrik.Handset(TUG)
        # Its sequence starts from 0, so its frames may look old until the timeout; the bound holds.
        self.live(int(BOUND_MS) + 100)
        # A fresh handset sends arm off, so whatever it was, from here on somebody must press.
        assert self.machine.state is not State.ARMED
        self.presses = 0

    @rule()
    def set_off_and_drive(self) -> None:
        """What a pilot does who wants to drive: rest, arm if it is not armed, push."""
        self.hands |= {"left_stick": 508, "right_stick": 515}
        self.live(1200)
        for _ in range(2):
            if self.machine.state is not State.ARMED:
                self.press_arm(60)
                self.live(1200)
        assert self.machine.state is State.ARMED, self.machine.why
        self.hands["left_stick"] = 1023
        self.live(600)
        assert all(demand.driven for demand in self.machine.demands), "and then it does drive"

    @invariant()
    def it_says_why(self) -> None:
        assert bool(self.machine.why) == (self.machine.state is not State.ARMED)
        assert set(self.machine.reasons()) == set(TUG.outputs) and all(self.machine.reasons().values())


Bystander.TestCase.settings = settings(max_examples=many(60), stateful_step_count=14)
TestBothEnds = Bystander.TestCase
