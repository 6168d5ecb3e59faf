"""Two requests of the panel, as plain functions: a routine that moves things, and a beep. Neither ever waits:
what takes time does a little at every tick.

    nuvrik new panel.toml --like panel
    nuvrik export panel.toml --to micropython --out firmware
    cp panel_requests.py firmware/main.py
"""

from machine import Pin

import nuvrik

link = nuvrik.start()
from nuvrik import own  # noqa: E402

TICK_MS = 20
BUZZER = Pin(13, Pin.OUT, value=0)
"""A free pin, with a buzzer between it and ground."""

going = {"routine": 0, "beep": 0}
"""For how many ticks the routine has gone on, and how many are left to a beep."""


def routine(call):
    """It moves, so it is only begun while the machine is armed; if that ends, or a hand takes over, it is
    called once more with `over`, and everything has been let go already. number: which routine."""
    if call.over:
        return own.DONE
    if call.first:
        going["routine"] = 0
        if call.arguments[0] != 1:
            return own.REFUSED
    going["routine"] += 1
    ms = going["routine"] * TICK_MS
    if ms <= 400:
        own.move("flap", 12000)
    elif ms <= 800:
        own.move("flap", -12000)
    else:
        # What the reply says: how many ticks it took.
        call.value = going["routine"]
        return own.DONE
    return own.RUNNING


def beep(call):
    """It moves nothing, so anybody may ask for it at any time. It is done at once; what it leaves to be done
    is done below, because a request that goes on ends with the right to move. times: how often."""
    going["beep"] = 2 * 100 // TICK_MS * call.arguments[0]
    return own.DONE


def before_outputs():
    """At every tick, when it is decided what every output does and before a pin is written."""
    BUZZER.value(going["beep"] // (100 // TICK_MS) % 2)
    if going["beep"] > 0:
        going["beep"] -= 1


own.on("routine", routine)
own.on("beep", beep)
link.before_outputs = before_outputs
link.run()
