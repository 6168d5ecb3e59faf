"""A port around another: what goes through is its own until a subclass looks at it."""

from nuvrik.ports.live import ByteLine


class Around:
    """Everything goes to the port inside."""

    def __init__(self, line: ByteLine) -> None:
        self._line = line
        self.accepted, self.another = line.accepted, line.another

    @property
    def stream(self) -> bool:
        """As of the port."""
        return self._line.stream

    def read(self) -> bytes:
        """What has arrived."""
        return self._line.read()

    def write(self, data: bytes) -> bool:
        """Send; False where the line did not take it."""
        return self._line.write(data)

    def reply(self, data: bytes) -> bool:
        """Answer whoever sent what was read last."""
        return self._line.reply(data)
