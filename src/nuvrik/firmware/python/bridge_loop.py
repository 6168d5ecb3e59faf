"""A bridge between a host on a line and a radio module: what comes whole goes on, and nothing is judged."""

from nuvrik import wiring
from nuvrik.core.bridge import Bridge
from nuvrik.guard import Guard
from nuvrik.tables import link
from nuvrik.wiring import board


class BridgeLoop(Guard):
    """One bridge."""

    def __init__(self):
        super().__init__()
        self.end = Bridge(link)
        self.port, self.radio = wiring.port(), wiring.radio()
        self.heard = bytearray(64)
        self.kept = bytearray(wiring.MOST_PACKET)
        self.packet = bytearray(wiring.MOST_PACKET)
        board.start()
        self.begin()

    def turn(self):
        """One turn: from the host to the air, and back. What comes while the line is busy waits in the
        module."""
        end, heard, kept, packet = self.end, self.heard, self.kept, self.packet
        for i in range(self.port.read(heard)):
            if end.take(heard[i]):
                count = end.sealed.length
                for k in range(count):
                    packet[k] = end.sealed.body[k]
                self.radio.give(packet, count)
        count = self.radio.packet(kept) if self.port.free() else 0
        if count:
            end.begin_packet()
            for i in range(count):
                end.packet_byte(kept[i])
            if end.end_packet():
                self.port.write(end.sender.wire, end.sender.count)
        board.alive()
