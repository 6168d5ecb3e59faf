"""The pins of outputs."""

from machine import PWM, Pin


class OutPins:
    """``plain``, ``duties`` and ``pulses``: what sets each, by its number; ``off``: all of them, each with
    the level at which nothing is on."""

    def pin(self, pin, high):
        """Low or high."""
        self.plain[pin](high)

    def pwm(self, pin, on, most):
        """In sixteen bits, of which fourteen count: more would not fit into a small number."""
        duty = (on << 14) // most << 2
        self.duties[pin](duty if duty < 65535 else 65535)

    def pulse(self, pin, us):
        """A new length counts from the next pulse on; 0: none any more."""
        if us:
            self.pulses[pin].duty_ns(us * 1000)
        else:
            self.pulses[pin].duty_u16(0)

    def looks_off(self):
        """Whether every pin is off, as the pins themselves say."""
        for number, level in self.off:
            if Pin(number).value() != level:
                return False
        return True

    def put_off(self):
        """Every pin to the level at which nothing is on, whatever drives it."""
        for number, level in self.off:
            Pin(number, Pin.OUT, value=level)


def plain(number, off):
    """A pin that is low or high, and begins with what is off."""
    return Pin(number, Pin.OUT, value=off).value


def duty(number, hz):
    """A pin that is high for a part of the time."""
    return PWM(Pin(number), freq=hz, duty_u16=0).duty_u16


def pulse(number):
    """A pin with a pulse fifty times a second."""
    return PWM(Pin(number), freq=50, duty_u16=0)
