"""The key of a link: sixteen bytes in a file of their own, beside the link file and never in it.

A key is in no table, so in no build tag, trace or record. Whoever can read it can drive the machine, so a
file that others can read is refused."""

import stat
from dataclasses import dataclass, field
from pathlib import Path, PosixPath
from secrets import token_bytes

KEY_BYTES = 16
KEY_MODE = 0o600
MOST_BYTES = 4096
"""A key file is 33 bytes; anything much longer is some other file."""


class KeyFileError(ValueError):
    """A key file that cannot be used: what is wrong with it, and what to do."""

    def __init__(self, what: str, do: str) -> None:
        super().__init__(f"{what}; {do}")
        self.what, self.do = what, do


@dataclass(frozen=True)
class Key:
    """A key, which is not shown where it is printed by mistake."""

    secret: bytes = field(repr=False)


def new_key() -> Key:
    """A key from the system's random source."""
    return Key(token_bytes(KEY_BYTES))


def write_key(path: Path, key: Key) -> None:
    """Write a key where no file is yet, readable by nobody else. OSError where that cannot be done,
    FileExistsError where there is one."""
    path.touch(KEY_MODE, exist_ok=False)
    path.write_text(key.secret.hex() + "\n", encoding="ascii")


def read_key(path: Path) -> Key:
    """The key in a file: 32 hex digits and a newline. KeyFileError where there is none to be had, and where
    others could have it."""
    new = "`nuvrik new FILE --with-key` writes one"
    try:
        about = path.lstat()
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise KeyFileError(f'"{path.name}" cannot be read: {reason}', new) from None
    if stat.S_ISLNK(about.st_mode):
        raise KeyFileError(f'"{path.name}" is a link to another file', "put the key itself there")
    if not stat.S_ISREG(about.st_mode):
        raise KeyFileError(f'"{path.name}" is no file', new)
    if isinstance(path, PosixPath) and about.st_mode & 0o077:
        mode = f"{stat.S_IMODE(about.st_mode):04o}"
        raise KeyFileError(
            f'"{path.name}" can be read by others (its mode is {mode})', f"chmod 600 {path.name}"
        )
    try:
        data = path.read_bytes()[:MOST_BYTES]
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise KeyFileError(f'"{path.name}" cannot be read: {reason}', new) from None
    return Key(_bytes_of(data, path.name))


def _bytes_of(data: bytes, name: str) -> bytes:
    if data.startswith(b"\xef\xbb\xbf") or data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        raise KeyFileError(f'"{name}" begins with a byte order mark', "save it as plain text without one")
    text = data.decode("latin-1").rstrip("\r\n")
    digits = len(text)
    if digits != 2 * KEY_BYTES:
        raise KeyFileError(
            f'"{name}" has {digits} characters', f"a key is {2 * KEY_BYTES} hex digits and a newline"
        )
    try:
        key = bytes.fromhex(text)
    except ValueError:
        key = b""
    if len(key) != KEY_BYTES:
        raise KeyFileError(f'"{name}" has other characters than hex digits', "write a new one")
    if not any(key):
        raise KeyFileError(f'"{name}" is all zero, which anybody would try first', "write a new one")
    return key
