"""What the builder's own code may ask and tell, by the names of the link file."""

import nuvrik
from nuvrik import names

NOTHING_THERE = -100000
"""A sensor that reads nothing; as in core/telling.py."""

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


def move(name, level):
    """From a request's function: let an output go so far, -16384 to 16384, until the next tick. Ramps and
    limits hold as ever."""
    nuvrik.link.end.machine.wish(names.OUTPUTS.index(name), level)


def tell(name, raw):
    """What a sensor reads that the board does not read by itself."""
    nuvrik.link.end.telling.take(names.SENSORS.index(name), raw)


def tell_axes(name, x, y, z):
    """The same for one with three axes."""
    at = names.SENSORS.index(name)
    nuvrik.link.end.telling.take_axis(at, 0, x)
    nuvrik.link.end.telling.take_axis(at, 1, y)
    nuvrik.link.end.telling.take_axis(at, 2, z)


def on(name, function):
    """Let a function carry out a request."""
    names.REQUESTS.index(name)
    nuvrik.link.calls.functions[name] = function
