"""A port that is listened to: every byte that goes and comes is told, for a log."""

from collections.abc import Callable

from nuvrik.ports.live import ByteLine


class Tapped:
    """A port, and somebody who is told what is sent and what comes back."""

    def __init__(self, line: ByteLine, sent: Callable[[bytes], None], came: Callable[[bytes], None]) -> None:
        self._line, self._sent, self._came = line, sent, came
        self.accepted = line.accepted

    @property
    def stream(self) -> bool:
        """As of the port."""
        return self._line.stream

    def read(self) -> bytes:
        """What has arrived."""
        data = self._line.read()
        if data:
            self._came(data)
        return data

    def write(self, data: bytes) -> bool:
        """Send; only what the line has taken is told."""
        taken = self._line.write(data)
        if taken:
            self._sent(data)
        return taken
