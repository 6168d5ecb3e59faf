"""Rows of a CSV table, whatever a spreadsheet has made of it."""

import csv
from collections.abc import Iterator


class TableError(Exception):
    """A table that cannot be read; ``line`` says where."""

    def __init__(self, line: int, what: str) -> None:
        super().__init__(f"line {line}: is not CSV: {what}")
        self.line, self.what = line, what


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
