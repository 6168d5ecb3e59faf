"""The bench: every fault of the rehearsal, at a word, for whoever drives in a loop of their own."""

import os
import random
from collections.abc import Callable

import pytest
from links import TUG

import nuvrik
from nuvrik.core.machine.states import ARMED
from nuvrik.ends.machine import Machine
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal.bench import Bench, Verdict, bench_faults
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import turns_something
from nuvrik.wire.events import Event

LINKS = {name: nuvrik.parse(starter_text(name)) for name in starter_names()}
TURN_MS = 5
ROUND_MS = 20_000


class Driver:
    """A program that drives on a bench, again and again in the same way."""

    def __init__(self, link: nuvrik.Link, seed: int = 0) -> None:
        self.bench, self.pilot = Bench(link, seed=seed), practice(link, seed, ROUND_MS)
        self.handset = self.bench.handset_of(link, without=self.pilot.missing(link))
        self.stream = not link.medium.datagrams

    def drive(self, until: Callable[[], object], most_ms: int = 100_000) -> bool:
        """Drive until something holds; whether it does."""
        pilot = self.pilot
        for t_ms in range(0, most_ms, TURN_MS):
            if until():
                return True
            now_ms = self.bench.their_ms
            if t_ms % pilot.duration_ms == 0:
                self.handset.change_hands(now_ms)  # the pilot presses arm on, whatever was before
            self.bench.put(self.handset.send(now_ms))
            pilot.play_into(self.handset, t_ms % pilot.duration_ms, now_ms)
            self.handset.feed(self.bench.take(all_of_it=self.stream), now_ms)
            self.bench.pass_time(1000 * TURN_MS)
        return False

    def moves(self) -> bool:
        """Whether something is driven; where nothing turns, whether it is armed."""
        machine = self.bench.machine
        return not machine.safe if turns_something(machine.link) else machine.state is ARMED

    def strike(self, name: str) -> Verdict:
        """Strike while something is driven, see what comes of it, and have everything put right again."""
        assert self.drive(self.moves)
        self.bench.strike(name)
        fault = FAULTS[name]
        if fault.lasts_ms is None and fault.must != "stop":
            self.drive(lambda: False, ROUND_MS)
            self.bench.take_away()
        assert self.drive(lambda: self.bench.verdicts)
        self.bench.take_away()
        return self.bench.verdicts.pop()


@pytest.mark.parametrize("name", FAULTS)
def test_every_fault_at_a_word_is_survived_and_what_it_left_is_put_right(name: str) -> None:
    rng = random.Random(f"{name} {os.environ['NUVRIK_SEED']}")
    able = [link for link in LINKS.values() if name in bench_faults(link)]
    if not able:
        able = [link for link in LINKS.values() if not FAULTS[name].unfit(link)]
        assert able in ([], [LINKS["curtain"]]), "only what a beam does is left to a rehearsal"
        return
    for seed in rng.sample(range(1000), 5):
        driver = Driver(rng.choice(able), seed)
        said = driver.strike(name)
        assert said.passed is not False, (driver.bench.link.name, seed, said)
        if said.passed:
            break
    assert said.passed, "one pilot in five does what it takes"
    assert driver.bench.standing is None and not driver.bench.verdicts
    assert driver.drive(driver.moves), "it can be driven again"


def test_what_was_not_driven_or_taken_away_too_soon_has_shown_nothing() -> None:
    driver = Driver(TUG)
    bench = driver.bench
    bench.strike("cable_pulled")
    driver.drive(lambda: bench.verdicts)
    assert bench.verdicts.pop().passed is None and bench.standing == "cable_pulled"
    bench.take_away()
    assert driver.drive(driver.moves)
    bench.strike("bits_flipped")
    driver.drive(lambda: False, 20)
    bench.strike("cable_pulled")
    assert [(one.fault, one.passed) for one in bench.verdicts] == [("bits_flipped", None)]
    assert bench.standing == "cable_pulled", "there is one at a time"
    bench.verdicts.clear()
    assert driver.drive(lambda: bench.verdicts) and bench.verdicts.pop().passed
    with pytest.raises(KeyError, match='did you mean "cable_pulled"'):
        bench.strike("cable_puled")
    with pytest.raises(KeyError, match="no fault lamp"):
        bench.strike("lamp")


class Restless(Machine):
    """A machine whose clock stands still once it is armed: it never notices that nothing comes any more."""

    since_ms: int | None = None

    def _time(self, now_ms: int) -> int:
        if self.state is ARMED and self.since_ms is None:
            self.since_ms = now_ms
        return now_ms if self.since_ms is None else self.since_ms

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        return super().feed(data, self._time(now_ms))

    def tick(self, now_ms: int) -> list[Demand]:
        return super().tick(self._time(now_ms))

    def send(self, now_ms: int) -> bytes:
        return super().send(self._time(now_ms))


def test_a_machine_that_does_not_stop_is_found_out() -> None:
    link = LINKS["slider_motor"]
    ramps = {name: output.model_copy(update={"ramp_ms": 0}) for name, output in link.outputs.items()}
    driver = Driver(link.model_copy(update={"outputs": ramps}))
    driver.bench.machine = Restless(driver.bench.link)
    said = driver.strike("cable_pulled")
    assert said.passed is False and "still turning" in said.words and "DID NOT HOLD" in said.told


def test_whoever_drives_may_stop_or_disarm_while_a_fault_lasts() -> None:
    driver = Driver(LINKS["marram"])
    assert driver.drive(driver.moves)
    driver.bench.strike("bits_flipped")
    driver.handset.press_stop(driver.bench.their_ms)
    driver.drive(lambda: False, 400)
    driver.handset.press_stop(driver.bench.their_ms, pressed=False)
    assert driver.drive(lambda: driver.bench.verdicts)
    assert driver.bench.verdicts.pop().passed


def test_faults_of_hands_lie_between_the_hands_and_the_handset() -> None:
    driver = Driver(TUG)
    bench, handset = driver.bench, driver.handset
    assert driver.drive(driver.moves)
    rest, full = driver.pilot.at(0), {"left_stick": 1023}
    handset.read(bench.their_ms, **rest)
    bench.strike("no_readings")
    handset.send(bench.their_ms)
    assert handset.values["throttle"] is None, "at once, though nothing has been read since"
    bench.take_away()
    handset.send(bench.their_ms)
    assert handset.values["throttle"] == 0, "and it is as it was"
    bench.strike("program_hung")
    handset.read(bench.their_ms, **full)
    assert handset.values["throttle"] == 0, "nothing is read any more"
    bench.take_away()
    handset.read(bench.their_ms, **full)
    assert handset.values["throttle"] == 1
