"""What the builder's own code may tell, by the names of the link file."""

import nuvrik
from nuvrik import names


def read(name, raw):
    """A reading of a control that the board does not read by itself; of a key of a remote, how often it has
    arrived so far."""
    nuvrik.link.loop.read(names.CONTROLS.index(name), raw)


def armed():
    """Whether arm is being sent on."""
    return nuvrik.link.end.handset.arming.sent
