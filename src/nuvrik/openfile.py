"""Files that a user names, opened so that nothing hangs, and read whatever a spreadsheet has made of them."""

import csv
import io
import os
from collections.abc import Iterator
from pathlib import Path
from typing import IO, TextIO

MARKS = {b"\xef\xbb\xbf": "utf-8-sig", b"\xff\xfe": "utf-16", b"\xfe\xff": "utf-16"}
"""What the beginning of a text may say of how it is written."""


class NotText(Exception):
    """A file that is no text; says what it looks like."""


class TableError(Exception):
    """A table that cannot be read; ``line`` says where."""

    def __init__(self, line: int, what: str) -> None:
        super().__init__(f"line {line}: is not CSV: {what}")
        self.line, self.what = line, what


def open_bytes(path: str | Path) -> IO[bytes]:
    """Open a file to be read. A pipe that nobody writes into is empty, instead of being waited for without a
    word. Raises OSError."""
    if hasattr(os, "O_NONBLOCK"):
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
        os.set_blocking(descriptor, True)
        return os.fdopen(descriptor, "rb")
    return Path(path).open("rb")


def open_log(path: str | Path) -> TextIO:
    """Open a text to be written as it comes. OSError for a pipe that nobody reads, instead of waiting."""
    if not hasattr(os, "O_NONBLOCK"):
        return Path(path).open("w", encoding="utf-8", newline="")
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NONBLOCK, 0o666)
    os.set_blocking(descriptor, True)
    return os.fdopen(descriptor, "w", encoding="utf-8", newline="")


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


def csv_rows(lines: Iterator[str]) -> Iterator[tuple[int, list[str]]]:
    """The rows of a table, each with the number of its line. Separated by commas, or, as spreadsheets write
    them where the comma is for decimals, by semicolons or tabs; then decimal commas become points. Raises
    TableError."""
    first = next(lines, "")
    separator = max(",;\t", key=first.count) if first.count(",") == 0 else ","
    reader = csv.reader(_with(first, lines), delimiter=separator)
    while True:
        try:
            row = next(reader, None)
        except csv.Error as error:
            raise TableError(reader.line_num, str(error)) from None
        if row is None:
            return
        cells = [cell.strip() for cell in row]
        if separator != ",":
            cells = [cell.replace(",", ".") for cell in cells]
        yield reader.line_num, cells


def _with(first: str, rest: Iterator[str]) -> Iterator[str]:
    if first:
        yield first
    yield from rest
