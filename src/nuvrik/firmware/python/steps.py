"""Steps of steppers, by a timer that looks twice as often as the fastest of them steps."""

from machine import Pin, Timer


class Steps:
    """All steppers of a board. ``hz``: how often it looks."""

    def __init__(self, timer, hz):
        self.hz = hz
        self.motors = []
        self.timer = Timer(timer)

    def begin(self, *motors):
        """These are all."""
        self.motors = motors
        self.timer.init(freq=self.hz, callback=self.look)

    def look(self, timer):
        """Whether any is to step."""
        for motor in self.motors:
            if motor.rate and motor.left:
                motor.part += motor.rate
                if motor.part >= self.hz:
                    motor.part -= self.hz
                    if motor.left > 0:
                        motor.left -= 1
                    motor.step()


class StepMotor:
    """A stepper. rate: steps a second; left: how many it may still make, -1 for any number; way: 1 or -1."""

    def __init__(self):
        self.rate = self.part = 0
        self.left = -1
        self.way = 0

    def let(self, way, left):
        """Which way it goes, and how far it may."""
        self.way, self.left = way, left

    def put(self, rate):
        """How fast."""
        self.rate = rate


class Driven(StepMotor):
    """One whose driver steps with each pulse."""

    def __init__(self, number):
        super().__init__()
        self.pin = Pin(number, Pin.OUT, value=0).value

    def step(self):
        """One pulse."""
        self.pin(1)
        self.pin(0)


class Coils(StepMotor):
    """One that hangs on four pins: A plus, A minus, B plus, B minus."""

    def __init__(self, *numbers):
        super().__init__()
        self.pins = tuple(Pin(number, Pin.OUT, value=0).value for number in numbers)
        self.phase = 0
        self.held = False

    def step(self):
        """The next phase, or the one before."""
        self.phase = self.phase + self.way & 3
        self.show()

    def show(self):
        """Put current into the coils."""
        phase = self.phase
        self.pins[0](phase == 0 or phase == 1)
        self.pins[1](phase == 2 or phase == 3)
        self.pins[2](phase == 1 or phase == 2)
        self.pins[3](phase == 3 or phase == 0)

    def current(self, on):
        """Whether there is current at all."""
        if on:
            self.show()
        else:
            for pin in self.pins:
                pin(0)


def nothing(level):
    """A pin that only a driver has."""
