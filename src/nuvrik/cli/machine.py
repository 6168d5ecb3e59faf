"""``nuvrik machine``: the machine's end, on a real port."""

import csv
import re
import stat
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any, TextIO

import typer

from nuvrik.budget.stop import stop_bound
from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.options import LinkFile, PortName
from nuvrik.cli.words import DONE, Trouble, speaks_plainly, tell
from nuvrik.ends.machine import Machine
from nuvrik.inspection.statistics import WRAPPED, LinkStats
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.ports.files import open_log
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import Watcher, run_machine
from nuvrik.ports.open import AnyPort, is_sim
from nuvrik.ports.own_code import OwnCode, OwnCodeError, load_own_code
from nuvrik.ports.tapped import Tapped
from nuvrik.recordings.log import AT_MACHINE, byte_columns, machine_header, machine_row
from nuvrik.wire.events import Event

STATUS_EVERY_MS = 100
WAITS_MS = 3000
"""After this long without anybody it is said for whom a listening port waits."""


def run_machine_command(
    file: Path,
    port: str,
    log: Path | None,
    why: bool,
    for_s: float | None,
    watchdog: Path | None = None,
    code: Path | None = None,
    each_byte: bool = False,
) -> int:
    """Be the machine until interrupted; a row whenever something changes."""
    link = load(file)
    for_ms = None if for_s is None else int(for_s * 1000)
    stats = LinkStats(link.period_ms)
    own = _own_code(link, code)
    with (
        Signals(final=True) as signals,
        _machine_port(link, port) as line,
        _log(log) as out,
        Watchdog.opened(watchdog) as dog,
    ):
        tapped = Tapped(line) if each_byte else None
        writer = _Rows(link, out, why, tapped)
        writer.head()

        def watch(t_ms: int, machine: Machine) -> None:
            own.watch(t_ms, machine)
            writer.watch(t_ms, machine)

        try:
            run_machine(
                link,
                tapped or line,
                dog.watched(_saying_it_waits(line, watch)),
                for_ms,
                own.prepare,
                heard=_noticing(stats),
                kick=dog.kick,
                warn=tell,
                signals=signals,
            )
        except OwnCodeError as error:
            raise Trouble(str(error)) from None
        except KeyboardInterrupt:
            how = ", cut off without a ramp" if signals.at_once else ""
            tell(f"interrupted: every output is at rest{how}")
        finally:
            tell(_fared(stats))
    return DONE


def _own_code(link: Link, code: Path | None) -> OwnCode:
    """The builder's own functions; none where there is no file of them."""
    if code is None:
        return OwnCode(link, {}, {}, {})
    try:
        own = load_own_code(link, code, tell)
    except OwnCodeError as error:
        raise Trouble(str(error)) from None
    if own.idle:
        tell(f"{code}: has no function for {', '.join(own.idle)}")
    if not link.own_code_ms:
        bound = stop_bound(link)._replace(own_code_ms=own.longest_ms)
        tell(
            f"functions may take {own.longest_ms} ms in a turn: everything is at rest within "
            f"{bound.in_words()}; [board] own_code_ms says less"
        )
    return own


class _Rows:
    """A row of CSV whenever something changes; with ``why``, reasons on stderr too."""

    def __init__(self, link: Link, out: TextIO, why: bool, line: Tapped | None) -> None:
        self._link, self._out, self._why, self._line = link, out, why, line
        self._rows = csv.writer(out, lineterminator="\n")
        self._last: list[str] = []
        self._said: dict[str, str] = {}

    def head(self) -> None:
        line = self._line
        carried = byte_columns(AT_MACHINE, stream=line.stream) if line is not None else []
        self._rows.writerow([*machine_header(self._link), *carried])
        self._out.flush()

    def watch(self, t_ms: int, machine: Machine) -> None:
        """After every tick."""
        row = machine_row(t_ms, machine)
        changed, self._last = row[1:] != self._last, row[1:]
        if self._line is not None:
            changed = changed or self._line.busy
            answered, heard = self._line.cells()
            row += [heard, answered]
        if changed:
            self._rows.writerow(row)
            self._out.flush()
        if self._why and t_ms % STATUS_EVERY_MS < self._link.tick_ms:
            for output, reason in machine.reasons().items():
                # A countdown is news when it begins, not ten times a second.
                kind = re.sub(r"-?\d+(\.\d+)?", "#", reason)
                if self._said.get(output) != kind:
                    self._said[output] = kind
                    tell(f"{t_ms / 1000:8.2f} s  {output}: {reason}")


def _saying_it_waits(line: AnyPort, watch: Watcher) -> Watcher:
    """The same watcher, which also says, once, that nobody has come yet."""
    said = False

    def both(t_ms: int, machine: Machine) -> None:
        nonlocal said
        if t_ms >= WAITS_MS and not said:
            said = True
            if line.waits:
                tell(line.waits)
        watch(t_ms, machine)

    return both


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


@contextmanager
def _machine_port(link: Link, name: str) -> Iterator[AnyPort]:
    if is_sim(name):
        raise Trouble(f"{name}: is a machine itself; `nuvrik machine` needs a real port")
    with open_line(link, name, end="machine") as line:
        yield line


@contextmanager
def _log(path: Path | None) -> Iterator[TextIO]:
    if path is None:
        yield sys.stdout
        return
    with open_log(path) as file:
        yield file


@speaks_plainly
def command(
    link: LinkFile,
    port: PortName,
    log: Annotated[
        Path | None,
        typer.Option("--log", metavar="FILE", help="Write the log here, as CSV, and not to the screen."),
    ] = None,
    why: Annotated[
        bool, typer.Option("--why", help="Say on stderr why each output does what it does.")
    ] = False,
    for_s: Annotated[float | None, typer.Option("--for-s", min=0, help="End after so many seconds.")] = None,
    watchdog: Annotated[
        Path | None, typer.Option("--watchdog", metavar="FILE", help="A watchdog device to keep quiet.")
    ] = None,
    code: Annotated[
        Path | None,
        typer.Option("--code", metavar="FILE", help="Your own functions, for outputs, sensors and requests."),
    ] = None,
    each_byte: Annotated[
        bool, typer.Option("--bytes", help="Log also every byte that comes and goes, for inspect.")
    ] = False,
) -> int:
    """Be the machine: log what each output is told to do.

    It writes a row of CSV whenever something changes. However it ends, it first brings every output to rest.
    With --code it is a machine with motors: a file of Python has tables OUTPUTS, SENSORS and REQUESTS of
    functions by name. A function that raises, or takes longer than 250 ms, stops the machine and is named.
    """
    return run_machine_command(link, port, log, why, for_s, watchdog, code, each_byte)
