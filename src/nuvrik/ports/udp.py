"""A UDP port: ``udp://HOST:PORT`` sends there, ``udp://:PORT`` listens and answers its handset.

Anybody can send a packet to a listening port. So only the sender of a packet that has been accepted (its
pair, layout and check are right) is answered; a stray packet must not draw the telemetry away.
"""

import socket

from nuvrik.ports.port import PortError

MOST = 2048
"""More than any datagram of ours, and than a network passes in one piece (1500)."""


class UdpPort:
    """Packets, one at a time. Raises PortError, in plain words, for whatever goes wrong."""

    stream = False

    def __init__(self, name: str, wait_s: float = 0.005) -> None:
        self.name = name
        host, _, number = name.removeprefix("udp://").rpartition(":")
        if not (number.isascii() and number.isdigit()) or not 0 < int(number) < 65536:
            raise PortError(f"{name}: cannot be opened: write udp://HOST:PORT, or udp://:PORT to listen")
        self._peer: tuple[str, int] | None = None
        self._sender: tuple[str, int] | None = None
        self._fixed = bool(host)
        try:
            self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            self._socket.settimeout(wait_s)
            if host:
                self._peer = (socket.gethostbyname(host), int(number))
            else:
                self._socket.bind(("", int(number)))
        except (OSError, UnicodeError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            raise PortError(f"{name}: cannot be opened: {reason.lower()}") from None

    def read(self) -> bytes:
        """One packet, b"" if none came within the wait."""
        try:
            data, sender = self._socket.recvfrom(MOST)
        except (TimeoutError, ConnectionRefusedError):
            return b""  # nobody listens there yet: UDP goes on
        except OSError as error:
            raise PortError(f"{self.name}: has gone away: {error.strerror or error}") from None
        if self._fixed and sender != self._peer:
            return b""
        self._sender = sender
        return data

    def accepted(self) -> None:
        """From now on, whoever sent the last packet is answered."""
        if not self._fixed:
            self._peer = self._sender

    def write(self, data: bytes) -> bool:
        """Send a packet; False where nobody has been accepted yet, or it could not be sent."""
        if self._peer is None:
            return False
        try:
            self._socket.sendto(data, self._peer)
        except OSError:
            return False
        return True

    def close(self) -> None:
        """Close it."""
        self._socket.close()

    def __enter__(self) -> "UdpPort":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
