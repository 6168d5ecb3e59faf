"""A TCP port that listens, ``socket://:PORT``: one other end at a time, and after it the next.

(``socket://HOST:PORT`` goes to somebody who listens.) Whoever has connected and not gone is the other end; a
second one is turned away while the first is there, because two hands on one machine is one too many. One of
which no frame has been accepted for three timeouts does not keep the place: the next who comes has it, and
the machine begins anew with them."""

import contextlib
import select
import socket
import time

from nuvrik.ports.port import READ_MOST, PortError

TIMEOUTS = 3
"""After so many timeouts without an accepted frame the place is free."""


class ListeningPort:
    """A stream of bytes from and to whoever has connected. Nobody there is silence, and no trouble."""

    stream = True

    def __init__(self, name: str, wait_s: float = 0.005, timeout_ms: int = 400) -> None:
        self.name, self._wait_s = name, wait_s
        self._keeps_s, self._heard_s = TIMEOUTS * timeout_ms / 1000, 0.0
        self._another = False
        number = name.rpartition(":")[2].rstrip("/")
        if not (number.isascii() and number.isdigit()) or not 0 < int(number) < 65536:
            raise PortError(
                f"{name}: cannot be opened: write socket://HOST:PORT, or socket://:PORT to listen"
            )
        self._number = int(number)
        self._peer: socket.socket | None = None
        self._came = False
        try:
            self._listener = socket.create_server(("", self._number), backlog=2)
            self._listener.setblocking(False)
        except OSError as error:
            reason = "another program is using it" if error.errno == 98 else (error.strerror or str(error))
            raise PortError(f"{name}: cannot be opened: {reason.lower()}") from None

    @property
    def waits(self) -> str:
        """What it waits for while nobody has ever come; "" afterwards."""
        if self._came:
            return ""
        return (
            f"{self.name} listens, and nobody has come: the other end is given socket://HOST:{self._number}"
        )

    def read(self) -> bytes:
        """What has arrived, b"" if nothing came within the wait."""
        waiting = [self._listener, *([self._peer] if self._peer else [])]
        ready, _, _ = select.select(waiting, [], [], self._wait_s)
        if self._listener in ready:
            self._accept()
        if self._peer is None or self._peer not in ready:
            return b""
        try:
            data = self._peer.recv(READ_MOST)
        except BlockingIOError:
            return b""
        except OSError:
            data = b""
        if not data:
            self._peer.close()
            self._peer = None
        return data

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            peer, _ = self._listener.accept()
            now_s = time.monotonic()
            silent = now_s - self._heard_s >= self._keeps_s
            if self._peer is not None:
                if not silent:
                    peer.close()
                    return
                self._peer.close()
            self._another = self._came and silent
            self._heard_s = now_s
            peer.setblocking(False)
            # Little may queue up on the way: the system's own buffers hold seconds of old commands.
            peer.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 2 * READ_MOST)
            peer.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            self._peer, self._came = peer, True

    def write(self, data: bytes) -> bool:
        """Send bytes; False where nobody is there, or does not take them all."""
        if self._peer is None:
            return False
        try:
            return self._peer.send(data) == len(data)
        except OSError:
            return False

    def accepted(self, *, drives: bool) -> None:
        """Whoever is there keeps the place."""
        self._heard_s = time.monotonic()

    def reply(self, data: bytes) -> bool:
        """There is only one other end at a time."""
        return self.write(data)

    def another(self) -> bool:
        """Whether somebody else has come, after a long silence."""
        another, self._another = self._another, False
        return another

    def close(self) -> None:
        """Close it, and whoever is there."""
        if self._peer is not None:
            self._peer.close()
        self._listener.close()

    def __enter__(self) -> "ListeningPort":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
