"""The sums against trying: odds of a false trip, stops, styles, soaks, and the page that says so."""

import json
import math
import random
import re
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, WIRED, many, problem_in, with_medium, write
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.seen import conditions_seen
from nuvrik.budget.stop import run_down_ms, stop_bound
from nuvrik.budget.trips import Chain, Way, failed_tries, mean_hours, simulated_hours, timeout_for
from nuvrik.levels import FULL
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plant.plant import FULL_VOLTS, Plant
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal.fault import GROUPS
from nuvrik.rehearsal.faults import FAULTS, faults_for
from nuvrik.rehearsal.medium import medium_of
from nuvrik.rehearsal.soak import bulk_soak, soak, stops_at, summed_up
from nuvrik.rehearsal.verdict import rehearse
from nuvrik.rehearsal.world import World

pytestmark = pytest.mark.slow

MARRAM = nuvrik.parse(starter_text("marram"), "marram.toml")
GUARDED = nuvrik.parse(
    starter_text("marram").replace("timeout_ms = 400", "timeout_ms = 400\ndelay_guard_ms = 500"),
    "guarded.toml",
)


@pytest.mark.parametrize(
    ("option", "sound", "wrong", "words"),
    [
        ("--loss", "0.1", ("2", "-0.1", "nan"), "10 % of frames lost one by one"),
        ("--burst-loss", "0.2", ("0.96", "inf"), "20 % lost in bursts of 5"),
        ("--bit-errors", "0.0001", ("1.5",), "one bit in 10000 inverted"),
        ("--jitter", "0.05", ("-1",), "edges off by up to 5 % of a unit"),
        ("--mark-stretch-us", "150", ("-1", "301"), "marks 150 us too long"),
        ("--lamp-per-s", "200", ("2001",), "a lamp of 200 pulses a second"),
        ("--burst-frames", "7", ("0.5", "nan", "10001"), "medium without loss"),
    ],
)
def test_how_bad_a_medium_may_be(
    tmp_path: Path, option: str, sound: str, wrong: tuple[str, ...], words: str
) -> None:
    link_file = write(tmp_path, "link.toml", starter_text("tug"))
    fault = ("rehearse", link_file, "--fault", "cable_pulled", "--runs", 1)
    assert words in nuvrik_command(*fault, option, sound, code=None)
    for value in wrong:
        said = nuvrik_command(*fault, option, value, code=2)
        must = "an ordinary number" if value in ("nan", "inf") else "from"
        assert f"{option} is {float(value):g}; it must be {must}" in said


# ---- false trips ---------------------------------------------------------------------------


@pytest.mark.parametrize("jitter", [0, 3, 35])
@pytest.mark.parametrize(("burst", "frames"), [(0.0, 5), (0.1, 4), (0.3, 12)])
@pytest.mark.parametrize("loss", [0.1, 0.4])
def test_the_odds_of_a_false_trip_are_what_trying_shows(
    loss: float, burst: float, frames: int, jitter: int
) -> None:
    conditions = Conditions(loss=loss, burst_loss=burst, burst_frames=frames)
    for timeout in (60, 75, 120):
        tried, trips = simulated_hours(conditions, Way(20, jitter), timeout, 1_500_000, seed=3)
        if trips > 4000:
            assert tried == pytest.approx(mean_hours(conditions, Way(20, jitter), timeout), rel=0.05)


RETRIES = """kind = "radio"
bitrate = 250000
delay_ms = 1
jitter_ms = 3
retries = 15
retry_us = 2000"""

RETRYING = nuvrik.parse(
    with_medium(starter_text("tug"), RETRIES.replace("15", "5")),
    "retrying.toml",
)


