"""Steps of steppers, by a timer that looks twice as often as the fastest of them steps."""

from machine import Pin, Timer


class Steps:
    """All steppers of a board. ``hz``: how often it looks; ``motors``: by the first of their pins."""

    def step(self, timer, hz, motors):
        """Look from now on."""
        self.hz, self.motors = hz, motors
        self.every = tuple(motors.values())
        self.timer = Timer(timer)
        self.timer.init(freq=hz, callback=self.look)

    def steps(self, pins, count, rate, left):
        """How fast one goes, which way, and how far it may."""
        motor = self.motors[pins[0]]
        motor.way = -1 if rate < 0 else 1
        motor.left = left
        motor.rate = -rate if rate < 0 else rate

    def look(self, timer):
        """Whether any is to step."""
        for motor in self.every:
            if motor.rate and motor.left:
                motor.part += motor.rate
                if motor.part >= self.hz:
                    motor.part -= self.hz
                    if motor.left > 0:
                        motor.left -= 1
                    motor.step()


class StepMotor:
    """What goes by steps. rate: how many a second; left: how many it may still make, -1 for any; way: 1,
    -1."""

    def __init__(self):
        self.rate = self.part = 0
        self.left = -1
        self.way = 0


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

    def __init__(self, *pins):
        super().__init__()
        self.pins = pins
        self.phase = 0

    def step(self):
        """The next phase, or the one before."""
        phase = self.phase = self.phase + self.way & 3
        self.pins[0](phase == 0 or phase == 1)
        self.pins[1](phase == 2 or phase == 3)
        self.pins[2](phase == 1 or phase == 2)
        self.pins[3](phase == 3 or phase == 0)
