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
_feed_ms = 0
_feeder = None
_off = None

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
    global _dog, _feed_ms
    _dog = machine.WDT(timeout=after_ms)
    _feed_ms = after_ms // 4


def feed_while(off):
    """Until the loop turns again, a timer feeds the watchdog for as long as ``off`` says that every output is
    off. Whatever switches one on meanwhile, the watchdog bites, and that switches it off."""
    global _feeder, _off
    if _dog is None or _feeder is not None:
        return
    _off = off
    try:
        _feeder = machine.Timer(-1)
    except ValueError:
        # Some chips have no timers but those of their hardware.
        _feeder = machine.Timer(0)
    _feeder.init(period=_feed_ms, mode=machine.Timer.PERIODIC, callback=_feed)


def _feed(timer):
    if _off():
        _dog.feed()


def alive():
    """The loop has made a whole turn. But for the timer that feeds while nothing turns and every output is
    off, nothing else may keep the watchdog from biting."""
    global _feeder
    if _feeder is not None:
        _feeder.deinit()
        _feeder = None
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
