"""A port by any name that pyserial knows: a device, ``socket://host:port``, ``rfc2217://host:port``,
``loop://``.

Two rules hold for all of them. A read takes a bounded amount, in one call, after a short wait at most: under
a flood of noise the loop must still turn. (Asking how much is waiting and fetching that is not enough: over a
socket the answer is always 1, and the loop turned once a byte.) And a write never waits: where the line does
not take the bytes they are dropped, because a late command is worse than none.
"""

import contextlib
import select
import socket
from types import TracebackType
from typing import Any

READ_MOST = 4096
"""Bytes a turn of a loop looks at: half a second of a line at 115200 baud, and two milliseconds of work."""


class PortError(Exception):
    """A port that is not there, may not be opened, or has gone away."""


class OneEnd:
    """A port with one other end, which is there for good."""

    def write(self, data: bytes) -> bool:
        """Send bytes, without waiting; False if they were dropped."""
        raise NotImplementedError

    def accepted(self, *, drives: bool) -> None:
        """There is only one other end."""

    def reply(self, data: bytes) -> bool:
        """There is only one other end."""
        return self.write(data)

    def another(self) -> bool:
        """There is only one other end."""
        return False

    @property
    def waits(self) -> str:
        """It waits for nobody."""
        return ""


class Port(OneEnd):
    """Bytes out without waiting, bytes in with a short wait.

    Raises PortError, in plain words, for whatever goes wrong.
    """

    stream = True

    def __init__(self, name: str, baud: int, wait_s: float = 0.005) -> None:
        self.name = name
        self._wait_s = wait_s
        try:
            self._line = _opened(name, baud)
            self._file = _selectable(self._line)
            # Where the system can wait for the line, the line itself never waits.
            self._line.timeout = 0 if self._file is not None else wait_s
            self._out = self._file or getattr(self._line, "_socket", None)
            _keep_short(self._line)
        except Exception as error:  # pyserial and what it drives raise all sorts of things
            raise PortError(f"{name}: cannot be opened: {_reason(error)}") from None

    def read(self) -> bytes:
        """What has arrived: at most READ_MOST bytes, b"" if nothing came within the wait."""
        line = self._line
        try:
            if self._file is not None:
                if not select.select([self._file], [], [], self._wait_s)[0]:
                    return b""
                return bytes(line.read(READ_MOST))
            first = bytes(line.read(1))
            waiting = min(line.in_waiting, READ_MOST - 1) if first else 0
            return first + bytes(line.read(waiting)) if waiting else first
        except Exception as error:
            raise PortError(f"{self.name}: has gone away: {_reason(error)}") from None

    def write(self, data: bytes) -> bool:
        """Send bytes. False if the line does not take them (nobody reads at the far end): they are dropped,
        and with them what waits in the system's own buffer, because it would only come late."""
        import serial

        try:
            if self._out is not None and not select.select([], [self._out], [], 0)[1]:
                taken = 0
            else:
                taken = self._line.write(data)
        except serial.SerialTimeoutException:
            taken = 0
        except Exception as error:
            raise PortError(f"{self.name}: has gone away: {_reason(error)}") from None
        if taken is not None and taken < len(data):
            with contextlib.suppress(Exception):
                self._line.reset_output_buffer()
            return False
        return True

    def close(self) -> None:
        """Close the port; one that is gone is closed already."""
        with contextlib.suppress(Exception):
            self._line.close()

    def __enter__(self) -> "Port":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _opened(name: str, baud: int) -> Any:
    import serial

    settings: dict[str, Any] = {"baudrate": baud, "timeout": 0, "write_timeout": 0}
    # Two programs on one device would each get half of the bytes; URLs do not know the option.
    if "://" not in name:
        settings["exclusive"] = True
    try:
        return serial.serial_for_url(name, **settings)
    except NotImplementedError:
        # A few kinds of port have no write timeout; theirs never fill up here (see write).
        del settings["write_timeout"]
        return serial.serial_for_url(name, **settings)


def _keep_short(line: Any) -> None:
    """Over TCP, let little queue up on the way: the system's own buffers hold seconds of old commands."""
    with contextlib.suppress(Exception):
        line._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 2 * READ_MOST)


def _selectable(line: Any) -> Any:
    """The line, if the system can wait for it to be readable; else None."""
    try:
        line.fileno()
        select.select([line], [], [], 0)
    except Exception:
        return None
    return line


def _reason(error: Exception) -> str:
    """The heart of a pyserial or operating system error."""
    number = getattr(error, "errno", None)
    text = str(error)
    if number is not None and ": " in text:
        text = text.split(": ", 1)[0] if "]" not in text else text
    known = {
        2: "there is no such port; plug it in, or check the name",
        13: "no permission; on Linux, join the group that owns the device (often dialout)",
        16: "another program is using it",
        11: "another program is using it",
        111: "nobody is listening there",
    }
    if number in known:
        return known[number]
    return text.splitlines()[0] if text else type(error).__name__
