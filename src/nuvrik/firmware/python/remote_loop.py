"""A remote control: keys in, marks and spaces out. Nothing is decided here."""

from time import sleep_us, ticks_add, ticks_diff, ticks_us

from machine import PWM, Pin

from nuvrik import wiring
from nuvrik.core.remote import Remote
from nuvrik.guard import Guard
from nuvrik.tables import link
from nuvrik.wiring import board

READ_MS = 5
"""How often keys are read."""

THIRD = 21845
"""The lamp is on for a third of each wave, which is what receivers are made for."""


class RemoteLoop(Guard):
    """One remote. ``before_frame``: the builder's own function, called when keys have been read."""

    def __init__(self):
        super().__init__()
        self.end = Remote(link)
        self.before_frame = None
        self.inputs = wiring.inputs()
        self.lamp = PWM(Pin(wiring.LAMP), freq=wiring.CARRIER_HZ, duty_u16=0)
        board.start()
        self.begin()
        self.read_ms = self.before_ms

    def turn(self):
        """One turn. A frame is sent from its beginning to its end: while a lamp flashes nothing else is
        due."""
        end = self.end
        now_ms = board.now_ms()
        end.pass_time(now_ms & 0xFFFF)
        if board.since(now_ms, self.read_ms) >= READ_MS:
            self.read_ms = now_ms
            for key, read in self.inputs:
                # A contact to ground.
                if read() == 0:
                    end.hold(key)
            if self.before_frame is not None:
                self.guarded(self.before_frame)
        if end.send():
            self.flash(end.maker)
        board.alive()

    def flash(self, maker):
        """Marks and spaces in turn, a mark first, each until its own time: what one is late by the next makes
        up for."""
        lamp = self.lamp
        until_us = ticks_us()
        for i in range(maker.count):
            lamp.duty_u16(0 if i & 1 else THIRD)
            until_us = ticks_add(until_us, maker.times[i])
            left_us = ticks_diff(until_us, ticks_us())
            if left_us > 0:
                sleep_us(left_us)
        lamp.duty_u16(0)

    def stop(self):
        """A remote that sends nothing is silence."""

    def leave(self):
        """There is nothing to be put away."""
        self.lamp.duty_u16(0)
        return True
