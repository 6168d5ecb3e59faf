"""Steppers on an emulated chip: a step for each that core counts, by a driver or phase by phase."""

import random
from itertools import pairwise
from pathlib import Path

import pytest
from chips import Chip, chip_with, needs_a_chip
from test_traces import SEED

import nuvrik
from nuvrik.export.on_avr import BOOTS_US
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import play
from nuvrik.recordings.recording import Recording

pytestmark = [needs_a_chip, pytest.mark.slow]

SETTLES_CYCLES = 1600
"""Setting four ends of two coils takes less than that, and a step lasts longer by far."""

PHASES = [(1, 0, 0, 1), (1, 0, 1, 0), (0, 1, 1, 0), (0, 1, 0, 1)]
"""A plus, A minus, B plus, B minus: forward, one after the other."""


def vent(pins: str) -> nuvrik.Link:
    return nuvrik.parse(starter_text("vent").replace("pins = { step = 3, dir = 4 }", pins))


def to_and_fro(link: nuvrik.Link, rng: random.Random) -> Recording:
    """Armed by its switch; then open, rest, close, by a finger that takes its time as it likes."""
    moves = [(400, {"arm_switch": 1})]
    at = 1000
    for name in ("open_button", "close_button", "open_button"):
        moves.append((at, {name: 1}))
        at += rng.randrange(300, 1200)
        moves.append((at, {name: 0}))
        at += rng.randrange(700, 900)
    return play(link, moves, at, seed=1)


def levels(chip: Chip, pins: list[int], settles: int = 0) -> list[tuple[int, tuple[int, ...]]]:
    """What some pins on one port were at, with the cycle since which they were; what did not last is left
    out, but never two ends of a coil at once."""
    seen = memoryview(bytearray(chip.seen))
    found = [(0, tuple(int(chip.pins.high(seen, pin)) for pin in pins))]
    for change in chip.emulated.changes():
        seen[change.address] = change.value
        now = tuple(int(chip.pins.high(seen, pin)) for pin in pins)
        if len(pins) == 4:
            assert not (now[0] and now[1]) and not (now[2] and now[3]), (change.cycle, now)
        if found[-1][1] == now or change.cycle - found[-1][0] < settles:
            found[-1] = (found[-1][0], now)
        else:
            found.append((change.cycle, now))
    return found


def driven(link: nuvrik.Link, folder: Path) -> Chip:
    """A chip that has been driven to and fro, its pins not looked at yet."""
    chip = chip_with(link, folder)
    chip.run(BOOTS_US)
    recording = to_and_fro(link, random.Random(SEED))
    handset = nuvrik.Handset(link, stream=True)
    chip.look = lambda: None  # type: ignore[method-assign]
    chip.drive(recording, 0, recording.times_ms[-1], handset)
    chip.run(2_500_000)
    return chip


@pytest.mark.parametrize("idle", ["hold", "release"])
def test_coils_take_a_phase_for_each_step_and_current_only_as_the_link_says(
    idle: str, tmp_path: Path
) -> None:
    ends = [5, 6, 7, 2]
    pins = dict(zip(("a_plus", "a_minus", "b_plus", "b_minus"), ends, strict=True))
    named = ", ".join(f"{name} = {pin}" for name, pin in pins.items())
    link = vent(f'driver = "four_wires"\npins = {{ {named} }}\nidle = "{idle}"')
    chip = driven(link, tmp_path)
    told = levels(chip, ends, SETTLES_CYCLES)
    stepper = chip.end.machine.outputs.steppers[0]
    assert told[0][1] == (0, 0, 0, 0) and (told[-1][1] == (0, 0, 0, 0)) == (idle == "release")
    phases = [PHASES.index(now) for _, now in told if now != (0, 0, 0, 0)]
    steps = 0
    for was, now in pairwise(phases):
        assert (now - was) % 4 != 2, "a step was left out"
        steps += (now - was + 1) % 4 - 1
    # A count goes round; a rate that goes up and down leaves less than a step for each time that it changes.
    whole = (stepper.whole + 0x20000000 & 0x3FFFFFFF) - 0x20000000
    assert len(phases) > 200 and abs(steps - whole) <= 6, (steps, whole)
    off = [now for _, now in told].count((0, 0, 0, 0))
    assert off == 1 if idle == "hold" else off >= 4


def test_a_driver_has_current_and_its_direction_before_a_step(tmp_path: Path) -> None:
    link = vent('pins = { step = 5, dir = 6, enable = 7 }\nidle = "release"')
    chip = driven(link, tmp_path)
    told = [now for _, now in levels(chip, [5, 6, 7])]
    stepping = [at for at, (step, _, _) in enumerate(told) if step]
    assert len(stepping) > 200 and {now[1] for now in told} == {0, 1}
    for at in stepping:
        # Active low: current while it is low. Nothing but the step changes with a step.
        assert told[at][2] == 0 and told[at - 1] == (0, *told[at][1:]), told[at - 2 : at + 2]
    assert told[0][2] == 1 and told[-1][2] == 1


END = '[telemetry.open_end]\nkind = "digital"\npin = 8\nactive = "low"\nevery_ms = 500\n\n'


@pytest.mark.nightly
def test_an_end_switch_that_is_run_over_counts_and_a_spark_does_not(tmp_path: Path) -> None:
    text = starter_text("vent").replace("mix = { opening", 'end_forward = "open_end"\nmix = { opening')
    link = nuvrik.parse(text.replace("[telemetry.shaft]", END + "[telemetry.shaft]"))
    chip = chip_with(link, tmp_path)
    chip.emulated.level("B", 0, True)
    chip.run(BOOTS_US)
    recording = play(link, [(400, {"arm_switch": 1}), (1200, {"open_button": 1})], 12_000, seed=1)
    handset, at = nuvrik.Handset(link, stream=True), 2500
    chip.drive(recording, 0, at, handset)
    stepper = chip.end.machine.outputs.steppers[0]
    assert stepper.demand.value == 400
    rng = random.Random(SEED)
    for lasts_us, cuts in ((40, False), (150, False), (260, True), (1500, True), (90, False), (9000, True)):
        chip.run(200_000 + rng.randrange(20_000))
        assert stepper.demand.value > 0
        slowest = stepper.demand.value
        chip.emulated.level("B", 0, False)
        chip.run(lasts_us)
        chip.emulated.level("B", 0, True)
        for _ in range(80):
            chip.run(500)
            slowest = min(slowest, stepper.demand.value)
        assert (slowest == 0) == cuts, (lasts_us, slowest)
        chip.drive(recording, at, at + 800, handset)
        at += 800
