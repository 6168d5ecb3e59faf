"""Makes the demo's recording from a seed: Marram leaves her berth, crosses the harbour, berths again.

With --check it changes nothing and fails if what is in the repository is not what it would make.
"""

import sys
from pathlib import Path

import nuvrik
from nuvrik.plan.starters import starter_text
from nuvrik.rehearsal.pilot import Keyframe, play

SEED = 20
DURATION_MS = 30_000
TARGET = Path(__file__).parents[1] / "src/nuvrik/demo/harbour.csv"

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


def harbour() -> str:
    """The recording as CSV text."""
    link = nuvrik.parse(starter_text("tug"))
    return "".join(line + "\n" for line in play(link, HARBOUR, DURATION_MS, SEED).csv_lines())


def main() -> int:
    made = harbour()
    if "--check" in sys.argv[1:]:
        if TARGET.read_text("utf-8") != made:
            print(f"{TARGET} is not what this script makes: run `make docs`", file=sys.stderr)
            return 1
        return 0
    TARGET.write_text(made, "utf-8")
    print(f"{TARGET} written")
    return 0


if __name__ == "__main__":
    sys.exit(main())
