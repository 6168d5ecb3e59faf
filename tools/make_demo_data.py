"""Makes the demo's data from a seed.

``harbour.csv``: Marram leaves her berth, crosses the harbour, berths again. ``sweep.csv``: someone moves
both sticks to all their ends and lets go, on a handset whose sticks are not quite what the link file
says. ``screw.csv``: duty against speed of a screw with stiction, as a shaft counter shows it.
``presses.txt``: someone presses each key of the curtain's remote three times, before a sloppy receiver.

With --check it changes nothing and fails if what is in the repository is not what it would make.
"""

import random
import sys
from pathlib import Path

import nuvrik
from nuvrik.plan.controls import KeyControl
from nuvrik.plan.starters import starter_text
from nuvrik.plant.motors import SimMotor
from nuvrik.pulses.codes import press
from nuvrik.pulses.noise import lamp_noise, worn
from nuvrik.pulses.timings import write_timings
from nuvrik.recordings.pilot import Keyframe, play

SEED = 20
DURATION_MS = 30_000
TARGET = Path(__file__).parents[1] / "src/nuvrik/demo"

# left_stick is fore and aft, right_stick from side to side (+ is to starboard).
HARBOUR: list[Keyframe] = [
    (1200, {"arm_button": 1}),
    (1350, {"arm_button": 0}),
    # Off the berth: a touch astern, turning.
    (2200, {"left_stick": 0.0, "right_stick": 0.0}),
    (2700, {"left_stick": -0.45}),
    (3600, {"left_stick": -0.45, "right_stick": 0.35}),
    (4200, {"left_stick": 0.0, "right_stick": 0.35}),
    # Half ahead down the harbour, a sweep to port, then full ahead.
    (4800, {"left_stick": 0.5, "right_stick": 0.0}),
    (8000, {"left_stick": 0.6, "right_stick": -0.1}),
    (8800, {"right_stick": -0.7}),
    (10400, {"left_stick": 0.6, "right_stick": -0.7}),
    (11000, {"left_stick": 1.0, "right_stick": 0.0}),
    # Still full ahead when the radio is jammed, and when it comes back; only then the pilot lets go.
    (16300, {"left_stick": 1.0, "right_stick": 0.1}),
    (16600, {"left_stick": 0.0, "right_stick": 0.0}),
    (17800, {"left_stick": 0.0, "right_stick": 0.0}),
    # On again, gently, a turn on the spot, and astern into the berth.
    (18600, {"left_stick": 0.55}),
    (21000, {"left_stick": 0.55, "right_stick": 0.0}),
    (21600, {"left_stick": 0.0, "right_stick": 0.9}),
    (23200, {"left_stick": 0.0, "right_stick": 0.9}),
    (23600, {"left_stick": 0.0, "right_stick": 0.0}),
    (24200, {"left_stick": -0.6}),
    (26400, {"left_stick": -0.4, "right_stick": -0.2}),
    (27200, {"left_stick": 0.0, "right_stick": 0.0}),
    # Alongside: disarm.
    (28400, {"arm_button": 1}),
    (28550, {"arm_button": 0}),
]

SWEEP: list[Keyframe] = [
    (1000, {"left_stick": 0.0}),
    (1600, {"left_stick": 1.0}),
    (2200, {"left_stick": 1.0}),
    (3200, {"left_stick": -1.0}),
    (3800, {"left_stick": -1.0}),
    (4400, {"left_stick": 0.0}),
    (5000, {"right_stick": 0.0}),
    (5600, {"right_stick": -1.0}),
    (6200, {"right_stick": -1.0}),
    (7200, {"right_stick": 1.0}),
    (7800, {"right_stick": 1.0}),
    (8400, {"right_stick": 0.0}),
]


def harbour() -> str:
    """The crossing, as CSV text."""
    link = nuvrik.parse(starter_text("tug"))
    return "".join(line + "\n" for line in play(link, HARBOUR, DURATION_MS, SEED).csv_lines())


def sweep() -> str:
    """The sweep, on sticks with other ends and another rest than the link file has."""
    real = (
        starter_text("tug")
        .replace("[0, 508, 1023]", "[31, 497, 989]")
        .replace("[1021, 515, 4]", "[998, 531, 22]")
    )
    return "".join(line + "\n" for line in play(nuvrik.parse(real), SWEEP, 12_000, SEED).csv_lines())


def screw() -> str:
    """Duty raised and lowered in steps, half a second each, and the speed at the end of each."""
    motor, rng = SimMotor(breakaway=0.2, kinetic=0.13, bend=0.6, top=24.0), random.Random(SEED)
    lines, t_ms = ["t_ms,duty,speed"], 0
    for duty in [*range(0, 256, 5), *range(255, -1, -5)]:
        for _ in range(50):
            motor.run(duty / 255, 10)
        t_ms += 500
        lines.append(f"{t_ms},{duty},{max(0.0, motor.speed + rng.gauss(0, 0.15) * (motor.speed > 0)):.2f}")
    return "\n".join(lines) + "\n"


def presses() -> str:
    """Each key three times, held a little longer each time; a lamp between the keys."""
    rng, text = random.Random(SEED), ""
    for name, key in nuvrik.parse(starter_text("curtain")).controls.items():
        if not isinstance(key, KeyControl) or key.code is None:
            continue
        text += f"# {name}\n"
        for repeats in range(3):
            held = press("nec", 0x1C, key.code, repeats)[:-1]
            durations = [*worn(held, rng, jitter_us=50, mark_stretch_us=90, clock=1.03), -500_000]
            text += write_timings([*durations, *lamp_noise(0.3, 60, rng)]) + "\n"
    return text


def main() -> int:
    made = {
        TARGET / "harbour.csv": harbour(),
        TARGET / "sweep.csv": sweep(),
        TARGET / "screw.csv": screw(),
        TARGET / "presses.txt": presses(),
    }
    stale = [file for file, text in made.items() if not file.exists() or file.read_text("utf-8") != text]
    if "--check" in sys.argv[1:]:
        for file in stale:
            print(f"{file} is not what this script makes: run `make docs`", file=sys.stderr)
        return 1 if stale else 0
    for file in stale:
        file.write_text(made[file], "utf-8")
        print(f"{file} written")
    return 0


if __name__ == "__main__":
    sys.exit(main())
