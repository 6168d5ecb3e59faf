"""From what outputs are told to what their pins do. Nothing is decided here."""

from machine import Pin


class PinWriters:
    """The outputs of a machine. ``writers``: of each output what sets its pins, in core's order; ``steps``:
    the steppers, each with its place among core's; ``pins``: all their pins, each with the level at which
    nothing is on."""

    def __init__(self, end, writers, steps=(), pins=()):
        self.end, self.writers, self.steps, self.pins = end, writers, steps, pins

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

    def looks_off(self):
        """Whether every pin is off, as the pins themselves say."""
        for number, level in self.pins:
            if Pin(number).value() != level:
                return False
        return True

    def put_off(self):
        """Every pin to the level at which nothing is on, whatever drives it."""
        for number, level in self.pins:
            Pin(number, Pin.OUT, value=level)

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
