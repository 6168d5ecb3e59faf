"""What carries frames in packets: a radio module's driver, or a socket."""

ACCEPTED = 1
"""As in core/sealed.py."""

MOST_TAKEN = 4
"""So many packets are looked at in a turn, so that a flood cannot keep a tick from coming."""


class Packets:
    """Frames one to a packet. ``radio`` has ``packet(into)``, which gives how many bytes of a packet have
    been put there, 0 for none; ``free()``, whether it would take one; and ``give(packet, count)``."""

    def __init__(self, loop, radio, most):
        self.loop, self.radio = loop, radio
        self.kept = bytearray(most)

    def listen(self, hears):
        """Take what has come, or throw it away."""
        kept, loop, radio = self.kept, self.loop, self.radio
        end = loop.end
        for _ in range(MOST_TAKEN):
            count = radio.packet(kept)
            if count == 0:
                return
            if hears:
                end.begin_packet()
                for i in range(count):
                    end.packet_byte(kept[i])
                if end.end_packet() == ACCEPTED:
                    loop.obey()
                    self.accepted()

    def accepted(self):
        """A packet was accepted."""

    def send(self):
        """Send what is due, as soon as it can be taken."""
        if self.radio.free() and self.loop.end.send():
            sender = self.loop.sender
            self.radio.give(sender.wire, sender.count)
