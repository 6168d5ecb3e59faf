"""A board that answers a request, and tells where its knob stands, by functions of one's own.

nuvrik machine panel.toml --port socket://:4712 --code answer.py
nuvrik ask panel.toml beep times=3 --port socket://127.0.0.1:4712
"""

import time


def beep(times: int) -> int:
    """Carry out [requests.beep]. It must come back at once; the number goes back with the answer."""
    print(f"beep, {times} times")
    return times


def knob() -> int:
    """Read [telemetry.knob], 0 to 1023: here somebody turns it slowly."""
    return int(time.monotonic() * 50) % 1024


SENSORS = {"knob": knob}
REQUESTS = {"beep": beep}
