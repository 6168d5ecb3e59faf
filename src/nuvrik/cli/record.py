"""``nuvrik record``: raw readings of any source into a recording; and which stick is which."""

import shutil
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import ExitStack, suppress
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.calibration.buttons import pressed
from nuvrik.calibration.which import Which
from nuvrik.cli.options import LinkFile, Sources
from nuvrik.cli.words import DONE, NO, Trouble, console, say, speaks_plainly, table, tell
from nuvrik.plan.controls import AxisControl, ButtonControl, KeyControl, ReadControl, SliderControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.ports.files import LateLog
from nuvrik.ports.leaving import Interrupted, Signals
from nuvrik.ports.link_file import write_into
from nuvrik.ports.live import TURN_S, WallClock
from nuvrik.ports.sources import Hands, Source, open_one, open_source
from nuvrik.printable import printable
from nuvrik.recordings.log import Fresh

PAGE = "page"
"""The source that is a page in a browser, which this command serves."""

ROW_MS = 20
"""A row is written this often, and whenever a reading has changed: what rests is seen to rest."""

SHOWN_EVERY_MS = 200
SETTLE_MS = 500
"""How long hands are to be off before a control is asked for."""

LET_GO_MS = 5000
"""How long a hand is waited for to let go again; a slider stays where it is put."""

MOVE_WITHIN_MS = 15_000
"""How long a control that is asked for may take to be moved."""


class Seen:
    """What has come of one control so far."""

    def __init__(self, name: str, control: ReadControl) -> None:
        self.name, self._control = name, control
        self.readings: list[int] = []
        self.now: int | None = None
        self._first_ms, self._last_ms, self._came = 0, 0, 0

    @property
    def every_ms(self) -> float:
        """How far apart its readings came."""
        return (self._last_ms - self._first_ms) / max(1, self._came - 1)

    def take(self, now_ms: int, value: int | None) -> None:
        """A reading, or that there is none."""
        if value is not None:
            self._first_ms, self._last_ms = self._first_ms if self._came else now_ms, now_ms
            self._came += 1
        self.now = value
        if value is not None and (not self.readings or self.readings[-1] != value):
            self.readings.append(value)

    @property
    def cells(self) -> list[str]:
        """Name, what it reads now, and what has been seen of it."""
        now = "no reading" if self.now is None else str(self.now)
        if not self.readings:
            return [self.name, now, "nothing seen of it yet"]
        if isinstance(self._control, ButtonControl | KeyControl):
            return [self.name, now, f"changed {len(self.readings) - 1} times"]
        low, high = min(self.readings), max(self.readings)
        return [self.name, now, f"{low} to {high}{self._ends(low, high)}"]

    def _ends(self, low: int, high: int) -> str:
        """Which of the ends in the link file have been reached, where it has been moved."""
        if high == low:
            return ", not moved yet"
        assert isinstance(self._control, AxisControl | SliderControl)
        first, last = self._control.points[0], self._control.points[-1]
        room = abs(last - first) // 20
        if low < min(first, last) - room or high > max(first, last) + room:
            return ", beyond the range in the file"
        ends = (("low", first), ("high", last))
        reached = [word for word, end in ends if low - room <= end <= high + room]
        if not reached:
            return ", neither end of the file reached"
        return f", {' and '.join(reached)} of the file reached"


def run(file: Path, sources: Sequence[str], out: Path | None, for_s: float | None, assign: bool) -> int:
    """Record until interrupted, or ask which stick is which. The answer is no if nothing came."""
    link = load(file)
    if assign and PAGE in sources:
        raise Trouble("--assign asks which stick of a pad or a board is which; a page has them by name")
    if assign:
        return _assign(link, file, sources)
    if out is None:
        raise Trouble(
            "say where to write the recording, with --out FILE; or ask which stick is which: --assign"
        )
    others = [one for one in sources if one != PAGE]
    with Signals(final=True) as signals, ExitStack() as stack:
        hands = stack.enter_context(open_source(link, others, tell)) if others else None
        writer = _Writer(link, stack.enter_context(LateLog(out)))
        with suppress(Interrupted), signals.polled():
            if PAGE in sources:
                from nuvrik.cli.inputs.page import recorded_page

                turn = stack.enter_context(recorded_page(link, file, hands, writer.take))
                _record(turn, lambda: False, hands, writer, for_s, signals)
            elif hands is not None:
                read = hands.read
                _record(lambda t: writer.take(t, read(t)), lambda: hands.over, hands, writer, for_s, signals)
        why = [] if hands is None else hands.why
    if not writer.times_ms:
        raise Trouble(f"nothing came: {'; '.join(why) or 'no reading of any control'}", NO)
    _conclude(link, writer, out, contacts=bool(others))
    return DONE


