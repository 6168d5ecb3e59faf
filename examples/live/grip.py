"""A squeeze grip as accelerator: a program reads it, and the link file makes a speed of it.

It runs on a simulated machine; name a port to drive a real one: grip.py /dev/ttyUSB0
"""

import math
import sys
import time

import nuvrik
from nuvrik.plan.starters import starter_text

link = nuvrik.parse(starter_text("slider_motor"))  # the slider is the grip: 18 let go, 1004 squeezed
port = sys.argv[1] if len(sys.argv) > 1 else "sim"


def squeezed(seconds: float) -> int:
    """What a converter would read: somebody squeezes slowly, and lets go."""
    return round(18 + 986 * math.sin(1.5 * (seconds - 1.5)) ** 2) if seconds > 1.5 else 18


with nuvrik.connect(link, port, controls=True) as motor:
    start, said = time.monotonic(), 0.0
    while (now := time.monotonic() - start) < 4:
        # The switch is to ground: 0 is on. It is seen off first, as everywhere.
        motor.read(slider=squeezed(now), arm_switch=int(now < 0.8))
        if now > said:
            said += 0.5
            speed = motor.values["speed"]
            print(f"{now:4.1f} s  speed {0 if speed is None else speed:.2f}  {motor.why or 'driving'}")
        time.sleep(0.01)
print("let go, and disarmed")
