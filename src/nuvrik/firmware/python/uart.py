"""A serial line."""

from machine import UART, Pin

AT_ONCE = 64
"""So many bytes are taken out of the chip's own buffer together."""


class Uart:
    """One of the chip's, on its own pins unless others are named. Nothing here waits: what is not there yet
    comes later, and a frame is written only when the one before has gone."""

    def open(self, number, baud, *pins):
        """Make it ready."""
        named = {"tx": Pin(pins[0]), "rx": Pin(pins[1])} if pins else {}
        self.uart = UART(number, baudrate=baud, timeout=0, rxbuf=256, txbuf=512, **named)
        self.free = getattr(self.uart, "txdone", always)
        self.heard = bytearray(AT_ONCE)
        self.count = self.at = 0

    def take(self, line):
        """The next byte, -1 for none."""
        at = self.at
        if at == self.count:
            self.count = self.uart.readinto(self.heard) or 0
            at = 0
            if self.count == 0:
                self.at = 0
                return -1
        self.at = at + 1
        return self.heard[at]

    def give(self, line, frame, count):
        """Send so many bytes, or say whether it would take any."""
        if count == 0:
            return self.free()
        self.uart.write(frame, count)
        return True


def always():
    """Where a chip cannot tell, its buffer has room for several frames."""
    return True