def _record(
    turn: Callable[[int], None],
    over: Callable[[], bool],
    hands: Hands | None,
    writer: "_Writer",
    for_s: float | None,
    signals: Signals,
) -> None:
    """Let a turn be taken again and again, and show what has come of it, until it is over."""
    clock, shown = WallClock(), _Lines()
    while not over() and (for_s is None or clock.now_ms() < 1000 * for_s):
        signals.checkpoint()
        now_ms = clock.now_ms()
        turn(now_ms)
        why = [] if hands is None else hands.why
        shown.show(now_ms, [*(seen.cells for seen in writer.seen.values())], why)
        clock.sleep(TURN_S)


class _Writer:
    """The rows of a recording, and what has been seen."""

    def __init__(self, link: Link, out: LateLog) -> None:
        self._out, self._fresh = out, Fresh(link)
        self.controls = {
            name: control for name, control in link.controls.items() if isinstance(control, ReadControl)
        }
        self.seen = {name: Seen(name, control) for name, control in self.controls.items()}
        self.times_ms: list[int] = []
        self.rows: list[list[str]] = []

    def take(self, now_ms: int, readings: Mapping[str, int | None]) -> None:
        """What has just been read."""
        self._fresh.take(now_ms, readings)
        for name, value in readings.items():
            self.seen[name].take(now_ms, value)
        cells = self._fresh.cells(now_ms)
        if not self.times_ms and not any(cells):
            return
        last_ms = self.times_ms[-1] if self.times_ms else -ROW_MS
        changed = not self.rows or cells != self.rows[-1]
        if (changed and now_ms > last_ms) or now_ms >= last_ms + ROW_MS:
            if not self.rows:
                self._out.write(",".join(["t_ms", *self.controls]) + "\n")
            self.times_ms.append(now_ms)
            self.rows.append(cells)
            self._out.write(",".join([str(now_ms), *cells]) + "\n")
            if last_ms // 1000 != now_ms // 1000:
                self._out.flush()  # at most a second is lost in a crash


class _Lines:
    """A line a control on a terminal, written over each other; nothing where there is none."""

    def __init__(self) -> None:
        self._shown_ms = -SHOWN_EVERY_MS
        self._up = 0
        self._here = sys.stderr.isatty()

    def show(self, now_ms: int, rows: list[list[str]], why: list[str]) -> None:
        if not self._here or now_ms - self._shown_ms < SHOWN_EVERY_MS:
            return
        self._shown_ms = now_ms
        width = shutil.get_terminal_size().columns - 1
        names = max((len(row[0]) for row in rows), default=0)
        lines = [f"{now_ms / 1000:7.1f} s  move everything to its ends, then let go; Ctrl-C ends"]
        lines += [f"  {row[0]:{names}}  {row[1]:>10}  {row[2]}" for row in rows] + [f"  {one}" for one in why]
        text = "".join(f"{printable(line)[:width]}\x1b[K\n" for line in lines)
        text += "\x1b[K\n" * max(0, self._up - len(lines))
        print(f"\x1b[{self._up}F{text}" if self._up else text, end="", file=sys.stderr, flush=True)
        self._up = max(self._up, len(lines))


