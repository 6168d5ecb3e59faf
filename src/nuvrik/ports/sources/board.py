"""A board with sticks on it that prints raw readings: the handset's firmware, asked with an ``r``, or any
program of one's own that prints such lines."""

import time
from collections.abc import Callable

from nuvrik.ports.port import Port, PortError
from nuvrik.ports.sources.lines import Lines

ASK_EVERY_S = 1.0
"""A board that resets when its port is opened is not there at once, and does not hear a first question."""


class BoardBytes:
    """A port with a board on it, opened again whenever it has gone."""

    def __init__(self, port: str, baud: int) -> None:
        self._port, self._baud = port, baud
        self._line: Port | None = Port(port, baud, wait_s=0)
        self._tried_s = float("-inf")
        self.trouble = ""

    def more(self) -> bytes:
        """What has come; b"" while the board is away."""
        now_s = time.monotonic()
        try:
            if self._line is None:
                if now_s < self._tried_s + ASK_EVERY_S:
                    return b""
                self._tried_s = now_s
                self._line = Port(self._port, self._baud, wait_s=0)
            data = self._line.read()
        except PortError as error:
            if self._line is not None:
                self._line.close()
                self._line, self._tried_s = None, now_s
            self.trouble = str(error)
            return b""
        if data:
            self.trouble, self._tried_s = "", now_s
        elif now_s >= self._tried_s + ASK_EVERY_S:
            self._tried_s = now_s
            self._line.write(b"r")
        return data

    def close(self) -> None:
        """It need not print any more."""
        if self._line is not None:
            self._line.write(b".")
            self._line.close()


class Board(Lines):
    """A board's raw readings as a source: its items are the columns that it prints."""

    def __init__(self, name: str, port: str, baud: int, warn: Callable[[str], None]) -> None:
        self._bytes = BoardBytes(port, baud)
        super().__init__(name, self._bytes.more, warn, self._bytes.close)

    @property
    def why(self) -> str:
        """Why nothing comes."""
        return self._bytes.trouble or ("" if self.items else f"{self.name} has printed no readings yet")

    @why.setter
    def why(self, text: str) -> None:
        """It is what its port says."""
