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
        self._fixed, self._number = bool(host), int(number)
        self._came = self._refused = False
        try:
            self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            self._socket.settimeout(wait_s)
            if host:
                self._peer = (socket.gethostbyname(host), int(number))
                self._socket.connect(self._peer)  # so that the system says when nobody listens there
            else:
                self._socket.bind(("", int(number)))
        except (OSError, UnicodeError) as error:
            reason = getattr(error, "strerror", None) or str(error)
            raise PortError(f"{name}: cannot be opened: {reason.lower()}") from None

    def read(self) -> bytes:
        """One packet, b"" if none came within the wait."""
        try:
            data, sender = self._socket.recvfrom(MOST)
        except (TimeoutError, BlockingIOError):
            return b""
        except ConnectionRefusedError:
            self._refused = True
            return b""  # nobody listens there yet: UDP goes on
        except OSError as error:
            raise PortError(f"{self.name}: has gone away: {error.strerror or error}") from None
        if self._fixed and sender != self._peer:
            return b""
        self._sender, self._came = sender, True
        return data

    @property
    def waits(self) -> str:
        """What it waits for while nothing has ever come; "" afterwards."""
        if self._came:
            return ""
        if not self._fixed:
            return (
                f"{self.name} listens, and nobody has come: the other end is given udp://HOST:{self._number}"
            )
        if self._refused:
            return f"nobody listens at {self.name}: the other end listens with udp://:{self._number}"
        return ""

    def accepted(self) -> None:
        """From now on, whoever sent the last packet is answered."""
        if not self._fixed:
            self._peer = self._sender

    def write(self, data: bytes) -> bool:
        """Send a packet; False where nobody has been accepted yet, or it could not be sent."""
        if self._peer is None:
            return False
        try:
            if self._fixed:
                self._socket.send(data)
            else:
                self._socket.sendto(data, self._peer)
        except ConnectionRefusedError:
            self._refused = True
            return True  # it went; what the system reports is of a packet before
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
