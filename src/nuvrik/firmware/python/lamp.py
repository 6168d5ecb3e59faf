"""The lamp of a remote."""

from machine import PWM, Pin
from time import sleep_us, ticks_add, ticks_diff, ticks_us

THIRD = 21845
"""The lamp is on for a third of each wave, which is what receivers are made for."""

APART_US = 2000
"""What is later than this belongs to another frame."""


class Lamp:
    """A frame is sent from its beginning to its end: while a lamp flashes nothing else is due."""

    def light(self, number, carrier_hz):
        """Make it ready, and dark."""
        self.lamp = PWM(Pin(number), freq=carrier_hz, duty_u16=0)
        self.until_us = ticks_us()

    def emit(self, pin, high, us, carrier_hz):
        """One level, until its own time: what one is late by the next makes up for."""
        now_us = ticks_us()
        if ticks_diff(now_us, self.until_us) > APART_US:
            self.until_us = now_us
        self.lamp.duty_u16(THIRD if high else 0)
        self.until_us = ticks_add(self.until_us, us)
        left_us = ticks_diff(self.until_us, ticks_us())
        if left_us > 0:
            sleep_us(left_us)
        return True
