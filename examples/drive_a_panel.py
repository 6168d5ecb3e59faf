"""A panel on the bench: set a lamp, a duty, an angle and a step rate, read what is there, move 130 steps.

It runs on a simulated board; give the name of a port to drive a real one: drive_a_panel.py /dev/ttyUSB0
"""

import sys
import time

import nuvrik
from nuvrik.plan.starters import starter_text

port = sys.argv[1] if len(sys.argv) > 1 else "sim"
link = nuvrik.parse(starter_text("panel"))  # or nuvrik.load("panel.toml")

with nuvrik.connect(link, port) as panel:  # waits for the board's hello
    print(f"{panel.hello().name} is there; there and back in {panel.round_trip_ms()} ms")
    panel.arm()  # never implied
    panel.set(lamp=True, flap=-0.5)  # until set again; what turns, for five seconds unless told otherwise
    panel.set(fan=0.6, for_s=1.0)  # withdrawn after a second
    time.sleep(0.8)
    for name, reading in panel.telemetry.items():
        print(f"  {name:10} {reading.words}")
    moved = panel.request("move", steps=130)  # asked until answered, carried out at most once
    print(f"the turntable turned {moved.value} steps")
# Leaving the block, even by an exception, sends disarm for at least timeout_ms.
print("disarmed")
