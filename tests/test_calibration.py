"""Calibration finds what was put in, says when it cannot, and writes without breaking a file."""

import json
import random
from itertools import pairwise
from pathlib import Path

import pytest
from hands import OneControl
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many, write
from typed import nuvrik_command

import nuvrik
from nuvrik.calibration.controls import Calibrated, calibrate
from nuvrik.calibration.motors import fit_motor
from nuvrik.demo import demo_text
from nuvrik.levels import along, level_of
from nuvrik.plan.controls import AxisControl, SliderControl
from nuvrik.plan.edit import edited
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plant.motors import SimMotor

pytestmark = pytest.mark.slow

TIMES = list(range(0, 12_000, 20))
STICK = AxisControl(kind="axis", raw=[0, 512, 1023])
FALLING = AxisControl(kind="axis", raw=[1023, 512, 0])


def sweep(low: float, rest: float, high: float, noise: float, seed: int, ends: int = 2) -> list[int]:
    """A hand that goes to the ends and lets go; with ``ends`` 1 only to high, with 0 nowhere."""
    rng, readings = random.Random(seed), []
    track = [(0, rest), (1000, rest), (2000, high if ends else rest), (3000, high if ends else rest)]
    track += [
        (5000, low if ends > 1 else rest),
        (6000, low if ends > 1 else rest),
        (7000, rest),
        (12_000, rest),
    ]
    for t_ms in TIMES:
        (t0, a), (t1, b) = next((p, q) for p, q in pairwise(track) if p[0] <= t_ms <= q[0])
        readings.append(round(a + (b - a) * (t_ms - t0) / (t1 - t0) + rng.uniform(-noise, noise)))
    return readings


def one(model: AxisControl | SliderControl, readings: list[int | None]) -> Calibrated:
    (found,) = calibrate({"stick": model}, TIMES, {"stick": readings})
    return found


@settings(max_examples=many(60))
@given(
    st.integers(-500, 3000),
    st.integers(200, 4000),
    st.floats(0.2, 0.8),
    st.floats(0, 0.01),
    st.booleans(),
    st.integers(0, 99),
)
def test_a_clean_sweep_is_found_whichever_way_it_counts(
    low: int, span: int, share: float, noise: float, falling: bool, seed: int
) -> None:
    rest, high, stray = round(low + share * span), low + span, noise * span
    found = one(FALLING if falling else STICK, sweep(low, rest, high, stray, seed))
    assert found.raw is not None and found.dead_zone is not None and found.sure == "sure", found
    ordered = found.raw[::-1] if falling else found.raw
    for seen, true in zip(ordered, (low, rest, high), strict=True):
        assert abs(seen - true) <= 2 * stray + 2
    # What it finds does what it is for: let go, the control says nothing; at the ends, full.
    stick = OneControl(STICK.model_copy(update={"raw": found.raw, "dead_zone": found.dead_zone}))
    for reading in (rest - stray, rest + stray):
        stick.read(round(reading), 0)
        assert stick.value == 0
    stick.read(round(high - stray), 0)
    assert abs(stick.value or 0) > 0.97 * 16384


def test_a_slider_has_no_rest() -> None:
    found = one(SliderControl(kind="slider", raw=[900, 100]), sweep(212, 212, 880, 2, 1))
    assert found.raw is not None and found.raw[0] > 870 and found.raw[1] < 220 and found.sure == "sure"


@pytest.mark.parametrize(
    ("readings", "doubt"),
    [
        (sweep(0, 512, 1023, 2, 1, ends=0), "stuck"),
        (sweep(0, 512, 1023, 2, 1, ends=1), "one half is missing: hardly moved below"),
        (
            [
                r + (t > 10_500) * (t - 10_500) // 30
                for t, r in zip(TIMES, sweep(0, 512, 1023, 1, 1), strict=True)
            ],
            "drifts",
        ),
        (
            [r + 60 * (t > 6500) for t, r in zip(TIMES, sweep(0, 512, 1023, 1, 1), strict=True)],
            "away from where",
        ),
        ([None if t % 100 else r for t, r in zip(TIMES, sweep(0, 512, 1023, 1, 1), strict=True)], "missing"),
        ([None] * len(TIMES), "only 0 readings"),
        (
            [None if t > 10_000 else r for t, r in zip(TIMES, sweep(0, 512, 1023, 1, 1), strict=True)],
            "let go",
        ),
    ],
    ids=["stuck", "half", "drift", "wander", "gaps", "empty", "never let go"],
)
def test_what_is_wrong_with_a_control_is_said(readings: list[int | None], doubt: str) -> None:
    found = one(STICK, readings)
    assert any(doubt in said for said in found.doubts) and found.sure != "sure", found


