"""How a file is written: whole or not at all, and as whose it was.

The new text is written beside the file and moved into its place, so that a full disk or a power cut leaves
the old one as it was. A link is followed, so that what it points to is replaced and not the link; owner and
mode stay; and what is no ordinary file (a device, a pipe) is written into, because it cannot be replaced.

No command writes over what it reads: a file that has been read since the command began is refused, in the two
functions here that write. A log is written as it comes, into a file of its own: a new one, or one that was a
log or a recording before; never into anything else that is there.
"""

import contextlib
import errno
import os
import stat
import tempfile
from pathlib import Path
from typing import TextIO

from nuvrik.openfile import was_read

LOG_BEGINS = b"t_ms"
"""What the first line of every log and every recording begins with."""


class RefusedError(OSError):
    """A file that is not written, because it would take the place of another that is wanted."""


def _refuse(path: str | Path, what: str) -> RefusedError:
    return RefusedError(errno.EEXIST, f"{what}; name another file", str(path))


def write_file(path: Path, data: str | bytes, *, new: bool = False, over: bool = False) -> None:
    """Write a file. With ``new``, FileExistsError if there is one of that name. ``over``: also over one that
    this command has read, because it is changed on purpose; RefusedError otherwise. OSError, with that name
    in it, where it cannot be written."""
    if not over and was_read(path):
        raise _refuse(path, "is read by this command, and would be written over")
    content = data.encode("utf-8") if isinstance(data, str) else data
    try:
        target = path.resolve()
        before = target.stat() if target.exists() else None
        if before is not None and new:
            raise FileExistsError(17, "file exists", str(path))
        if before is not None and not stat.S_ISREG(before.st_mode):
            with target.open("wb") as device:
                device.write(content)
            return
        _replace(target, content, before, new=new)
    except OSError as error:
        error.filename, error.filename2 = str(path), None
        raise
    except RuntimeError:  # a link that leads back to itself
        raise OSError(40, "too many levels of links", str(path)) from None


def open_log(path: str | Path) -> TextIO:
    """Open a log, to be written as it comes. RefusedError for a file that this command has read, and for one
    that is no log; OSError for a pipe that nobody reads, instead of waiting."""
    may_log_to(path)
    if not hasattr(os, "O_NONBLOCK"):
        return Path(path).open("w", encoding="utf-8", newline="")
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NONBLOCK, 0o666)
    os.set_blocking(descriptor, True)
    return os.fdopen(descriptor, "w", encoding="utf-8", newline="")


def may_log_to(path: str | Path) -> None:
    """RefusedError where a log would take the place of something else."""
    if was_read(path):
        raise _refuse(path, "is read by this command, and would be written over")
    file = Path(path)
    if file.is_file() and file.stat().st_size:
        with file.open("rb") as there:
            start = there.read(64).removeprefix(b"\xef\xbb\xbf")
        if not start.startswith(LOG_BEGINS):
            raise _refuse(path, "is there, and no log that could be written anew")


class LateLog:
    """A log that appears once there is something to write: until then a file that was there is left as it is.
    RefusedError at once for one that may not be written."""

    def __init__(self, path: Path) -> None:
        may_log_to(path)
        self._path = path
        self._file: TextIO | None = None

    def write(self, text: str) -> None:
        """Write."""
        if self._file is None:
            self._file = open_log(self._path)
        self._file.write(text)

    def flush(self) -> None:
        """Let nothing be kept back."""
        if self._file is not None:
            self._file.flush()

    def __enter__(self) -> "LateLog":
        return self

    def __exit__(self, *_: object) -> None:
        if self._file is not None:
            self._file.close()


def _replace(target: Path, content: bytes, before: os.stat_result | None, *, new: bool) -> None:
    descriptor, name = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name[:40]}.")
    made = Path(name)
    try:
        with os.fdopen(descriptor, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        if before is not None:
            if hasattr(os, "chown"):
                with contextlib.suppress(PermissionError):  # only root may give a file to somebody else
                    os.chown(made, before.st_uid, before.st_gid)
            made.chmod(stat.S_IMODE(before.st_mode))
        else:
            made.chmod(0o666 & ~_umask())
        if new:
            _move_if_free(made, target)
        else:
            made.replace(target)
    except BaseException:
        made.unlink(missing_ok=True)
        raise


def _move_if_free(made: Path, target: Path) -> None:
    """Into place, but over nothing that has come there meanwhile."""
    try:
        os.link(made, target)
    except FileExistsError:
        raise
    except OSError:  # a file system without links
        if target.exists():
            raise FileExistsError(17, "file exists", str(target)) from None
        made.replace(target)
        return
    made.unlink()


def _umask() -> int:
    mask = os.umask(0o077)
    os.umask(mask)
    return mask
