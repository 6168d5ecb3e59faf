"""The levels of a pin, each with how long it lasted."""

from array import array
from machine import Pin
from time import ticks_add, ticks_diff, ticks_us

SILENCE_US = 30000
"""A level that lasts is given in pieces of so long, so that a silence is known before it ends."""

ROOM = 128
"""Levels that are kept for whoever does not ask: a power of two."""


class Edges:
    """Those of one pin."""

    def watch(self, number):
        """From now on."""
        self.edge_pin = Pin(number, Pin.IN, Pin.PULL_UP)
        self.lengths = array("H", [0] * ROOM)
        self.levels = bytearray(ROOM)
        self.put = self.got = 0
        self.level = self.edge_pin.value()
        self.before_us = ticks_us()
        self.edge_pin.irq(self.change, Pin.IRQ_RISING | Pin.IRQ_FALLING)

    def change(self, pin):
        """An edge. What does not fit any more is lost."""
        now_us = ticks_us()
        us = ticks_diff(now_us, self.before_us)
        after = self.put + 1 & ROOM - 1
        if after != self.got:
            self.lengths[self.put] = us if 0 < us < 65535 else 65535
            self.levels[self.put] = self.level
            self.put = after
        self.before_us = now_us
        self.level = pin.value()

    def edge(self, pin, into):
        """The microseconds of the oldest level that has ended, 0 for none; into says which it was."""
        if self.got != self.put:
            us = self.lengths[self.got]
            into[0] = self.levels[self.got]
            self.got = self.got + 1 & ROOM - 1
            return us
        if ticks_diff(ticks_us(), self.before_us) >= SILENCE_US:
            self.before_us = ticks_add(self.before_us, SILENCE_US)
            into[0] = self.level
            return SILENCE_US
        return 0
