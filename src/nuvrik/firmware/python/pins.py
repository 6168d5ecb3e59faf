"""What sets the pins of outputs: each gives a function that takes what core writes."""

from machine import PWM, Pin


def plain(number, off):
    """A pin that is low or high, and begins with what is off."""
    return Pin(number, Pin.OUT, value=off).value


class Duty:
    """A pin that is high for so many of each ``most`` counts."""

    def __init__(self, number, hz, most):
        self.most = most
        self.pwm = PWM(Pin(number), freq=hz, duty_u16=0)

    def put(self, on):
        """In sixteen bits, of which fourteen count: more would not fit into a small number."""
        duty = (on << 14) // self.most << 2
        self.pwm.duty_u16(duty if duty < 65535 else 65535)


class Pulse:
    """A pin with a pulse of so many microseconds fifty times a second; 0: none any more."""

    def __init__(self, number):
        self.pwm = PWM(Pin(number), freq=50, duty_u16=0)

    def put(self, us):
        """A new length counts from the next pulse on."""
        if us:
            self.pwm.duty_ns(us * 1000)
        else:
            self.pwm.duty_u16(0)
