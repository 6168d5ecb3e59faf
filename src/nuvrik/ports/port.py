"""A port by any name that pyserial knows: a device, ``socket://host:port``, ``loop://``."""

import contextlib
from types import TracebackType
from typing import Any

READ_MOST = 4096


class PortError(Exception):
    """A port that is not there, may not be opened, or has gone away."""


class Port:
    """Bytes out without waiting, bytes in with a short wait.

    Raises PortError, in plain words, for whatever goes wrong.
    """

    stream = True

    def __init__(self, name: str, baud: int, wait_s: float = 0.005) -> None:
        import serial

        self.name = name
        self._failures = (serial.SerialException, OSError, TypeError)
        try:
            self._line: Any = serial.serial_for_url(
                name, baudrate=baud, timeout=wait_s, write_timeout=0.05, exclusive=_is_device(name)
            )
        except (*self._failures, ValueError) as error:
            raise PortError(f"{name}: cannot be opened: {_reason(error)}") from None

    def read(self) -> bytes:
        """What has arrived: at most READ_MOST bytes, b"" if nothing came within the wait."""
        try:
            data = bytearray(self._line.read(1))
            while data and len(data) < READ_MOST and (waiting := self._line.in_waiting):
                data += self._line.read(min(waiting, READ_MOST - len(data)))
        except self._failures as error:
            raise PortError(f"{self.name}: has gone away: {_reason(error)}") from None
        return bytes(data)

    def write(self, data: bytes) -> bool:
        """Send bytes. False if the line does not take them (nobody reads at the far end): they are
        dropped, because a late command is worse than none."""
        import serial

        try:
            self._line.write(data)
        except serial.SerialTimeoutException:
            with contextlib.suppress(*self._failures):
                self._line.reset_output_buffer()
            return False
        except self._failures as error:
            raise PortError(f"{self.name}: has gone away: {_reason(error)}") from None
        return True

    def close(self) -> None:
        """Close the port; one that is gone is closed already."""
        with contextlib.suppress(*self._failures):
            self._line.close()

    def __enter__(self) -> "Port":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _is_device(name: str) -> bool | None:
    # Two programs on one device would each get half of the bytes; URLs do not know the option.
    return True if "://" not in name else None


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
