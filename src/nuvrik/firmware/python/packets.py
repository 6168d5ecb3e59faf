"""A radio module, through a driver of the builder's own."""


class Radio:
    """``radio`` has ``packet(into)``, which gives how many bytes of a packet have been put there, 0 for none;
    ``free()``, whether it would take one; and ``give(packet, count)``. Where there is a ``port``, that is a
    host's line."""

    port = None

    def packet(self, into):
        """A packet that has come whole."""
        return self.radio.packet(into)

    def take(self, line):
        """The next byte from a host."""
        return self.port.take(line)

    def give(self, line, frame, count):
        """Send a packet, or bytes to the host."""
        if line:
            return self.port.give(line, frame, count)
        if count == 0:
            return self.radio.free()
        self.radio.give(frame, count)
        return True
