"""Two pseudo-terminals with a cable between them, and programs that run on their ends."""

import contextlib
import csv
import os
import pty
import select
import signal
import subprocess
import sys
import threading
import time
import tty
from collections.abc import Iterator
from pathlib import Path

import nuvrik


class Cable:
    """Carries bytes from one pseudo-terminal to another, both ways, until it is pulled."""

    def __init__(self) -> None:
        self._lay()

    def renew(self) -> None:
        """Another one in its place."""
        self.close()
        self._lay()

    def _lay(self) -> None:
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


def start(*words: object, program: str = "", **more: object) -> subprocess.Popen[str]:
    """A ``nuvrik`` command in a process of its own, or a ``program`` in Python."""
    process = subprocess.Popen(
        [sys.executable, *(["-c", program] if program else ["-m", "nuvrik"]), *map(str, words)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        **more,
    )
    RUNNING.append(process)
    return process


def ended(process, how: signal.Signals | None = None) -> tuple[int, str]:
    """The exit code of a program, after a signal if one is given, and what it said on stderr."""
    if how is not None:
        process.send_signal(how)
    _, errors = process.communicate(timeout=20)
    assert "Traceback" not in errors
    return process.returncode, errors


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


class FarEnd:
    """The far end of a pseudo-terminal that a program drives: every frame it sends, and when it came."""

    def __init__(self, link: nuvrik.Link) -> None:
        self.master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self.master, False)
        self.port = os.ttyname(self._slave)
        self._arm = list(link.channels).index(link.arm_channel)
        self._decoder = nuvrik.Decoder(link)
        self.arms: list[tuple[float, int]] = []
        """When each command came, and its arm."""
        self._running = True
        self._thread = threading.Thread(target=self._listen, daemon=True)
        self._thread.start()

    def _listen(self) -> None:
        while self._running:
            if select.select([self.master], [], [], 0.05)[0]:
                with contextlib.suppress(OSError):
                    for event in self._decoder.feed(os.read(self.master, 4096)):
                        if isinstance(event, nuvrik.Frame) and event.kind == 0:
                            self.arms.append((time.monotonic(), event.values[self._arm]))

    def wait_armed(self, seconds: float = 20.0) -> None:
        end = time.monotonic() + seconds
        while not any(arm for _, arm in self.arms):
            assert time.monotonic() < end, "it never armed"
            time.sleep(0.005)

    def close(self) -> None:
        self._running = False
        self._thread.join(timeout=5)
        for descriptor in (self.master, self._slave):
            with contextlib.suppress(OSError):
                os.close(descriptor)
