"""The link's key, and numbers that were never there before."""

import os
import sys

try:
    from link_key import KEY
except ImportError:
    sys.exit("link_key.py is not on the board: upload it with the rest")
if not hasattr(os, "urandom"):
    sys.exit("this board has no random numbers, so what was recorded before could be played back to it")


class Secret:
    """What core asks of a board about its key."""

    def key(self, at):
        """A byte of it."""
        return KEY[at]

    def random(self, into):
        """Eight bytes."""
        into[:] = os.urandom(8)
