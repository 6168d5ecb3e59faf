"""``nuvrik drive`` and ``nuvrik machine``: one end each, on a real port."""

import csv
import re
import shutil
import stat
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TextIO

from nuvrik.cli.inputs.files import read_recording
from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.words import DONE, Trouble, tell
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.inspection.statistics import WRAPPED, LinkStats
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.ports.files import open_log
from nuvrik.ports.hello import other_build, other_file, who_is_there
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import WallClock, Watcher, log_header, log_row, run_handset, run_machine
from nuvrik.ports.open import AnyPort, is_sim
from nuvrik.ports.sim import SimLine
from nuvrik.printable import printable
from nuvrik.wire.events import Event
from nuvrik.wire.packing import Field, fields_of
from nuvrik.wire.words import value_text

STATUS_EVERY_MS = 100
HELLO_MS = 3000


def run_drive(file: Path, port: str, source: Path, headless: bool) -> int:
    """Play a recording into a port."""
    link = load(file)
    recording = read_recording(source, link)
    show = None if headless or not sys.stderr.isatty() else _status_line(link)
    if link.failsafe.stop in recording.missing(link):
        tell(f"{source}: has no column for {link.failsafe.stop}; Ctrl-C disarms")
    with Signals(final=True) as signals, open_line(link, port) as line:
        try:
            sim = line if isinstance(line, SimLine) else None
            if link.two_way and sim is None and link.frame.carries_questions:
                _meet(link, line)
        except KeyboardInterrupt:
            tell("interrupted: nothing was driven yet")
            return DONE
        played = run_handset(link, line, recording, show, sim, signals)
    if played.interrupted or not played.farewell.whole or not played.farewell.sent:
        tell(f"{'interrupted: ' if played.interrupted else ''}{played.farewell.words}")
    if played.dropped:
        tell(f"{played.dropped} frames were dropped because the line did not take them")
    return DONE


def run_machine_command(
    file: Path, port: str, log: Path | None, why: bool, for_s: float | None, watchdog: Path | None = None
) -> int:
    """Be the machine until interrupted; a row whenever something changes."""
    link = load(file)
    if log is not None and log.exists() and log.samefile(file):
        raise Trouble(f"--log {log} is the link file, which would be written over")
    for_ms = None if for_s is None else int(for_s * 1000)
    stats = LinkStats(link.period_ms)
    with (
        Signals(final=True) as signals,
        _machine_port(link, port) as line,
        _log(log) as out,
        Watchdog.opened(watchdog) as dog,
    ):
        writer = _Rows(link, out, why)
        writer.head()
        try:
            run_machine(
                link,
                line,
                dog.watched(writer.watch),
                for_ms,
                heard=_noticing(stats),
                kick=dog.kick,
                warn=tell,
                signals=signals,
            )
        except KeyboardInterrupt:
            how = ", cut off without a ramp" if signals.at_once else ""
            tell(f"interrupted: every output is at rest{how}")
        finally:
            tell(_fared(stats))
    return DONE


class _Rows:
    """A row of CSV whenever something changes; with ``why``, reasons on stderr too."""

    def __init__(self, link: Link, out: TextIO, why: bool) -> None:
        self._link, self._out, self._why = link, out, why
        self._rows = csv.writer(out, lineterminator="\n")
        self._last: list[str] = []
        self._said: dict[str, str] = {}

    def head(self) -> None:
        self._rows.writerow(log_header(self._link))
        self._out.flush()

    def watch(self, t_ms: int, machine: Machine) -> None:
        """After every tick."""
        row = log_row(t_ms, machine)
        if row[1:] != self._last:
            self._last = row[1:]
            self._rows.writerow(row)
            self._out.flush()
        if self._why and t_ms % STATUS_EVERY_MS < self._link.tick_ms:
            for output, reason in machine.reasons().items():
                # A countdown is news when it begins, not ten times a second.
                kind = re.sub(r"-?\d+(\.\d+)?", "#", reason)
                if self._said.get(output) != kind:
                    self._said[output] = kind
                    tell(f"{t_ms / 1000:8.2f} s  {output}: {reason}")


def _noticing(stats: LinkStats) -> Callable[[int, Event], None]:
    def heard(now_ms: int, event: Event) -> None:
        notice = stats.take(event, now_ms)
        if notice is not None and notice.what != WRAPPED:
            tell(f"{now_ms / 1000:8.2f} s  {notice.what}")

    return heard


