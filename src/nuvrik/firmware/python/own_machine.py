"""What the builder's own code may ask and tell, by the names of the link file. It may lessen and stop, and it
starts nothing that no handset has asked for.

    def before_outputs():
        if own.told("bow").driven and bumper.value() == 0:
            own.stop(3)
"""

import nuvrik
from nuvrik import names

FULL = 16384
"""Full scale."""

NOTHING_THERE = -100000
"""A sensor that reads nothing; as in core/machine/telling.py."""

DONE = 0
RUNNING = 1
REFUSED = 3
FAILED = 4
"""What a request's function gives."""

WAITING = 0
STANDBY = 1
ARMED = 2
FAILSAFE = 3
STOPPED = 4
"""What ``state`` gives."""


def state():
    """The state of the machine."""
    return nuvrik.link.end.machine.watch.state


def channel(name):
    """What a channel said last, in the form that a mix knows: a level or a share in 16384ths, a flag, a
    number."""
    return nuvrik.link.end.values[names.CHANNELS.index(name)]


def told(name):
    """What an output is told now: at, value, way, driven, braked."""
    return nuvrik.link.end.machine.outputs.told(names.OUTPUTS.index(name))


def limit(name, most):
    """Leave an output that turns no more than so much of full scale either way, 0 to FULL, from the next tick
    on and until it is said again; of several that are said between two ticks the least counts. Once 0 has
    been left, and then more, the output counts again when its sticks have rested. A hold is left alone."""
    if not isinstance(most, int) or not 0 <= most <= FULL:
        raise ValueError("limit is a whole number from 0 to " + str(FULL))
    if not nuvrik.link.loop.limit(names.OUTPUTS.index(name), most):
        raise ValueError(name + " does not turn: a place or a switch has no way of being less")


def stop(why):
    """Stop the machine as a stop frame does: at once, until it is armed again. why: a number of your own, 1
    to 15, which `nuvrik hello` and the handset show."""
    if not isinstance(why, int) or not 1 <= why <= 15:
        raise ValueError("why is a number from 1 to 15")
    nuvrik.link.own_stop(why)


def move(name, level):
    """From the function of a request that moves something, while it is called: let an output go so far, -FULL
    to FULL, until the next tick. Ramps and limits hold as ever."""
    if not isinstance(level, int) or not -FULL <= level <= FULL:
        raise ValueError("move goes by a whole number, to " + str(FULL) + " either way")
    output = names.OUTPUTS.index(name)
    if nuvrik.link.calls is None or not nuvrik.link.loop.move(output, level):
        raise ValueError("move is for the function of a request: nothing else may start anything")


def tell(name, raw):
    """What a sensor reads that the board does not read by itself: a whole number."""
    if not isinstance(raw, int):
        raise ValueError(name + " is told as a whole number")
    nuvrik.link.loop.tell(names.SENSORS.index(name), raw)


def tell_axes(name, x, y, z):
    """The same for one with three axes."""
    nuvrik.link.loop.tell_axes(names.SENSORS.index(name), x, y, z)


def on(name, function):
    """Let a function carry out a request."""
    names.REQUESTS.index(name)
    nuvrik.link.calls.functions[name] = function
