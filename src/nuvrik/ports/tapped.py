"""A port that is listened to: every byte that goes and comes is noted, for a log."""

from nuvrik.ports.around import Around
from nuvrik.ports.live import ByteLine
from nuvrik.recordings.log import byte_cell


class Tapped(Around):
    """A port, and what has gone and come since somebody looked."""

    def __init__(self, line: ByteLine) -> None:
        super().__init__(line)
        self.sent: list[bytes] = []
        self.came: list[bytes] = []

    def read(self) -> bytes:
        """What has arrived."""
        data = super().read()
        if data:
            self.came.append(data)
        return data

    def write(self, data: bytes) -> bool:
        """Send; only what the line has taken is noted."""
        taken = super().write(data)
        if taken:
            self.sent.append(data)
        return taken

    def reply(self, data: bytes) -> bool:
        """Answer; only what the line has taken is noted."""
        taken = super().reply(data)
        if taken:
            self.sent.append(data)
        return taken

    @property
    def busy(self) -> bool:
        """Whether anything has gone or come since ``cells``."""
        return bool(self.sent or self.came)

    def cells(self) -> tuple[str, str]:
        """What has gone and what has come, as cells of a log; and begin anew."""
        sent, came = self.sent, self.came
        self.sent, self.came = [], []
        return byte_cell(sent, stream=self.stream), byte_cell(came, stream=self.stream)
