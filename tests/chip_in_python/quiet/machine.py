"""As little of MicroPython's ``machine`` as an export can be started with: for counting what it needs
itself."""

import sys
from time import ticks_ms  # noqa: F401

turns = 0


def idle():
    global turns
    turns += 1
    if turns == 3000:
        sys.exit(0)


class Pin:
    IN = OUT = PULL_UP = IRQ_RISING = IRQ_FALLING = 1

    def __init__(self, number, mode=0, pull=0, value=0):
        pass

    def value(self, to=0):
        return 0

    def irq(self, handler, trigger):
        pass

    duty_u16 = duty_ns = init = feed = value


class PWM(Pin):
    def __init__(self, pin, freq, duty_u16):
        pass


class UART(PWM):
    def __init__(self, number, baudrate, timeout, rxbuf, txbuf, tx=None, rx=None):
        pass

    def readinto(self, into):
        return None

    def write(self, frame, count):
        pass


class ADC(Pin):
    def __init__(self, pin):
        pass

    def read_u16(self):
        return 500


class Timer(Pin):
    PERIODIC = 1

    def __init__(self, number):
        pass

    def init(self, freq=0, callback=None, period=0, mode=1):
        pass

    def deinit(self):
        pass


class WDT(Pin):
    def __init__(self, timeout):
        pass


class SPI(Pin):
    def __init__(self, number, baudrate, polarity, phase, sck=None, mosi=None, miso=None):
        pass