class Watchdog:
    """A watchdog device of the kernel, kept quiet by a byte after each tick. Only a machine that has come to
    rest ends its watch (with the letter V, as the kernel's documentation says); whatever else ends this
    program, the board is restarted."""

    def __init__(self, device: Any = None) -> None:
        self._device = device
        self.at_rest = True

    @classmethod
    @contextmanager
    def opened(cls, path: Path | None) -> Iterator["Watchdog"]:
        """Trouble for anything but a character device: a file would be written over."""
        if path is None:
            yield cls()
            return
        if not stat.S_ISCHR(path.stat().st_mode):
            raise Trouble(f"--watchdog {path}: is no device; a watchdog is one, such as /dev/watchdog")
        with path.open("wb", buffering=0) as device:
            dog = cls(device)
            try:
                yield dog
            finally:
                if dog.at_rest:
                    device.write(b"V")

    def watched(self, watch: Watcher) -> Watcher:
        """The same watcher, which also notes whether the machine is at rest."""

        def both(t_ms: int, machine: Machine) -> None:
            self.at_rest = machine.safe
            watch(t_ms, machine)

        return both

    def kick(self) -> None:
        """A tick is done."""
        if self._device is not None:
            self._device.write(b"\0")


def _fared(stats: LinkStats) -> str:
    """How the link fared, in a line."""
    refused = ", ".join(f"{count} {reason}" for reason, count in stats.refused.most_common())
    silence = stats.longest_silence_ms
    words = [f"{stats.accepted} frames accepted", f"{stats.lost} lost", f"refused: {refused or 'none'}"]
    return ", ".join([*words, *([f"longest silence {silence:.0f} ms"] if silence is not None else [])])


def _meet(link: Link, line: AnyPort) -> None:
    """Before anything is driven on a two-way link: is it the machine that this file is for?"""
    found = who_is_there(link, line, WallClock(), HELLO_MS)
    if not found:
        tell(f"nobody answered hello within {HELLO_MS / 1000:g} s; continuing without an answer")
    elif all(other_file(one.identity, link) for one in found):
        raise Trouble(str(other_file(found[0].identity, link)))
    for one in found:
        said = "" if other_file(one.identity, link) else other_build(one.identity, link)
        if said:
            # It does what its own file says, safely; but that is not what was checked and rehearsed here.
            tell(f"warning: {printable(one.identity.name)}, at the other end, was built {said}")


@contextmanager
def _machine_port(link: Link, name: str) -> Iterator[AnyPort]:
    if is_sim(name):
        raise Trouble(f"{name}: is a machine itself; `nuvrik machine` needs a real port")
    with open_line(link, name) as line:
        yield line


@contextmanager
def _log(path: Path | None) -> Iterator[TextIO]:
    if path is None:
        yield sys.stdout
        return
    with open_log(path) as file:
        yield file


def _status_line(link: Link) -> Any:
    """A few lines on stderr that say how things are, written over each other ten times a second."""
    fields = fields_of(link.channels)
    shown_ms = -STATUS_EVERY_MS
    lines_up = 0

    def told(now_ms: int, _: int, handset: Handset) -> None:
        nonlocal shown_ms, lines_up
        if handset.cues(now_ms):
            print("\a", end="", file=sys.stderr, flush=True)
        if now_ms - shown_ms < STATUS_EVERY_MS:
            return
        shown_ms = now_ms
        lines = status_lines(now_ms, handset, fields, shutil.get_terminal_size().columns - 1)
        text = "".join(f"{printable(line)}\x1b[K\n" for line in lines)
        # Lines that are not needed any more are cleared: what is held or heard grows and shrinks.
        spare = max(0, lines_up - len(lines))
        text += "\x1b[K\n" * spare
        back = f"\x1b[{lines_up}F" if lines_up else ""
        print(f"{back}{text}", end="", file=sys.stderr, flush=True)
        lines_up = max(lines_up, len(lines))

    return told


def status_lines(now_ms: int, handset: Handset, fields: tuple[Field, ...], width: int) -> list[str]:
    """First what matters: the machine's state, and why nothing is driven; then what is held, what is sent,
    what comes back. A line that would be wider than ``width`` goes on in the next."""
    values, link = handset.wire_values, handset.link
    if link.telemetry:
        state, age_ms = handset.machine_state, handset.machine_age_ms
        lost = "nothing heard yet" if age_ms is None else f"not heard for {age_ms} ms"
        head = f"machine {state or lost}"
    else:
        head = "sending" if handset.why == "" else "not driving"
    head += ", about to let go of its load" if handset.hold_ends else ""
    head += f": {handset.why}" if handset.why else ""
    lines = [f"{now_ms / 1000:7.1f} s  {head}"]
    lines += _wrapped("held", handset.latched, width) if handset.latched else []
    lines += _wrapped("sent", [f"{f.name} {value_text(values[f.name], f)}" for f in fields], width)
    if handset.telemetry:
        items = [f"{name} {reading.words}" for name, reading in handset.telemetry.items()]
        lines += _wrapped("back", items, width)
    return [line[:width] for line in lines]


def _wrapped(what: str, items: list[str], width: int) -> list[str]:
    """Items in as many lines as they need, none of them cut in two."""
    lines, line = [], f"  {what:6}"
    for item in items:
        if len(line) > 8 and len(line) + 2 + len(item) > width:
            lines.append(line)
            line = " " * 8
        line += f"  {item}"
    return [*lines, line]
