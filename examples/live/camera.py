"""A camera that measures how far away something is, and a servo that follows: any program can be the hands.

It prints a line a reading, for a link made with `nuvrik new pan_tilt.toml --like pan_tilt`:

    python camera.py | nuvrik drive pan_tilt.toml --port sim --from -

Where it hangs, or ends, its last reading grows old, and the servos stay where they are, disarmed.
"""

import math
import sys
import time

NEAR_M, FAR_M = 0.3, 3.0
FRAME_S = 1 / 25


def distance_m(seconds: float) -> float:
    """What a camera would see: something that comes and goes."""
    return 1.6 + 1.2 * math.sin(seconds)


def reading(metres: float) -> int:
    """As a raw reading of the stick, 0 to 1023."""
    return round(1023 * (min(max(metres, NEAR_M), FAR_M) - NEAR_M) / (FAR_M - NEAR_M))


seconds = float(sys.argv[1]) if len(sys.argv) > 1 else math.inf
print("pan_stick,tilt_stick,arm_switch", flush=True)
start = time.monotonic()
while (now := time.monotonic() - start) < seconds:
    # Hands off for a second, then armed; whoever watches the camera does that on purpose.
    arm = int(now > 1.0)
    pan = reading(distance_m(now)) if now > 1.5 else 511
    print(f"{pan},498,{arm}", flush=True)
    time.sleep(FRAME_S)