@pytest.mark.parametrize(("loss", "burst"), [(0.6, 0.0), (0.5, 0.1), (0.0, 0.3)])
def test_the_odds_with_retries_and_the_medium_that_makes_them(loss: float, burst: float) -> None:
    """As sums, all at once, and frame by frame through the simulated module."""
    way, conditions = Way.of(RETRYING), Conditions(loss=loss, burst_loss=burst, burst_frames=4)
    assert way.retries == (5, 576 + 2000)
    medium = medium_of(RETRYING.medium, conditions, random.Random(5))
    came = [medium.send(bytes(9), 20_000 * n) for n in range(60_000)]
    took = [one[0] - 20_000 * n for n, one in enumerate(came) if one is not None]
    chain = Chain.of(conditions, way.retries.most)
    assert len(took) / 60_000 == pytest.approx(chain.received, abs=0.01)
    tried = failed_tries(conditions, way.retries, 60_000, np.random.default_rng(6))
    # 1 ms of delay and up to 3 ms of jitter beyond the airtime and the tries.
    assert np.mean(took) == pytest.approx(576 + 2500 + tried.mean() * 2576, rel=0.02)
    assert max(took) / 1000 <= stop_bound(RETRYING).terms["transit"] == pytest.approx(0.576 + 5 * 2.576 + 4)
    for timeout in (60, 75, 120):
        hours, trips = simulated_hours(conditions, way, timeout, 2_000_000, seed=3)
        if trips > 4000:
            assert hours == pytest.approx(mean_hours(conditions, way, timeout), rel=0.05)
    assert mean_hours(conditions, way, 400) >= mean_hours(conditions, Way(20, 3), 400)


def test_a_link_with_retries_stops_in_time_and_its_frames_never_queue_up() -> None:
    conditions = Conditions(loss=0.5, burst_loss=0.1)
    for fault in ("cable_pulled", "jam", "out_of_range"):
        assert rehearse(RETRYING, FAULTS[fault], 1, conditions=conditions).verdict == "pass"
    found = bulk_soak(RETRYING, 20, conditions, seed=1)
    assert found.bound_ms - 20 < found.worst_ms <= found.bound_ms and found.trips > 100
    problem = problem_in(with_medium(starter_text("tug"), RETRIES), "medium.retries")
    assert "39.2 ms of the 20 ms" in problem.what and "use 7 at most" in problem.do
    slow = problem_in(with_medium(starter_text("tug"), 'kind = "serial"\nbaud = 1200'), "link.rate_hz")
    assert "100.0 ms" in slow.what


@pytest.mark.parametrize("on_loss", ["ramp", "off", "brake"])
def test_what_stops_at_once_does_so_when_frames_stop_and_ramps_when_disarmed(on_loss: str) -> None:
    link = nuvrik.parse(starter_text("tug").replace('on_loss = "ramp"', f'on_loss = "{on_loss}"'))
    terms, worst = stop_bound(link).terms, {}
    for fault in ("cable_pulled", "disarm_lost"):
        runs = [rehearse(link, FAULTS[fault], seed) for seed in range(12)]
        assert all(run.verdict == "pass" for run in runs)
        worst[fault] = max(run.stop_ms or 0 for run in runs)
    at_once = terms["transit"] + terms["timeout"] + terms["tick"]
    assert (worst["cable_pulled"] <= at_once) == (on_loss != "ramp") and worst["disarm_lost"] > at_once
    assert max(worst.values()) <= stop_bound(link).worst_ms == pytest.approx(at_once + 250)
    found = bulk_soak(link, 5, Conditions(burst_loss=0.3, burst_frames=12), seed=1)
    assert at_once - 30 < found.worst_ms - terms["ramp"] * (on_loss == "ramp") <= at_once


@given(st.floats(0.001, 0.6), st.floats(0, 0.5), st.floats(1, 40), st.integers(0, 60))
def test_odds_grow_with_the_timeout_and_the_timeout_for_them_is_the_shortest(
    loss: float, burst: float, frames: float, jitter: int
) -> None:
    conditions = Conditions(loss=loss, burst_loss=burst, burst_frames=frames)
    hours = [mean_hours(conditions, Way(20, jitter), timeout) for timeout in range(20, 900, 11)]
    assert all(a <= b * (1 + 1e-9) for a, b in pairwise(hours))
    able = timeout_for(conditions, Way(20, jitter), 1.0)
    if able is not None and able > 1:
        assert (
            mean_hours(conditions, Way(20, jitter), able)
            >= 1
            > mean_hours(conditions, Way(20, jitter), able - 1)
        )
    chain = Chain.of(conditions)
    assert chain.runs(1)[1] <= 1 and 0 < chain.received < 1
    assert math.isinf(mean_hours(Conditions(), Way(20, jitter), 40 + 2 * jitter))


