"""Two pseudo-terminals with a cable between them, and programs that run on their ends."""

import contextlib
import csv
import os
import pty
import select
import subprocess
import sys
import threading
import time
import tty
from collections.abc import Iterator
from pathlib import Path


class Cable:
    """Carries bytes from one pseudo-terminal to another, both ways, until it is pulled."""

    def __init__(self) -> None:
        self.masters, self.ports, self._slaves = [], [], []
        for _ in range(2):
            master, slave = pty.openpty()
            tty.setraw(slave)
            # What the far end does not take is lost, as on a real line; waiting for it could be for ever.
            os.set_blocking(master, False)
            self.masters.append(master)
            # The slave stays open here too, so that a program that ends does not hang up the line.
            self._slaves.append(slave)
            self.ports.append(os.ttyname(slave))
        self.whole = True
        self._running = True
        self._thread = threading.Thread(target=self._carry, daemon=True)
        self._thread.start()

    def _carry(self) -> None:
        while self._running:
            ready, _, _ = select.select(self.masters, [], [], 0.05)
            for master in ready:
                with contextlib.suppress(OSError):
                    data = os.read(master, 4096)
                    if self.whole:
                        os.write(self.masters[1 - self.masters.index(master)], data)

    def close(self) -> None:
        self._running = False
        end_all()
        self._thread.join(timeout=5)
        for descriptor in (*self.masters, *self._slaves):
            with contextlib.suppress(OSError):
                os.close(descriptor)


@contextlib.contextmanager
def cable() -> Iterator[Cable]:
    made = Cable()
    try:
        yield made
    finally:
        made.close()


RUNNING: list[subprocess.Popen[str]] = []
"""What was started and must not outlive its test."""


def end_all() -> None:
    """Kill whatever still runs."""
    for process in RUNNING:
        process.kill()
        process.communicate()
    RUNNING.clear()


def start(*words: object) -> subprocess.Popen[str]:
    """A ``nuvrik`` command in a process of its own."""
    process = subprocess.Popen(
        [sys.executable, "-m", "nuvrik", *map(str, words)],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    RUNNING.append(process)
    return process


def rows_of(log: Path) -> list[dict[str, str]]:
    """The rows of a machine's log so far."""
    if not log.exists():
        return []
    with log.open(newline="") as file:
        return [row for row in csv.DictReader(file) if None not in row.values()]


def wait_for(log: Path, wanted, seconds: float = 15.0) -> dict[str, str]:
    """The first row of a log for which ``wanted`` is true, as soon as there is one."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        for row in rows_of(log):
            if wanted(row):
                return row
        time.sleep(0.02)
    raise AssertionError(f"no such row in {rows_of(log)}")
