"""A serial line."""

from machine import UART, Pin


class Port:
    """One of the chip's, on its own pins unless others are named. ``read`` and ``write`` never wait: what is
    not there yet comes later, and a frame is written only when the one before has gone."""

    def __init__(self, number, baud, *pins):
        named = {"tx": Pin(pins[0]), "rx": Pin(pins[1])} if pins else {}
        self.uart = UART(number, baudrate=baud, timeout=0, rxbuf=256, txbuf=512, **named)
        self.free = getattr(self.uart, "txdone", always)

    def read(self, into):
        """Put what has come into a buffer, and give how many bytes."""
        return self.uart.readinto(into) or 0

    def write(self, frame, count):
        """Send so many bytes."""
        self.uart.write(frame, count)


def always():
    """Where a chip cannot tell, its buffer has room for several frames."""
    return True
