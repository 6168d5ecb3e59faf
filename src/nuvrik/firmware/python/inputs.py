"""What is read on pins."""

from machine import ADC, Pin
from time import ticks_diff, ticks_us

SPARK_US = 200
"""A contact that closes for less than that was a spark."""


class ReadPins:
    """``readers``: what reads each pin, by its number."""

    def input(self, pin, what):
        """What it reads now."""
        return self.readers[pin]()


class Analog:
    """Counts of the converter, as many bits of its sixteen as the link file counts in."""

    def __init__(self, number, bits):
        self.adc, self.less = ADC(Pin(number)), 16 - bits

    def read(self):
        """A voltage."""
        return self.adc.read_u16() >> self.less


def contact(number):
    """A contact to ground: 1 while it is open."""
    return Pin(number, Pin.IN, Pin.PULL_UP).value


class Counter:
    """Edges counted since the start."""

    def __init__(self, number):
        self.count = 0
        pin = Pin(number, Pin.IN, Pin.PULL_UP)
        pin.irq(self.one, Pin.IRQ_RISING | Pin.IRQ_FALLING)

    def one(self, pin):
        """One more. It goes round at 65536."""
        self.count = self.count + 1 & 0xFFFF

    def read(self):
        """So many."""
        return self.count


class Latched:
    """An end switch to ground: a level that came and went between two readings is given once."""

    def __init__(self, number):
        self.pin = Pin(number, Pin.IN, Pin.PULL_UP)
        self.at = self.said = self.pin.value()
        self.since_us = ticks_us()
        self.missed = False
        self.pin.irq(self.change, Pin.IRQ_RISING | Pin.IRQ_FALLING)

    def change(self, pin):
        """An edge."""
        now_us = ticks_us()
        if self.at != self.said and ticks_diff(now_us, self.since_us) >= SPARK_US:
            self.missed = True
        self.at, self.since_us = pin.value(), now_us

    def read(self):
        """What it is, or was meanwhile."""
        self.said = 1 - self.said if self.missed else self.pin.value()
        self.missed = False
        return self.said
