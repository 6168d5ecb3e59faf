"""Requests that the builder's own code carries out, a little at each call."""

REFUSED = 3
FAILED = 4
"""What such a function gives; as own.py has it."""


class GivenCall:
    """One call of a request, as the builder's own code is given it. first: it has just been asked for; over:
    it may not go on, because the machine is not armed any more or has been told otherwise: put away what
    needs putting away, and return. arguments: as they were given; value: what the reply says, to be set."""

    def __init__(self):
        self.first = self.over = False
        self.arguments = None
        self.value = 0

    def text(self, first, most):
        """A text of so many bytes among the arguments, two in each from number ``first`` on."""
        parts = [self.arguments[first + i // 2] >> 8 * (i & 1) & 0xFF for i in range(most)]
        return bytes(parts).split(b"\0")[0].decode()


class Calls:
    """The requests of one machine. ``names``: in the order of the link file; ``functions``: by those
    names."""

    def __init__(self, link, names):
        self.link, self.names = link, names
        self.functions = {}
        self.given = GivenCall()

    def call(self, call):
        """Call what carries it out, and say what it gives. Outputs have been told before."""
        given, link = self.given, self.link
        link.tell()
        function = self.functions.get(self.names[call.request])
        if function is None:
            return REFUSED
        given.first, given.over = call.first, call.over
        given.arguments, given.value = call.arguments, call.value
        status = link.guarded(function, given)
        call.value = given.value
        return FAILED if status is None else status
