"""Frames on a pin that a radio receiver switches: how bits lie in its levels is decided in core."""

from nuvrik.core.on_off import OnOffReader

MOST_EDGES = 64
"""Noise is read a bounded amount a turn, so that it cannot keep a tick from coming."""


class Keyed:
    """Packets out of levels, as a radio module would give them."""

    def __init__(self, edges, table):
        self.edges = edges
        self.reader = OnOffReader(table)

    def packet(self, into):
        """One that has come whole."""
        edges, reader = self.edges, self.reader
        for _ in range(MOST_EDGES):
            us = edges.next()
            if us == 0:
                return 0
            if reader.take(edges.high, us) and reader.length <= len(into):
                for i in range(reader.length):
                    into[i] = reader.body[i]
                return reader.length
        return 0

    def free(self):
        """It sends nothing."""
        return False