def test_spikes_and_readings_to_ignore_are_no_ends_and_twins_are_noticed() -> None:
    readings: list[int | None] = list(sweep(100, 500, 900, 1, 1))
    readings[70], readings[200] = 1023, 127
    found = one(STICK.model_copy(update={"ignore": [127]}), readings)
    assert found.raw is not None and found.raw[2] < 905 and found.raw[0] > 95
    columns = {"left": sweep(0, 512, 1023, 1, 1), "right": sweep(0, 500, 1000, 1, 2)}
    both = calibrate({"left": STICK, "right": STICK}, TIMES, columns)
    assert all("moves together with" in found.doubts[0] and found.sure == "fairly sure" for found in both)


@settings(max_examples=many(25))
@given(st.floats(0.05, 0.3), st.floats(0.5, 1.6), st.floats(3, 60), st.integers(0, 9))
def test_a_motor_is_duty_curveed(kinetic: float, bend: float, top: float, seed: int) -> None:
    motor, rng = SimMotor(breakaway=kinetic + 0.06, kinetic=kinetic, bend=bend, top=top), random.Random(seed)
    duties = [i / 60 for i in (*range(61), *range(60, -1, -1))]
    speeds = []
    for duty in duties:
        for _ in range(100):
            motor.run(duty, 10)
        speeds.append(abs(motor.speed * (1 + rng.uniform(-0.005, 0.005))))
    fit = fit_motor(duties, speeds)
    assert kinetic + 0.04 <= fit.start_duty <= kinetic + 0.06 + 3 / 60 and fit.spread < 0.03
    assert motor.settled(fit.start_duty, turning=False) > 0, "the start duty does start it"
    points = [(level_of(x), level_of(y)) for x, y in fit.curve]
    for level in (0.5, 0.75, 1.0):
        duty = fit.start_duty + (1 - fit.start_duty) * along(points, level_of(level)) / 16384
        assert motor.settled(duty, turning=True) == pytest.approx(level * top, abs=0.06 * top)


