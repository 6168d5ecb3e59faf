"""Files that a user names, opened to be read so that nothing hangs; and which of them a command has read, so
that it writes over none of them."""

import errno
import io
import os
import stat
from pathlib import Path
from typing import IO, TextIO

_read: set[tuple[int, int]] = set()
"""The files that have been read since a command began, by device and number."""


def begin() -> None:
    """A command begins: nothing has been read yet."""
    _read.clear()


def noted(path: str | Path) -> Path:
    """A path that is about to be read by somebody else's reader."""
    try:
        about = Path(path).stat()
    except OSError:
        return Path(path)
    _read.add((about.st_dev, about.st_ino))
    return Path(path)


def was_read(path: str | Path) -> bool:
    """Whether this command has read that file."""
    try:
        about = Path(path).stat()
    except OSError:
        return False
    return (about.st_dev, about.st_ino) in _read


MARKS = {b"\xef\xbb\xbf": "utf-8-sig", b"\xff\xfe": "utf-16", b"\xfe\xff": "utf-16"}
"""What the beginning of a text may say of how it is written."""


class NotText(Exception):
    """A file that is no text; says what it looks like."""


def open_bytes(path: str | Path) -> IO[bytes]:
    """Open a file to be read. A pipe that nobody writes into is empty, instead of being waited for without a
    word. Raises OSError, with the path in it."""
    noted(path)
    if hasattr(os, "O_NONBLOCK"):
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        if stat.S_ISDIR(os.fstat(descriptor).st_mode):
            os.close(descriptor)
            raise IsADirectoryError(errno.EISDIR, "is a folder, not a file", str(path))
        os.set_blocking(descriptor, True)
        return os.fdopen(descriptor, "rb")
    return Path(path).open("rb")


def open_text(path: str | Path) -> TextIO:
    """Open a text in UTF-8, or in UTF-16 if it says so. Raises OSError, and NotText for the first bytes of
    something else; what comes later raises UnicodeDecodeError."""
    file = open_bytes(path)
    try:
        start = file.peek(4096)[:4096] if isinstance(file, io.BufferedReader) else b""
    except OSError:
        file.close()
        raise
    encoding = next((name for mark, name in MARKS.items() if start.startswith(mark)), "utf-8")
    if encoding == "utf-8" and start.count(0) > len(start) // 4:
        file.close()
        raise NotText("looks like UTF-16 without its mark; save it as UTF-8")
    return io.TextIOWrapper(file, encoding=encoding, newline="")
