"""Packets of a machine that anybody on a network may send to."""

from nuvrik.packets import Packets


class Asked(Packets):
    """The packets of a machine that anybody may send to. A question is answered where it came from; the other
    end, to which telemetry goes, is whoever drives."""

    def accepted(self):
        """A packet was accepted."""
        end, sender = self.loop.end, self.loop.sender
        self.radio.trust(end.machine.watch.driven_ms == 0)
        while end.answers():
            self.radio.give_to(self.radio.sender, sender.wire, sender.count)