@pytest.mark.parametrize(
    ("duty", "speed", "words"),
    [
        ([0.5] * 20, [3.0] * 20, "spread over"),
        ([i / 20 for i in range(21)], [0.0] * 21, "hardly moved"),
        ([0.4 + i / 40 for i in range(21)], [3.0 + i for i in range(21)], "stands still"),
    ],
)
def test_a_log_that_cannot_tell_is_refused(duty: list[float], speed: list[float], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        fit_motor(duty, speed)


@pytest.mark.parametrize("name", sorted(set(starter_names()) - {"panel"}))
def test_writing_keeps_every_comment_and_every_other_number(name: str) -> None:
    text, link = starter_text(name), nuvrik.parse(starter_text(name))
    control = next(n for n, c in link.controls.items() if c.kind in ("axis", "slider", "button", "key"))
    kind = link.controls[control].kind
    key, value = {"button": ("stale_ms", 321), "key": ("released_after_ms", 321)}.get(
        kind, ("dead_zone", 0.07)
    )
    changed = edited(text, {("controls", control, key): value})
    comments = [line.partition("#")[2] for line in text.splitlines() if "#" in line]
    assert [line.partition("#")[2] for line in changed.splitlines() if "#" in line] == comments
    models = link.controls | {control: link.controls[control].model_copy(update={key: value})}
    assert nuvrik.parse(changed) == link.model_copy(update={"controls": models})


def test_a_new_key_joins_its_own_section() -> None:
    changed = edited(
        starter_text("tug"), {("controls", "stop_button", "stale_ms"): 321, ("failsafe", "give_up_ms"): 5000}
    )
    lines = changed.splitlines()
    assert (
        lines[lines.index("stale_ms = 321") - 1].startswith("debounce_ms")
        and lines[-1] == "give_up_ms = 5000"
    )
    assert nuvrik.parse(changed).controls["stop_button"].stale_ms == 321


def test_calibrate_as_a_user_types_it(tmp_path: Path) -> None:
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    swept, screw = (write(tmp_path, name, demo_text(name)) for name in ("sweep.csv", "screw.csv"))
    said = nuvrik_command("calibrate", tug, swept, "--figure", tmp_path / "sweep.png")
    assert "nothing written" in said and "sure" in said and tug.read_text() == starter_text("tug")
    records = [json.loads(line) for line in nuvrik_command("calibrate", tug, swept, "--json").splitlines()]
    assert [record["name"] for record in records] == ["left_stick", "right_stick"]
    nuvrik_command("calibrate", tug, swept, "--write")
    nuvrik_command(
        "calibrate", tug, screw, "--output", "port_screw", "--write", "--figure", tmp_path / "screw.png"
    )
    link = nuvrik.load(tug)
    assert link.controls["left_stick"].raw == records[0]["raw"] and link.controls["right_stick"].raw[0] > 900
    screw_model = link.outputs["port_screw"]
    assert screw_model.start_duty > 0.19 and len(screw_model.duty_curve) == 6
    assert tug.read_text().count("#") == starter_text("tug").count("#")
    assert all((tmp_path / name).read_bytes().startswith(b"\x89PNG") for name in ("sweep.png", "screw.png"))
    still = write(
        tmp_path,
        "still.csv",
        "t_ms,left_stick,right_stick,arm_button\n" + "".join(f"{t},508,515,0\n" for t in TIMES),
    )
    assert "stuck" in nuvrik_command("calibrate", tug, still, code=1)
    assert "no motor with a duty" in nuvrik_command("calibrate", tug, screw, "--output", "winch", code=2)
    assert "t_ms,duty,speed" in nuvrik_command("calibrate", tug, swept, "--output", "port_screw", code=2)
    bad = write(tmp_path, "bad.csv", "t_ms,duty,speed\n0,0,0\n1,nan,0\n")
    assert "line 3: duty is 'nan'" in nuvrik_command("calibrate", tug, bad, "--output", "port_screw", code=2)
    assert TUG.outputs["port_screw"] != screw_model


@settings(max_examples=many(60))
@given(st.integers(10, 60), st.integers(2, 20), st.integers(0, 10))
def test_no_start_is_written_at_which_the_log_says_it_stands(begins: int, step: int, seed: int) -> None:
    """However coarse the log: between the last duty at which it stood and the first at which it turned."""
    rng = random.Random(seed)
    duties = [duty / 100 for duty in range(0, 101, step)] + [1.0]
    speeds = [max(0.0, (duty - begins / 100) * rng.uniform(9, 11)) for duty in duties]
    try:
        fit = fit_motor(duties, speeds)
    except ValueError:
        return  # it says that there is too little in it
    top = max(speeds)
    stood = max(duty for duty, speed in zip(duties, speeds, strict=True) if speed <= 0.01 * top)
    turned = min(duty for duty, speed in zip(duties, speeds, strict=True) if speed > 0.01 * top)
    assert stood < fit.start_duty <= turned + 0.001
    assert bool(fit.doubts) == (turned - stood > 0.1)


def test_of_several_loads_the_worst_is_written(tmp_path: Path) -> None:
    """As files of their own, or as a column of one."""
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    rows = {
        name: [
            f"{place},{duty},{max(0.0, duty / 255 - start) * top:.4f}"
            for place, duty in enumerate(range(256))
        ]
        for name, (start, top) in {"free": (0.12, 9), "towing": (0.3, 5), "fresh": (0.2, 12)}.items()
    }
    files = [
        write(tmp_path, f"{name}.csv", "\n".join(["t_ms,duty,speed", *lines])) for name, lines in rows.items()
    ]
    together = ["t_ms,duty,speed,load"] + [f"{line},{name}" for name, lines in rows.items() for line in lines]
    one = write(tmp_path, "all.csv", "\n".join(together))
    said = []
    for logs in (files, [one]):
        words = ("calibrate", link_file, *logs, "--output", "port_screw", "--json", "--write")
        said.append(json.loads(nuvrik_command(*words)))
    assert said[0] == said[1] and said[0]["load"] == "towing"
    assert nuvrik.load(link_file).outputs["port_screw"].start_duty == pytest.approx(0.3, abs=0.015)
    assert [load["load"] for load in said[0]["loads"]] == ["free", "towing", "fresh"]
    twice = nuvrik_command("calibrate", link_file, files[0], files[0], "--output", "port_screw", code=2)
    assert "two logs are of the load 'free'" in twice
