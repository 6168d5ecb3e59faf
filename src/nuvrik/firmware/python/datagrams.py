"""Who is at the other end of a link that goes in datagrams."""


class Datagrams:
    """Datagrams, one frame in each. The other end is whoever drives, once the one before has been silent for
    a timeout. ``link``: the machine that anybody may send to: a question is answered where it came from.
    ``socket``, ``clock``: how they go, and milliseconds; ``since(now, before)``: how many have gone by."""

    link = None

    def begin_with(self, peer, timeout_ms, clock, since):
        """Nobody has sent anything yet; ``peer`` is the only one there is, None for anybody."""
        self.peer, self.fixed, self.timeout_ms = peer, peer is not None, timeout_ms
        self.clock, self.since = clock, since
        self.sender, self.driven_ms = None, 0

    def packet(self, into):
        """A datagram that has come: one that is too long is cut, and its check says so."""
        self.settle()
        try:
            count, self.sender = self.receive(into)
            return count
        except OSError:
            return 0

    def trust(self, drives):
        """What came last was accepted; whether it drives."""
        if self.fixed or not drives:
            return
        now_ms = self.clock()
        gone = self.peer is None or self.since(now_ms, self.driven_ms) >= self.timeout_ms
        if gone or self.sender == self.peer:
            self.peer, self.driven_ms = self.sender, now_ms

    def settle(self):
        """What came last, if it was accepted, has an answer perhaps, and may have come from whoever
        drives."""
        if self.link is None or not self.link.loop.obeyed:
            return
        self.link.loop.obeyed, end = False, self.link.end
        self.trust(end.machine.watch.driven_ms == 0)
        while end.answers():
            self.give_to(self.sender, end.sender.wire, end.sender.count)

    def give(self, line, packet, count):
        """Send one to the other end, or say whether there is one."""
        self.settle()
        if count and self.peer is not None:
            self.give_to(self.peer, packet, count)
        return self.peer is not None

    def give_to(self, whom, packet, count):
        """Send one to somebody. What cannot be sent is lost, as in the air."""
        try:
            self.socket.sendto(bytes(packet[:count]), whom)
        except OSError:
            pass
