"""``nuvrik drive`` and ``nuvrik machine``: one end each, on a real port."""

import csv
import shutil
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TextIO

from nuvrik.cli.rehearse import read_recording
from nuvrik.cli.words import DONE, Trouble
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.plan.load import load
from nuvrik.plan.models import Link
from nuvrik.ports.hello import other_file, who_is_there
from nuvrik.ports.live import WallClock, log_header, log_row, run_handset, run_machine
from nuvrik.ports.open import AnyPort, is_sim, open_port
from nuvrik.ports.sim import SimLine
from nuvrik.wire.describe import value_text
from nuvrik.wire.events import Event
from nuvrik.wire.packing import Field, fields_of
from nuvrik.wire.statistics import WRAPPED, LinkStats

STATUS_EVERY_MS = 100
HELLO_MS = 3000


def run_drive(file: Path, port: str, source: Path, headless: bool) -> int:
    """Play a recording into a port."""
    link = load(file)
    recording = read_recording(source, link)
    show = None if headless or not sys.stderr.isatty() else _status_line(link)
    with ends_politely(), open_line(link, port) as line:
        try:
            sim = line if isinstance(line, SimLine) else None
            if link.two_way and sim is None and link.frame.carries_questions:
                _meet(link, line)
            dropped = run_handset(link, line, recording, show, sim)
        except KeyboardInterrupt:
            _tell("\ninterrupted: sent sticks at rest and arm off")
            return DONE
    if dropped:
        _tell(f"{dropped} frames were dropped because the line did not take them")
    return DONE


def run_machine_command(
    file: Path, port: str, log: Path | None, why: bool, for_s: float | None, watchdog: Path | None = None
) -> int:
    """Be the machine until interrupted; a row whenever something changes."""
    link = load(file)
    if log is not None and log.exists() and log.samefile(file):
        raise Trouble(f"--log {log} is the link file, which would be written over")
    for_ms = None if for_s is None else int(for_s * 1000)
    with (
        ends_politely(),
        _machine_port(link, port) as line,
        _log(log) as out,
        _watchdog(watchdog) as kick,
    ):
        rows = csv.writer(out, lineterminator="\n")
        rows.writerow(log_header(link))
        out.flush()
        last: list[str] = []
        said: dict[str, str] = {}

        def watch(t_ms: int, machine: Machine) -> None:
            nonlocal last
            row = log_row(t_ms, machine)
            if row[1:] != last:
                last = row[1:]
                rows.writerow(row)
                out.flush()
            reasons = machine.reasons() if why and t_ms % STATUS_EVERY_MS < link.link.tick_ms else said
            for output, reason in reasons.items():
                if said.get(output) != reason:
                    said[output] = reason
                    _tell(f"{t_ms / 1000:8.2f} s  {output}: {reason}")

        stats = LinkStats(link.link.period_ms)

        def heard(now_ms: int, event: Event) -> None:
            notice = stats.take(event, now_ms)
            if notice is not None and notice.what != WRAPPED:
                _tell(f"{now_ms / 1000:8.2f} s  {notice.what}")

        try:
            run_machine(link, line, watch, for_ms, heard=heard, kick=kick)
        except KeyboardInterrupt:
            _tell("interrupted: every output is at rest")
        finally:
            _tell(_fared(stats))
    return DONE


@contextmanager
def _watchdog(device: Path | None) -> Iterator[Callable[[], None]]:
    """What keeps a watchdog device of the kernel quiet: a byte each time; a V, as its documentation says,
    ends its watch when the machine is at rest. Whatever else ends this program, the board is restarted."""
    if device is None:
        yield lambda: None
        return
    with device.open("wb", buffering=0) as file:

        def kick() -> None:
            file.write(b"\0")

        try:
            yield kick
        finally:
            file.write(b"V")


def _fared(stats: LinkStats) -> str:
    """How the link fared, in a line."""
    refused = ", ".join(f"{count} {reason}" for reason, count in stats.refused.most_common())
    silence = stats.longest_silence_ms
    words = [f"{stats.good} good frames", f"{stats.lost} lost", f"refused: {refused or 'none'}"]
    return ", ".join([*words, *([f"longest silence {silence:.0f} ms"] if silence is not None else [])])


def _meet(link: Link, line: AnyPort) -> None:
    """Before anything is driven on a two-way link: is it the machine that this file is for?"""
    found = who_is_there(link, line, WallClock(), HELLO_MS)
    if not found:
        _tell(f"nobody answered hello within {HELLO_MS / 1000:g} s; driving all the same, unheard")
    elif all(other_file(one.identity, link) for one in found):
        raise Trouble(str(other_file(found[0].identity, link)))


@contextmanager
def open_line(link: Link, name: str) -> Iterator[AnyPort]:
    """A port by any name, closed in the end."""
    line = open_port(link, name)
    if isinstance(line, SimLine):
        yield line
        return
    with line:
        _note_framing(link, line)
        yield line


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
    with path.open("w", encoding="utf-8", newline="") as file:
        yield file


@contextmanager
def ends_politely() -> Iterator[None]:
    """A request to terminate takes the same way out as Ctrl-C: through a stop."""

    def interrupt(*_: Any) -> None:
        raise KeyboardInterrupt

    before = signal.signal(signal.SIGTERM, interrupt)
    try:
        yield
    finally:
        signal.signal(signal.SIGTERM, before)


def _note_framing(link: Link, line: AnyPort) -> None:
    if link.medium.datagrams and line.stream:
        kind = link.medium.kind
        a_kind = f"an {kind}" if kind[0] in "aeio" else f"a {kind}"
        _tell(f"{link.link.name} is {a_kind} link; on a port its frames travel as a stream, zeros between")


def _status_line(link: Link) -> Any:
    """A few lines on stderr that say how things are, written over each other ten times a second."""
    fields = fields_of(link.channels)
    shown_ms = -STATUS_EVERY_MS
    lines_up = ""

    def told(now_ms: int, _: int, handset: Handset) -> None:
        nonlocal shown_ms, lines_up
        if handset.cues(now_ms):
            print("\a", end="", file=sys.stderr, flush=True)
        if now_ms - shown_ms < STATUS_EVERY_MS:
            return
        shown_ms = now_ms
        lines = _status(now_ms, handset, fields)
        # Cut to the terminal's width: a line that wraps could not be written over.
        width = shutil.get_terminal_size().columns - 1
        text = "".join(f"{line[:width]}\x1b[K\n" for line in lines)
        print(f"{lines_up}{text}", end="", file=sys.stderr, flush=True)
        lines_up = f"\x1b[{len(lines)}F"

    return told


def _status(now_ms: int, handset: Handset, fields: tuple[Field, ...]) -> list[str]:
    """What is held, what is sent, what comes back; always as many lines for one link."""
    values = handset.values
    head = f"{now_ms / 1000:7.1f} s  " + ("stopping" if handset.stopping else "")
    head += f"  held: {', '.join(handset.latched)}" if handset.latched else ""
    sent = "  ".join(f"{field.name} {value_text(values[field.name], field)}" for field in fields)
    if not handset.link.telemetry:
        return [f"{head}  {sent}"]
    said = str(handset.machine_state or "nothing heard yet")
    items = [f"{name} {reading.words}" for name, reading in handset.telemetry.items()]
    return [head, f"  sent     {sent}", f"  machine  {'  '.join([said, *items])}"]


def _tell(text: str) -> None:
    print(text, file=sys.stderr, flush=True)
