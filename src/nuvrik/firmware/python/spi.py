"""An SPI bus, and the pins of a radio chip on it."""

from machine import SPI, Pin

MOST = 34


class Bus:
    """Exchanges bytes with a radio chip. Nothing here waits for longer than an exchange takes."""

    def join(self, number, *pins):
        """Make it ready: 8 MHz, mode 0, on its own pins unless others are named."""
        named = {}
        if pins:
            named = {"sck": Pin(pins[0]), "mosi": Pin(pins[1]), "miso": Pin(pins[2])}
        self.bus = SPI(number, baudrate=8_000_000, polarity=0, phase=0, **named)
        # A piece of the box for each length, made once: a piece that is cut anew is garbage.
        self.pieces = [None] * MOST

    def spi(self, box, count):
        """Exchange so many bytes; what comes back takes their place."""
        piece = self.pieces[count]
        if piece is None:
            piece = self.pieces[count] = memoryview(box)[:count]
        self.bus.write_readinto(piece, piece)


class BusAndHost(Bus):
    """The same on a bridge, whose ``port`` is a host's line."""

    def take(self, line):
        """The next byte from a host."""
        return self.port.take(line)

    def give(self, line, frame, count):
        """Send bytes to the host."""
        return self.port.give(line, frame, count)
