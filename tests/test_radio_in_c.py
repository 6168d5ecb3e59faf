"""Both ends by radio in C as they are exported, for an hour; and two pairs of them on one air."""

import os
import random
import shutil
from collections.abc import Iterator, Mapping
from pathlib import Path

import pytest
from on_air import MARRAM, TUG, Bursts, by_radio
from on_air_in_c import EndInC, PairInC

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.machine.watch import ARMED
from nuvrik.plan.controls import AxisControl, ReadControl, SliderControl
from nuvrik.plan.starters import starter_text
from nuvrik.plant.radio_chip import Ether
from nuvrik.recordings.pilot import practice

pytestmark = [
    pytest.mark.slow,
    pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain"),
]

NIGHTLY = bool(os.environ.get("NUVRIK_NIGHTLY"))
HOUR_MS, FRAMES = (3_600_000, 1_000_000) if NIGHTLY else (60_000, 4_000)
LIFE_MS = 20_000


def hands(pair: PairInC, link: nuvrik.Link, seed: int, until_ms: int) -> Iterator[Mapping[str, int | None]]:
    """Somebody who arms, drives about and disarms, again and again, and sometimes presses stop. Arm toggles;
    the handset's lamp says how it is."""
    rng, arm, stop = random.Random(seed), link.arm_control or "", link.failsafe.stop or ""
    for start_ms in range(0, until_ms, LIFE_MS):
        life, stops = practice(link, seed + start_ms, LIFE_MS), rng.randrange(4000, 3 * LIFE_MS)
        pressed = 0
        for ms in range(LIFE_MS):
            if ms in (1000, LIFE_MS - 700):
                pressed = int(pair.handset.armed == (ms > 1000))
            elif ms in (1200, LIFE_MS - 500):
                pressed = 0
            yield life.at(ms) | {arm: pressed, stop: int(stops <= ms < stops + 100)}


def away(control: ReadControl, reading: int | None) -> bool:
    """Whether a control is where it may make something turn; the trembling of a hand is within a fortieth of
    its way."""
    if reading is None or not isinstance(control, AxisControl | SliderControl):
        return bool(reading)
    low, rest, high = control.points
    way = (high - rest) if (reading > rest) == (high > rest) else (low - rest)
    return abs(reading - rest) * 40 > abs(way)


@pytest.mark.parametrize("link", [TUG, MARRAM], ids=["tug", "marram"])
def test_for_an_hour_it_stops_in_time_and_moves_nothing_unasked(link: nuvrik.Link, tmp_path: Path) -> None:
    """Through losses and bursts, and modules that are pulled: driven only while something came within the
    bound, and while a stick was away from rest within it."""
    ether = Ether(Bursts(5, 0.05, 0.002, 60))
    pair, rng, bound = PairInC(link, ether, tmp_path), random.Random(4), stop_bound(link).worst_ms
    safe = link.arm_control, link.failsafe.stop
    controls = {n: one for n, one in link.controls.items() if isinstance(one, ReadControl) and n not in safe}
    asked_ms, driven, armed, stopped, pulled = -10_000.0, 0, 0, 0, 0
    longest, was_driven, back = 0.0, False, dict[EndInC, int]()
    for row in hands(pair, link, 11, HOUR_MS):
        pair.turn(row)
        if any(away(one, row.get(name)) for name, one in controls.items()):
            asked_ms = pair.now_ms
        since_ms = pair.now_ms - pair.machine.heard_us / 1000
        if pair.machine.driven:
            driven += 1
            longest = max(longest, since_ms)
            assert since_ms <= bound + 1 and pair.now_ms - asked_ms <= bound + 1, pair.now_ms
        stopped += was_driven and not pair.machine.driven
        was_driven, armed = pair.machine.driven, armed + (pair.machine.state == ARMED)
        for end, when in list(back.items()):
            if pair.now_ms >= when:
                end.chip.absent = None
                end.chip.power(end.us, 0)
                del back[end]
        if not back and rng.random() < 1 / 8000:
            end = rng.choice((pair.machine, pair.handset))
            end.chip.absent, back[end] = rng.choice((0, 255)), pair.now_ms + rng.randrange(300, 2500)
            pulled += 1
    assert driven > HOUR_MS // 6 and armed > HOUR_MS // 2 and stopped > HOUR_MS // 20_000 and pulled
    for end in (pair.machine, pair.handset):
        assert end.chip.refused == 0 and end.heard > (0 if end is pair.machine or link.telemetry else -1)
    print(f"\n{pair.machine.heard} heard, {stopped} stops, {pulled} pulled, longest {longest:.0f} of {bound}")


def test_two_handsets_on_one_channel_are_each_obeyed_by_their_own_machine_alone(tmp_path: Path) -> None:
    """Each hand drives one way only, and neither machine goes the other's. As their clocks drift past each
    other, what they send collides for half a second at a time, and they have to rest and go on."""
    other = nuvrik.parse(by_radio(starter_text("tug")).replace("pair = 90", "pair = 91"))
    ether = Ether()
    pairs = [
        PairInC(one, ether, tmp_path / str(at), fast)
        for at, (one, fast) in enumerate(((TUG, 1.002), (other, 0.997)))
    ]
    rows = [{"left_stick": at, "right_stick": 515, "arm_button": 0, "stop_button": 0} for at in (1023, 0)]
    rest = {"left_stick": 508, "right_stick": 515, "arm_button": 0, "stop_button": 0}
    ms, driven = 0, [0, 0]
    while sum(pair.machine.heard for pair in pairs) < FRAMES:
        ms += 1
        for at, pair in enumerate(pairs):
            pair.turn(rest | {"arm_button": int(1000 < ms < 1200)} if ms % 4000 < 1600 else rows[at])
            driven[at] += pair.machine.driven
        assert all(one.at >= 0 for one in pairs[0].machine.turning), ms
        assert all(one.at <= 0 for one in pairs[1].machine.turning), ms
    assert ether.collided > 0 and min(driven) > ms // 4, driven
