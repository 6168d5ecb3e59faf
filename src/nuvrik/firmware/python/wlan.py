"""A WLAN: this board opens one, or joins one that is there; frames go through it as UDP."""

import network
import socket
import sys
from time import ticks_diff, ticks_ms

from nuvrik.datagrams import Datagrams

LOOKS_MS = 5000
"""How often a WLAN that has gone is looked for: that takes the radio for seconds."""

SHORTEST_PASSWORD = 8
"""Shorter ones are not allowed (IEEE 802.11i); a WLAN without any is open to everybody."""

MOST = 256


class Wlan(Datagrams):
    """``link_wlan.py`` has its NAME and its PASSWORD. Nothing here waits: while there is no WLAN, nothing
    comes, and the machine stops as after any silence."""

    def join(self, opens, host, port, timeout_ms):
        """Make it ready. ``opens``: this board opens the WLAN; ``host``: who is spoken to, None where anybody
        may speak first."""
        try:
            from link_wlan import NAME, PASSWORD
        except ImportError:
            sys.exit("link_wlan.py is not on the board, or has no NAME and PASSWORD")
        if len(PASSWORD) < SHORTEST_PASSWORD:
            sys.exit("link_wlan.py: PASSWORD has fewer than 8 characters: everybody could drive this")
        self.opens, self.named = opens, (NAME, PASSWORD)
        self.wlan = network.WLAN(network.AP_IF if opens else network.STA_IF)
        if opens:
            self.open_it()
        else:
            self.wlan.active(True)
            self.wlan.connect(NAME, PASSWORD)
        self.save_no_power()
        self.looked_ms = ticks_ms()
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.bind(("0.0.0.0", port))
        self.socket.setblocking(False)
        self.begin_with((host, port) if host else None, timeout_ms, ticks_ms, ticks_diff)

    def open_it(self):
        """Open the WLAN, with what this chip calls its kind of password."""
        name, password = self.named
        for security in ({"authmode": 3}, {"security": 3}):
            try:
                self.wlan.config(essid=name, password=password, **security)
                self.wlan.active(True)
                return
            except (TypeError, ValueError):
                # Chips do not agree on the word.
                pass
        sys.exit("this board does not say how its WLAN is closed: let it join another one")

    def save_no_power(self):
        """A radio that sleeps lets frames wait, and come in bunches."""
        try:
            self.wlan.config(pm=getattr(self.wlan, "PM_NONE", 0xA11140))
        except (TypeError, ValueError, OSError):
            pass

    def receive(self, into):
        """What has come, and from whom."""
        self.look_for_it()
        data, sender = self.socket.recvfrom(MOST)
        count = min(len(data), len(into))
        into[:count] = data[:count]
        return count, sender

    def look_for_it(self):
        """A WLAN that has gone is joined again, now and then."""
        if self.opens or ticks_diff(ticks_ms(), self.looked_ms) < LOOKS_MS:
            return
        self.looked_ms = ticks_ms()
        if not self.wlan.isconnected():
            try:
                self.wlan.connect(*self.named)
            except OSError:
                # It is still looking.
                pass


class WlanAndHost(Wlan):
    """The same on a handset, whose ``port`` is a host's line."""

    def take(self, line):
        """The next byte from a host."""
        return self.port.take(line)

    def give(self, line, frame, count):
        """Send a packet, or bytes to the host."""
        if line:
            return self.port.give(line, frame, count)
        return Wlan.give(self, line, frame, count)
