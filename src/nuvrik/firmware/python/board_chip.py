"""Clock, start and watchdog of a chip, over MicroPython's own ``machine``."""

import machine
import os
import sys
import time

now_ms = time.ticks_ms
"""Milliseconds that go round."""

since = time.ticks_diff
"""``since(now, before)``: how many have gone by."""

idle = machine.idle
"""Until something happens, or a little while."""

_dog = None

WHY = ((1, "PWRON_RESET"), (2, "HARD_RESET"), (3, "WDT_RESET"), (4, "BROWNOUT_RESET"))
"""Why a board has started, as a hello says it."""


def start():
    """Why the board has started, 0 where nobody knows, and a number that was not there at any earlier start,
    in two halves."""
    why = 0
    cause = machine.reset_cause() if hasattr(machine, "reset_cause") else -1
    for code, name in WHY:
        if getattr(machine, name, -2) == cause:
            why = code
    boot = os.urandom(4)
    return why, boot[0] | boot[1] << 8, boot[2] | boot[3] << 8


def guard(after_ms):
    """From now on the board is reset if ``alive`` is not called for so long."""
    global _dog
    _dog = machine.WDT(timeout=after_ms)


def alive():
    """The loop has made a whole turn. Nothing else may keep the watchdog from biting."""
    if _dog is not None:
        _dog.feed()


def watch(calling):
    """The builder's own code begins or ends. What blocks in it is the watchdog's."""


def tell(error):
    """Say what has gone wrong in the builder's own code."""
    sys.print_exception(error)


def leaves():
    """A chip runs for ever."""
    return False
