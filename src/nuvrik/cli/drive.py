"""``nuvrik drive``: the handset's end, from whatever hands there are."""

import gc
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.inputs.meeting import make_ready, opened_log
from nuvrik.cli.options import HandsetLogFile, LinkFile, PortName, Sources
from nuvrik.cli.status import Status
from nuvrik.cli.words import DONE, Trouble, speaks_plainly, tell
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.panel.twin import Twin
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.ports.driving import run_handset
from nuvrik.ports.handset_log import HandsetLog
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import AnyClock, ByteLine
from nuvrik.ports.sim import RealTime, SimLine
from nuvrik.ports.sources import Hands, open_source
from nuvrik.ports.sources.keys import Keys
from nuvrik.rehearsal.bench import in_words


def run(
    file: Path, port: str, sources: Sequence[str], log: Path | None, headless: bool, at_once: bool
) -> int:
    """Be the handset until there is nothing more to play, or somebody interrupts."""
    link = load(file)
    with (
        Signals(final=True) as signals,
        open_source(link, sources, tell) as hands,
        open_line(link, port, wait_s=0) as line,
        ExitStack() as stack,
    ):
        _say_what_moves(link, hands)
        sim = line if isinstance(line, SimLine) else None
        if at_once and sim is None:
            raise Trouble("--at-once is for --port sim: a real port has a time of its own")
        try:
            make_ready(link, line, signals)
        except KeyboardInterrupt:
            tell("interrupted: nothing was driven yet")
            return DONE
        tapped: ByteLine = line
        written = HandsetLog(link, line, stack.enter_context(opened_log(log, file))) if log else None
        if written is not None:
            tapped, hands.noted = written.line, written.read
        status = twin = None
        if not headless and sys.stderr.isatty():
            twin = Twin(link, tapped) if sim is None else None
            tapped = twin or tapped
            status = Status(link, lambda: hands.why, sim, _machine_of(sim, twin))
        faults = stack.enter_context(_fault_keys(hands, sim, status)) if status and sim else None

        def told(now_ms: int, played_ms: int, handset: Handset) -> None:
            if written is not None:
                written.told(now_ms, played_ms, handset)
            if faults is not None:
                faults.read(now_ms, ())
            if twin is not None:
                twin.pass_time(now_ms, handset.machine_state)
            if status is not None:
                status.told(now_ms, played_ms, handset)

        clock: AnyClock | None = None
        if sim is not None:
            clock = sim if at_once else RealTime(sim)
        # What has been loaded stays; looking through it for what can be thrown away takes a millisecond.
        gc.collect()
        gc.freeze()
        heard = status.heard if status else None
        make = Handset if sim is None else sim.handset
        played = run_handset(link, tapped, hands, told, clock, signals, heard, make)
    if played.interrupted or not played.farewell.whole or not played.farewell.sent:
        tell(f"{'interrupted: ' if played.interrupted else ''}{played.farewell.words}")
    if played.dropped:
        tell(f"{played.dropped} frames were dropped because the line did not take them")
    return DONE


def _machine_of(sim: SimLine | None, twin: Twin | None) -> Callable[[], Machine | None]:
    """Of whom it is asked why nothing moves."""
    if sim is not None:
        return lambda: sim.machine
    return lambda: twin.machine if twin is not None and twin.agrees else None


def _say_what_moves(link: Link, hands: Hands) -> None:
    """Before anything is driven: what nothing moves in this run, if that is sure."""
    if any(source.may_move("") is not None for source in hands.sources):
        return  # any control may be named in a line that is yet to come
    stop = link.failsafe.stop
    if stop is not None and stop in hands.missing:
        tell(f"nothing here moves {stop}: Ctrl-C stops and disarms")
    idle = sorted(hands.missing - {stop})
    if idle:
        example = 'source = "pad.left_y"'
        tell(f"nothing here moves {', '.join(idle)}; the link file says what does, as in {example}")


@contextmanager
def _fault_keys(hands: Hands, sim: SimLine, status: Status) -> Iterator[Keys | None]:
    """Digits and function keys make faults on a simulated machine, where a terminal's keys can be read."""
    names = sim.at_hand

    def pressed(key: str) -> None:
        number = key.removeprefix("KEY_F")
        if number.isdigit() and 1 <= int(number) <= len(names):
            fault = names[int(number) - 1]
            status.said = f"{in_words(fault)}: {sim.make(fault)}"

    for source in hands.sources:
        if isinstance(source, Keys):
            source.others = pressed
            yield None
            return
    if not sys.stdin.isatty():
        yield None
        return
    keys = Keys("faults", pressed)
    try:
        yield keys
    finally:
        keys.close()


@speaks_plainly
def command(
    link: LinkFile,
    port: PortName,
    source: Sources,
    log: HandsetLogFile = None,
    headless: Annotated[bool, typer.Option("--headless", help="Print no status lines.")] = False,
    at_once: Annotated[
        bool, typer.Option("--at-once", help="With --port sim: take no longer than the computing does.")
    ] = False,
) -> int:
    """Be the handset, from whatever hands there are.

    Ctrl-C, or the end of all sources, sends sticks at rest and arm off before it leaves. A terminal does not
    tell when a key is let go, so that with --from keys a key counts as released only a while after its last
    arrival. With --port sim the digits make faults of the rehearsal, and what comes of each is judged.
    """
    return run(link, port, source, log, headless, at_once)
