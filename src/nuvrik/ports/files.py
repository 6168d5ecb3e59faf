"""How a file is written: whole or not at all, and as whose it was.

The new text is written beside the file and moved into its place, so that a full disk or a power cut leaves
the old one as it was. A link is followed, so that what it points to is replaced and not the link; owner and
mode stay; and what is no ordinary file (a device, a pipe) is written into, because it cannot be replaced.
"""

import contextlib
import os
import stat
import tempfile
from pathlib import Path
from typing import TextIO


def write_file(path: Path, data: str | bytes, *, new: bool = False) -> None:
    """Write a file. With ``new``, FileExistsError if there is one of that name. OSError, with that name in
    it, where it cannot be written."""
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
    """Open a text to be written as it comes. OSError for a pipe that nobody reads, instead of waiting."""
    if not hasattr(os, "O_NONBLOCK"):
        return Path(path).open("w", encoding="utf-8", newline="")
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NONBLOCK, 0o666)
    os.set_blocking(descriptor, True)
    return os.fdopen(descriptor, "w", encoding="utf-8", newline="")


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
