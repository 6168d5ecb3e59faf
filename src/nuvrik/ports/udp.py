"""A UDP port: ``udp://HOST:PORT`` sends there, ``udp://:PORT`` listens and answers its handset.

Anybody can send a packet to a listening port. So only the sender of a command that has been accepted (its
pair, layout and check are right) is the other end, to which telemetry goes, and only once the one before has
been silent for a timeout. A question (a request, a hello, an echo) is answered where it came from, and moves
nothing: whoever only asks must not draw the telemetry away.
"""

import socket
import time

from nuvrik.ports.port import PortError

MOST = 2048
"""More than any datagram of ours, and than a network passes in one piece (1500)."""


class UdpPort:
    """Packets, one at a time. Raises PortError, in plain words, for whatever goes wrong."""

    stream = False

    def __init__(self, name: str, wait_s: float = 0.005, timeout_ms: int = 400) -> None:
        self.name = name
        self._timeout_s, self._driven_s = timeout_ms / 1000, float("-inf")
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

    def accepted(self, *, drives: bool) -> None:
        """Whoever drives is the other end, once the one before has been silent for long enough."""
        if self._fixed or not drives:
            return
        now_s = time.monotonic()
        if self._sender == self._peer or now_s - self._driven_s >= self._timeout_s:
            self._peer, self._driven_s = self._sender, now_s

    def another(self) -> bool:
        """A machine judges by itself what it hears from whom: sequence numbers and silence are its own."""
        return False

    def write(self, data: bytes) -> bool:
        """Send a packet to the other end; False where there is none yet, or it could not be sent."""
        return self._send(data, self._peer)

    def reply(self, data: bytes) -> bool:
        """Send a packet to whoever sent the last one."""
        return self._send(data, self._sender)

    def _send(self, data: bytes, to: tuple[str, int] | None) -> bool:
        if to is None:
            return False
        try:
            if self._fixed:
                self._socket.send(data)
            else:
                self._socket.sendto(data, to)
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
