"""From what outputs are told to what their pins do. Nothing is decided here."""


class PinWriters:
    """The outputs of a machine. ``writers``: of each output what sets its pins, in core's order; ``steps``:
    the steppers, each with its place among core's."""

    def __init__(self, end, writers, steps=()):
        self.end, self.writers, self.steps = end, writers, steps

    def write(self):
        """Make the writes that are due, as soon as something has been told."""
        if self.end.told:
            self.write_all()
            self.end.written()

    def write_all(self):
        """Make what writes there are."""
        end = self.end
        self.go_on()
        writes = end.writes
        for i in range(len(self.writers)):
            end.follow(i)
            writers = self.writers[i]
            for k in range(writes.count):
                writers[writes.pin[k]](writes.level[k])

    def go_on(self):
        """Which way steppers go, and how far they may."""
        steppers = self.end.machine.outputs.steppers
        for at, motor in self.steps:
            one = steppers[at]
            motor.let(one.demand.way, one.steps_left)

    def at_rest(self):
        """Whether nothing is driven."""
        outputs = self.end.machine.outputs
        if driven(outputs.motors) or driven(outputs.steppers):
            return False
        return not (driven(outputs.servos) or driven(outputs.switches))


def driven(ones):
    """Whether any of them is driven."""
    for one in ones:
        if one.demand.driven:
            return True
    return False