def _conclude(link: Link, writer: _Writer, out: Path, *, contacts: bool) -> None:
    """What has been seen. ``contacts``: buttons may have been real ones, which bounce."""
    columns = {
        name: [int(row[place]) if row[place] else None for row in writer.rows]
        for place, name in enumerate(writer.controls)
    }
    every = {name: seen.every_ms for name, seen in writer.seen.items()}
    found = pressed(link.controls, writer.times_ms, columns, every) if contacts else []
    buttons = {one.name: one for one in found}
    rows = []
    for name, seen in writer.seen.items():
        button = buttons.get(name)
        what = button.words if button and seen.readings else seen.cells[2]
        if button is not None and button.debounce_ms is not None:
            what += f"; debounce_ms = {button.debounce_ms} would do"
        rows.append([name, what])
    console().print(table(f"{out}: {len(writer.rows)} rows", ["control", "what was seen of it"], rows))
    say(f"next: nuvrik calibrate LINK {out}" if contacts else f"next: nuvrik rehearse LINK --from {out}")


# ---- which stick is which ------------------------------------------------------------------


def _assign(link: Link, file: Path, names: Sequence[str]) -> int:
    """Ask for each control in turn, and write what moved into the link file."""
    wanted = {
        name: control
        for name, control in link.controls.items()
        if isinstance(control, AxisControl | SliderControl | ButtonControl)
    }
    if not wanted:
        raise Trouble(f"{file}: has no stick, slider or button to ask for")
    changes: dict[tuple[str, ...], str] = {}
    with Signals(final=True) as signals, ExitStack() as stack:
        sources: list[Source] = []
        for name in names:
            sources.append(open_one(link, name, tell))
            stack.callback(sources[-1].close)
        which, taken = Which(), list[str]()
        say("let go of everything")
        try:
            with signals.polled():
                _watch(sources, which, signals, SETTLE_MS, None, ())
                for name, control in wanted.items():
                    button = isinstance(control, ButtonControl)
                    say(f"{name}: {'press it' if button else 'push it to an end'}, and let go")
                    which.settle()
                    item = _watch(sources, which, signals, MOVE_WITHIN_MS, button, taken)
                    if item is None:
                        say("  nothing moved: it is left as it is")
                        continue
                    taken.append(item)
                    changes["controls", name, "source"] = item
                    say(f"  {item}")
                    for _ in range(LET_GO_MS // SETTLE_MS):
                        _watch(sources, which, signals, SETTLE_MS, None, ())
                        if which.back(item):
                            break
        except Interrupted:
            say("interrupted: what has not been asked is left as it is")
    if not changes:
        say("nothing written")
        return NO
    write_into(file, changes)
    say(f"{file}: {len(changes)} keys written, comments kept; next: nuvrik record LINK --from ... --out FILE")
    return DONE


def _watch(
    sources: list[Source],
    which: Which,
    signals: Signals,
    for_ms: int,
    button: bool | None,
    taken: Sequence[str],
) -> str | None:
    """Look at the sources for a time; with ``button`` not None, until something has moved, and what."""
    start_s = time.monotonic()
    while (time.monotonic() - start_s) * 1000 < for_ms:
        signals.checkpoint()
        for source in sources:
            now_ms = int((time.monotonic() - start_s) * 1000)
            came = source.read(now_ms, list(source.items))
            which.take({f"{source.name}.{item}": value for item, value in came.items()})
        if button is not None:
            item = which.moved(button=button, without=taken)
            if item is not None:
                # It may be on its way still, and something else further.
                return item if button else _furthest(sources, which, signals, item, taken)
        time.sleep(TURN_S)
    return None


def _furthest(sources: list[Source], which: Which, signals: Signals, item: str, taken: Sequence[str]) -> str:
    _watch(sources, which, signals, SETTLE_MS, None, ())
    return which.moved(button=False, without=taken) or item


@speaks_plainly
def command(
    link: LinkFile,
    source: Sources,
    out: Annotated[
        Path | None, typer.Option("--out", metavar="FILE", help="Write the recording here, as CSV.")
    ] = None,
    for_s: Annotated[float | None, typer.Option("--for-s", min=0, help="End after so many seconds.")] = None,
    assign: Annotated[
        bool, typer.Option("--assign", help="Ask which stick is which, and write it into the link file.")
    ] = False,
) -> int:
    """Record raw readings of any source, ready for calibrate.

    --from page opens a page in a browser, as panel does, and records what is done on it.
    It shows what has been seen of every control as it goes. Nothing is sent and nothing moves. Ctrl-C ends
    it. With --assign it asks for one control after the other, and writes what moved as its source.
    """
    return run(link, source, out, for_s, assign)
