"""Requests that the builder's own code carries out, a little at each call."""

RUNNING = 1
REFUSED = 3
FAILED = 4
"""What such a function gives; as own.py has it."""

OWN_MOTION = 2
"""As in core/desk.py."""


class Call:
    """One call of a request. first: it has just been asked for; over: it may not go on, because the machine
    is not armed any more or has been told otherwise: put away what needs putting away, and return. arguments:
    as they were given; value: what the reply says, to be set."""

    def __init__(self, most):
        self.first = False
        self.over = False
        self.arguments = [0] * most
        self.value = 0

    def text(self, first, most):
        """A text of so many bytes among the arguments, two in each from number ``first`` on."""
        parts = [self.arguments[first + i // 2] >> 8 * (i & 1) & 0xFF for i in range(most)]
        return bytes(parts).split(b"\0")[0].decode()


class Calls:
    """The requests of one machine. ``names``: in the order of the link file; ``functions``: by those
    names; ``calling``: one of them is being called, and may move something."""

    def __init__(self, loop, names, most):
        self.loop, self.names = loop, names
        self.functions = {}
        self.call = Call(most)
        self.going = None
        self.calling = False

    def begin(self):
        """One has been accepted."""
        end, call = self.loop.end, self.call
        end.calls = False
        if self.going is not None:
            call.over = True
            self.loop.guarded(self.going, call)
        desk = end.machine.desk
        self.going = self.functions.get(self.names[desk.code])
        for i in range(len(call.arguments)):
            call.arguments[i] = desk.arguments[i]
        call.first = True
        call.over = False
        call.value = 0
        status = self.ask()
        call.first = False
        end.machine.called(status, call.value)

    def ask(self):
        """Call what goes on, and say what it gives."""
        if self.going is None:
            return REFUSED
        self.calling = True
        status = self.loop.guarded(self.going, self.call)
        self.calling = False
        status = FAILED if status is None else status
        if status != RUNNING:
            self.going = None
        return status

    def go_on(self):
        """Once a tick, what goes on. Outputs have been told already if it may not."""
        if self.going is None:
            return
        machine = self.loop.end.machine
        if machine.desk.motion != OWN_MOTION:
            self.call.over = True
            self.loop.guarded(self.going, self.call)
            self.going = None
            return
        machine.let_go()
        status = self.ask()
        if status != RUNNING:
            machine.own_over(status, self.call.value)