def test_what_the_real_machine_does_is_what_the_odds_say() -> None:
    """The same, through both ends: how often a link that only loses frames goes into failsafe."""
    link = TUG.model_copy(update={"failsafe": TUG.failsafe.model_copy(update={"timeout_ms": 100})})
    conditions, trips, seconds = Conditions(loss=0.45), 0, 0.0
    for seed in range(6):
        trace = World(link, practice(link, seed, 60_000), conditions, seed=seed).run()
        heard = np.array(trace.accepted)
        trips += int(np.count_nonzero(np.diff(heard) >= 100))
        seconds += 60
    predicted = mean_hours(conditions, Way(20, 3), 100) * 3600
    assert seconds / trips == pytest.approx(predicted, rel=0.25)


# ---- soaks ---------------------------------------------------------------------------------


@settings(max_examples=many(40), deadline=None)
@given(st.integers(0, 60_000), st.integers(0, 19_999), st.integers(0, 65_535))
def test_the_bulk_failsafe_stops_when_the_real_one_does(
    arrived_ms: int, phase_us: int, clock_ms: int
) -> None:
    """One arrival, then silence, a loop that ticks at any phase: the tick that leaves nothing driven."""
    machine, encoder = nuvrik.Machine(TUG), nuvrik.Encoder(TUG)
    arrived_us = 1000 * (arrived_ms + 2000)
    ticks = range(phase_us, arrived_us + 2_000_000, 20_000)
    frames = [(arrived_us - 20_000 * n, [FULL, 0, 1]) for n in range(60)] + [
        (arrived_us - 20_000 * n, [0, 0, int(n < 65)]) for n in range(60, 75)
    ]
    happenings = sorted(
        [(t, 1, v) for t, v in frames if t >= 0] + [(t, 2, None) for t in ticks if t > arrived_us - 1_500_000]
    )
    rest_us = None
    for seq, (t_us, _, values) in enumerate(happenings):
        now = (t_us // 1000 + clock_ms) & 0xFFFF
        if values is not None:
            machine.feed(encoder.command(values, seq & 0xFF), now)
        else:
            machine.tick(now)
            if t_us > arrived_us and rest_us is None and machine.safe:
                rest_us = t_us
    noticed = int(stops_at(np.array([arrived_us]), 400_000, 20_000, phase_us)[0])
    assert rest_us == noticed + 20_000 * (-(-run_down_ms(TUG) // 20) - 1)


def test_soaks_keep_the_bound_and_come_close_to_it() -> None:
    found = bulk_soak(TUG, 50, Conditions(loss=0.1, burst_loss=0.2, burst_frames=20), seed=1)
    assert found.frames == 9_000_000 and found.trips > 1000
    assert found.bound_ms - TUG.link.tick_ms <= found.worst_ms <= found.bound_ms
    driven = summed_up(soak(TUG, 0.07, seed=2))
    assert driven.failed == [] and driven.runs > 20 and 0.9 < driven.worst_share <= 1
    assert driven.hours >= 0.07 and len(driven.by_fault) > 12


# ---- faults --------------------------------------------------------------------------------


def test_there_are_faults_of_every_group_and_most_can_strike_marram() -> None:
    assert {fault.group for fault in FAULTS.values()} == set(GROUPS)
    assert len(faults_for(MARRAM)) >= 26 and len(faults_for(GUARDED)) == len(faults_for(MARRAM)) + 1
    for name in starter_names():
        link = nuvrik.parse(starter_text(name))
        assert len(faults_for(link)) >= (8 if name == "curtain" else 18)


def test_a_delay_guard_sees_a_queue_that_nothing_else_can() -> None:
    for seed in range(3):
        run = rehearse(GUARDED, FAULTS["queue"], seed)
        assert run.verdict == "pass", run.why
        assert "late" in {reason for _, reason in run.trace.refused}
    # Without it the old frames would be accepted: the machine arms, five seconds late.
    unguarded = World(MARRAM, practice(MARRAM, 1, 12_000), seed=1)
    unguarded.tamper = lambda at_us, wire: [(at_us + 5_000_000, wire)]
    trace = unguarded.run()
    assert "ARMED" in {str(moment.state) for moment in trace.moments}
    # And with it, on a good link, nothing is refused.
    good = World(GUARDED, practice(GUARDED, 1, 8000), Conditions(loss=0.1), seed=1).run()
    assert not [reason for _, reason in good.refused if reason == "late"] and len(good.accepted) > 250
    alone = starter_text("tug").replace("timeout_ms = 400", "timeout_ms = 400\ndelay_guard_ms = 500")
    assert "nothing comes back" in problem_in(alone, "failsafe.delay_guard_ms").what
    tight = starter_text("marram").replace("timeout_ms = 400", "timeout_ms = 400\ndelay_guard_ms = 60")
    assert "good commands would be refused" in problem_in(tight, "failsafe.delay_guard_ms").what


def test_a_builder_rehearses_a_link_in_tests_of_their_own(tmp_path: Path) -> None:
    file = write(tmp_path, "boat.toml", starter_text("slider_motor"))
    runs = nuvrik.assert_holds(file, seeds=[1])
    assert len(runs) == len(faults_for(nuvrik.load(file)))
    with pytest.raises(KeyError, match='did you mean "jam"'):
        nuvrik.assert_holds(file, faults=["jamm"])
    careless = nuvrik.load(file)
    careless = careless.model_copy(
        update={"failsafe": careless.failsafe.model_copy(update={"recover": "resume"})}
    )
    assert nuvrik.assert_holds(careless, faults=["jam"], seeds=[1])
    # A button whose bounce outlasts every press: nothing is ever armed, so nothing is shown.
    slow = {
        name: control.model_copy(update={"debounce_ms": 30_000} if control.kind == "button" else {})
        for name, control in careless.controls.items()
    }
    broken = careless.model_copy(update={"controls": slow})
    with pytest.raises(AssertionError, match=r"failed \d+ of"):
        nuvrik.assert_holds(broken, faults=["cable_pulled"], seeds=[1])


def test_a_battery_sags_and_a_winch_pays_out_only_while_nothing_holds_it() -> None:
    machine, plant = nuvrik.Machine(MARRAM), Plant(MARRAM)
    plant.pull = 2.0
    plant.follow(machine.demands)
    plant.run(1000)
    assert plant.paid_out["winch"] == pytest.approx(2.0) and plant.volts == pytest.approx(FULL_VOLTS)
    held = [Demand(d.output, 0, 40, 1, True) if d.output == "winch" else d for d in machine.demands]
    plant.follow(held)
    plant.run(1000)
    assert plant.paid_out["winch"] == pytest.approx(2.0) and plant.volts < FULL_VOLTS
    plant.charge = 0.1
    plant.run(20)
    assert plant.volts < 5 and set(plant.readings()) >= {"battery", "port_shaft"}


# ---- as a user types it --------------------------------------------------------------------


def test_budget_as_a_user_types_it(tmp_path: Path) -> None:
    boat = write(tmp_path, "boat.toml", starter_text("marram"))
    said = nuvrik_command("budget", boat, "--loss", 0.1, "--burst-loss", 0.1)
    assert "400 timeout + 20 tick + 250 ramp" in said and "one in 57.7 s on average" in said
    found = json.loads(nuvrik_command("budget", boat, "--json", "--loss", 0.2))
    assert (found["frame_bytes"], found["airtime_ms"]) == (13, 0.704) and found["payload_left"] == 19
    assert found["stop_ms"]["worst"] == pytest.approx(sum(found["stop_ms"]["terms"].values()))
    assert found["false_trip"]["mean_hours"] == pytest.approx(
        mean_hours(Conditions(loss=0.2), Way(20, 3), 400)
    )
    words = ("budget", boat, "--json", "--compare", "--figure", tmp_path / "c.png")
    rows = json.loads(nuvrik_command(*words))["compare"]
    by_style = {row["style"]: row for row in rows}
    assert by_style["packed"]["undetected"] == 0 < by_style["line"]["undetected"]
    assert by_style["packed"]["wire_bytes"] < by_style["columns"]["wire_bytes"] and len(rows) == 6
    nuvrik_command("budget", boat, "--loss", 0.2, "--figure", tmp_path / "t.png")
    assert all((tmp_path / name).read_bytes().startswith(b"\x89PNG") for name in ("t.png", "c.png"))
    said = nuvrik_command("clock", "--hz", 16_000_000, "--other-hz", 8_000_000, "--uart", 9600)
    assert "which leaves room" in said
    assert "now called nuvrik clock" in nuvrik_command("budget", boat, "--clock-hz", 16_000_000, code=2)
    assert "now called --mark-stretch-us" in nuvrik_command("rehearse", boat, "--lean-us=3", code=2)
    curtain = write(tmp_path, "curtain.toml", starter_text("curtain"))
    assert "250 released after" in nuvrik_command("budget", curtain)
    assert "sends codes" in nuvrik_command("budget", curtain, "--compare", code=2)
    assert "LINK" in nuvrik_command("budget", code=2)
    assert "--loss is" in nuvrik_command("budget", boat, "--loss", 2, code=2).replace("loss is", "--loss is")


def test_loss_and_bursts_are_taken_from_a_capture(tmp_path: Path) -> None:
    encoder, rng, rows = nuvrik.Encoder(TUG), random.Random(2), ["t_ms,hex"]
    bad = False
    for n in range(4000):
        bad ^= rng.random() < (1 / 6 if bad else 0.02)
        if not bad:
            rows.append(f"{20 * n},{encoder.command([0, 0, 0], n & 0xFF).hex()}")
    capture = write(tmp_path, "radio.csv", "\n".join(rows) + "\n")
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    said = nuvrik_command("budget", tug, "--from", capture)
    found = re.search(r"([\d.]+) % lost in bursts of ([\d.]+)", said)
    assert (
        found
        and float(found[1]) == pytest.approx(10.7, abs=3)
        and float(found[2]) == pytest.approx(6, rel=0.2)
    )
    one_by_one = [encoder.command([0, 0, 0], n & 0xFF) for n in range(2000) if rng.random() > 0.1]
    events = [event for wire in one_by_one for event in nuvrik.Decoder(TUG).feed_datagram(wire)]
    conditions, arrived, lost = conditions_seen(events)
    assert conditions.loss == pytest.approx(0.1, abs=0.02) and arrived + lost == pytest.approx(2000, abs=5)
    empty = write(tmp_path, "empty.csv", "t_ms,hex\n1,00\n")
    assert "no loss can be seen" in nuvrik_command("budget", tug, "--from", empty, code=2)


def test_rehearse_draws_reports_and_shares_the_work(tmp_path: Path) -> None:
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    alone = nuvrik_command("rehearse", tug, "--fault", "jam", "--fault", "replayed", "--runs", 4, "--json")
    shared = nuvrik_command(
        "rehearse", tug, "--fault", "jam", "--fault", "replayed", "--runs", 4, "--jobs", 2, "--json"
    )
    assert alone == shared and json.loads(alone.splitlines()[0])["group"] == "loss"
    said = nuvrik_command("rehearse", tug, "--fault", "jam", "--figure", tmp_path / "jam.png")
    assert "jam.png: written" in said and (tmp_path / "jam.png").read_bytes().startswith(b"\x89PNG")
    page = tmp_path / "page.html"
    nuvrik_command("rehearse", tug, "--runs", 1, "--report", page)
    text = page.read_text()
    assert "every motor was at rest within" in text and "drive frame, arm on, not at rest" in text
    assert all(name in text for name in faults_for(TUG)) and "not tried" in text.lower()
    assert text.count("data:image/png;base64,") == 3
    assert not re.search(r"(src|href)=\"?(https?:|//)|@import|url\(", text), "nothing is fetched"
    assert "say which with --fault" in nuvrik_command("rehearse", tug, "--figure", tmp_path / "x.png", code=2)
    for option, file in (("--figure", page), ("--report", tug)):
        assert f"of a p{'icture' if file == page else 'age'} ends in" in nuvrik_command(
            "rehearse", tug, "--fault", "jam", option, file, code=2
        )
    assert tug.read_text() == starter_text("tug")
    assert "only a remote control has a beam" in nuvrik_command("rehearse", tug, "--fault", "lamp", code=2)
    assert "all of them held" in nuvrik_command("rehearse", tug, "--soak", 0.02)
    found = json.loads(nuvrik_command("rehearse", tug, "--soak", 0.01, "--json"))
    assert found["failed"] == [] and found["runs"] >= 3


def test_a_failing_link_says_so_on_its_page(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(
        "nuvrik.rehearsal.verdict.stop_bound", lambda link: stop_bound(link)._replace(timeout_ms=150)
    )
    wired = write(tmp_path, "wired.toml", starter_text("slider_motor"))
    page = tmp_path / "page.html"
    said = nuvrik_command("rehearse", wired, "--fault", "cable_pulled", "--report", page, code=1)
    assert "later than the bound" in said and "rehearsals failed" in page.read_text()
    assert WIRED.link.name == "marram"
