"""The log of a live handset, written as it goes: at most a second of it is lost in a crash."""

import csv
from collections.abc import Mapping
from typing import TextIO

from nuvrik.ends.handset import Handset
from nuvrik.plan.form.models import Link
from nuvrik.ports.live import ByteLine
from nuvrik.ports.tapped import Tapped
from nuvrik.recordings.log import Fresh, handset_header, handset_row

FLUSHED_EVERY_MS = 1000
"""What a crash may cost."""


class HandsetLog:
    """Rows of CSV: one whenever something has been sent or heard, or a reading or a reason has changed."""

    def __init__(self, link: Link, line: ByteLine, out: TextIO) -> None:
        self.line = Tapped(line)
        """The same port, with every byte that goes and comes noted."""
        self._out, self._rows = out, csv.writer(out, lineterminator="\n")
        self._fresh = Fresh(link)
        self._last: list[str] = []
        self._marks = 0
        self._last_ms = -1
        self._flushed_ms = 0
        self._rows.writerow([*handset_header(link, stream=line.stream), "driver.mark"])
        out.flush()

    def read(self, now_ms: int, readings: Mapping[str, int | None]) -> None:
        """What hands have just done."""
        self._fresh.take(now_ms, readings)

    def mark(self) -> None:
        """Somebody wants to find this moment again: from the next row on, the number of marks is one more."""
        self._marks += 1

    def told(self, now_ms: int, _: int, handset: Handset) -> None:
        """In every turn of the loop. Of a millisecond there is one row: recordings have no more."""
        cells = self._fresh.cells(now_ms)
        changed = [*cells, str(self._marks)] != self._last or self.line.busy
        if changed and now_ms > self._last_ms:
            self._last, self._last_ms = [*cells, str(self._marks)], now_ms
            row = [str(now_ms), *cells, *handset_row(handset, [*self.line.cells()]), str(self._marks)]
            self._rows.writerow(row)
        if now_ms - self._flushed_ms >= FLUSHED_EVERY_MS:
            self._flushed_ms = now_ms
            self._out.flush()
