"""What carries frames, where it is a stream of bytes or packets. ``port`` has ``read(into)``, which gives how
many bytes have come, ``free()``, whether it would take a frame, and ``write(frame, count)``."""

ACCEPTED = 1
"""As in core/sealed.py."""


class Stream:
    """Frames one behind the other. A flood is read a bounded amount a turn, so that it cannot keep a tick
    from coming."""

    def __init__(self, loop, port, most=64):
        self.loop, self.port = loop, port
        self.kept = bytearray(most)

    def listen(self, hears):
        """Take what has come, or throw it away."""
        kept, loop = self.kept, self.loop
        count = self.port.read(kept)
        if not hears:
            return
        end = loop.end
        for i in range(count):
            if end.take(kept[i]) == ACCEPTED:
                loop.obey()

    def send(self):
        """Send what is due, as soon as the port takes it."""
        if self.port.free() and self.loop.end.send():
            sender = self.loop.sender
            self.port.write(sender.wire, sender.count)
