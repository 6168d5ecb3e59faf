"""A machine whose rules run elsewhere: as C, built on the spot, or in MicroPython. It is told and asked as
the library's own is, so that rehearsals and searches need not know the difference."""

import json
import subprocess
import tempfile
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from nuvrik.core.frames.incoming import IN_SLOTS
from nuvrik.core.frames.sealed import ACCEPTED
from nuvrik.core.levels import NOBODY
from nuvrik.core.loops.machine_end import EndTable
from nuvrik.core.machine.outputs import IS_STEPPER
from nuvrik.core.machine.states import STATES, State
from nuvrik.core.machine.stepper import NO_LIMIT
from nuvrik.ends.machine import Machine
from nuvrik.export.fitted_c import life_shape
from nuvrik.export.native import Native, build, fitted_source
from nuvrik.export.traces.runners import NativeEnd, prepared
from nuvrik.export.traces.seen import carry_out, seen
from nuvrik.failsafe.why import Code, Why, in_words
from nuvrik.plan.form.channels import source_name
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.tables.ends import end_table
from nuvrik.plan.telemetry import Raw
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Event, Frame, RefusedFrame, reason_of
from nuvrik.wire.styles.train import in_slots

Step = list[Any]


NOT_SLOT_US = 0xFFFF


class Runner(Protocol):
    """Something that carries out the steps of one machine's life."""

    def do(self, step: Step) -> tuple[list[int], list[int]]:
        """What comes back, and what can be seen afterwards (``traces.seen``)."""


class RunsInC:
    """One machine in C."""

    def __init__(self, native: Native, table: EndTable) -> None:
        self._native, self._table = native, table
        self.end = NativeEnd(native, table)
        self._kinds = [(one.kind, one.at) for one in table.machine.outputs.outputs]

    def do(self, step: Step) -> tuple[list[int], list[int]]:
        """In this process."""
        return carry_out(self.end, step), seen(self.end, self._kinds)

    def __deepcopy__(self, memo: object) -> "RunsInC":
        copy = RunsInC(self._native, self._table)
        copy.end.copy_from(self.end)
        return copy


class MicroPythons:
    """An interpreter with any number of machines of one link in it, as it is exported."""

    def __init__(self, interpreter: str, link: Link) -> None:
        self._folder = tempfile.TemporaryDirectory()
        program = prepared(link, Path(self._folder.name), stream=not link.medium.datagrams)
        words = [interpreter, "-X", "heapsize=16M", str(program)]
        self._process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        self._machines = 0

    def machine(self) -> "RunsInMicroPython":
        """One more."""
        self._machines += 1
        return RunsInMicroPython(self, self._machines)

    def do(self, machine: int, step: Step) -> tuple[list[int], list[int]]:
        """A step of one of them. RuntimeError if the interpreter has ended."""
        assert self._process.stdin is not None and self._process.stdout is not None
        self._process.stdin.write(json.dumps([machine, step]) + "\n")
        self._process.stdin.flush()
        line = self._process.stdout.readline()
        if not line:
            raise RuntimeError("the MicroPython interpreter has ended")
        back, here = json.loads(line)
        return back, here

    def close(self) -> None:
        """End it."""
        self._process.kill()
        self._process.communicate()


class RunsInMicroPython:
    """One machine in an interpreter."""

    def __init__(self, interpreter: MicroPythons, number: int) -> None:
        self._interpreter, self._number = interpreter, number

    def do(self, step: Step) -> tuple[list[int], list[int]]:
        """In the interpreter."""
        return self._interpreter.do(self._number, step)


class ElsewhereMachine(Machine):
    """A machine as rehearsals know it, whose every decision is made by a runner. The library's own decoder
    only puts what was accepted into words; it decides nothing."""

    def __init__(self, link: Link, runner: Runner, *, stream: bool) -> None:
        self.link = link
        self.runner = runner
        self.counts: Counter[str] = Counter()
        self._stream = stream
        self._words = Decoder(link)
        self._outputs = list(link.outputs)
        self._kinds = [one.kind for one in end_table(link, stream=self._stream).machine.outputs.outputs]
        self._places = {name: (place, item) for place, (name, item) in enumerate(link.telemetry.items())}
        self._seen: list[int] = []
        self._demands: list[Demand] = []
        self._why = Why(Code.FIRST_FRAME)
        self._do(["begin", 0, 0, 0])

    def _do(self, step: Step) -> list[int]:
        back, here = self.runner.do(step)
        if here != self._seen:
            self._seen = here
            code, place, number = here[1:4]
            why = Why(Code(code), -1 if place == NOBODY else place, number)
            self._why = self._why if why == self._why else why
            demands = self._told(here[6:])
            if demands != self._demands:
                self._demands = demands
        return back

    def _told(self, numbers: Sequence[int]) -> list[Demand]:
        demands, at = [], 0
        for name, kind in zip(self._outputs, self._kinds, strict=True):
            level, value, way, driven, braked = numbers[at : at + 5]
            at += 5
            left = None
            if kind == IS_STEPPER:
                left = numbers[at] if numbers[at] != NO_LIMIT and value else None
                at += 3
            demands.append(Demand(name, level, value, way, bool(driven), bool(braked), left))
            at += 1 + 2 * numbers[at]
        return demands

    @property
    def state(self) -> State:
        """As the runner's machine has it."""
        return STATES[self._seen[0]]

    @property
    def reason(self) -> Why:
        """The same object while it is the same reason."""
        return self._why

    @property
    def why(self) -> str:
        """What holds the machine back, in plain words."""
        names = [source_name(channel) or name for name, channel in self.link.channels.items()]
        return in_words(self._why, names, self.link.failsafe.good_frames)

    @property
    def demands(self) -> list[Demand]:
        """What each output is told now."""
        return self._demands

    @property
    def safe(self) -> bool:
        """Whether no output is being driven."""
        return not any(demand.driven for demand in self._demands)

    @property
    def remembered(self) -> tuple[int, int, bool]:
        """What else decides what it does next; only where it runs in this process."""
        assert isinstance(self.runner, RunsInC)
        end = self.runner.end.struct
        numbered = not self.link.authenticated and bool(end.sealed.has_last)
        return end.machine.watch.run, end.machine.watch.off_seen, numbered

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have arrived, and give what became of them."""
        codes = self._do(self._step(data, now_ms & 0xFFFF))
        # What was new to the runner has to be new to what says it in words.
        self._words.forget()
        said = self._words.feed(data) if self._stream else self._words.feed_datagram(data)
        return [
            self._event(code, said[at] if at < len(said) else None, data) for at, code in enumerate(codes)
        ]

    def _step(self, data: bytes, now_ms: int) -> Step:
        if self.link.frame.way_in == IN_SLOTS:
            return ["slots", now_ms, [NOT_SLOT_US, *in_slots(data), NOT_SLOT_US]]
        return ["stream" if self._stream else "packet", now_ms, 0, 0, [*data]]

    def _event(self, code: int, said: Event | None, data: bytes) -> Event:
        if code == ACCEPTED:
            self.counts["accepted"] += 1
            return said if isinstance(said, Frame) else Frame(0, 0, None, (), data)
        reason = reason_of(code)
        self.counts[reason] += 1
        return RefusedFrame(0, reason, data)

    def skip(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes of which only stops count."""
        codes = self._do(["skip", now_ms & 0xFFFF, [*data]])
        return [Frame(0, 5, None, (), data) for code in codes if code == ACCEPTED]

    def tick(self, now_ms: int) -> list[Demand]:
        """One turn of its loop."""
        self._do(["turn", now_ms & 0xFFFF])
        return self._demands

    def sense(self, now_ms: int, **readings: Raw) -> None:
        """Take raw readings of the machine's sensors."""
        for name, raw in readings.items():
            place, item = self._places[name]
            numbers = item.numbers(raw)
            word = "axes" if item.parts > 1 else "reading"
            self._do([word, now_ms & 0xFFFF, place, *numbers])

    def send(self, now_ms: int) -> bytes:
        """The bytes that are due now."""
        return bytes(self._do(["send", now_ms & 0xFFFF]))

    def expire(self, now_ms: int) -> None:
        """Count the link as silent from now on."""
        self._do(["expire", now_ms & 0xFFFF])

    def halt(self) -> None:
        """Every output to rest at once."""
        self._do(["halt"])


@dataclass(frozen=True)
class InC:
    """Makes machines in C, out of libraries in a folder, which are built as they are needed."""

    folder: Path
    compiler: str = "gcc"
    packets: bool = False
    """Whether frames come in packets whatever the medium says."""

    def __call__(self, link: Link) -> Machine:
        stream = not (link.medium.datagrams or self.packets)
        runner = RunsInC(self._native(link, stream), end_table(link, stream=stream))
        return ElsewhereMachine(link, runner, stream=stream)

    def _native(self, link: Link, stream: bool) -> Native:
        """The library of a link, once in a process."""
        key = self.folder, id(link), stream
        if key not in _NATIVES:
            shape, library = life_shape(link, stream=stream), self.built(stream=stream)
            if not library.exists():
                build(library, fitted_source(shape), self.compiler)
            # The link is kept with it, so that no other one can have the same key.
            _NATIVES[key] = link, Native(library, shape)
        return _NATIVES[key][1]

    def built(self, *, stream: bool) -> Path:
        """Where the library is of an end that hears a stream, or packets."""
        return self.folder / f"{'stream' if stream else 'packets'}.so"


@dataclass(frozen=True)
class InMicroPython:
    """Makes machines in a MicroPython interpreter."""

    interpreter: str

    def __call__(self, link: Link) -> Machine:
        runner = _interpreter(self.interpreter, id(link), link).machine()
        return ElsewhereMachine(link, runner, stream=not link.medium.datagrams)


_NATIVES: dict[tuple[Path, int, bool], tuple[Link, Native]] = {}


_INTERPRETERS: dict[tuple[str, int], tuple[Link, MicroPythons]] = {}


def _interpreter(interpreter: str, key: int, link: Link) -> MicroPythons:
    known = _INTERPRETERS.get((interpreter, key))
    if known is None:
        # The link is kept with it, so that no other one can have the same key.
        known = _INTERPRETERS[interpreter, key] = link, MicroPythons(interpreter, link)
    return known[1]


def in_c_on_the_spot(link: Link, folder: Path, compiler: str) -> InC:
    """Build core for a link with a compiler, and make machines of it. CalledProcessError if that fails."""
    made = InC(folder, compiler)
    stream = not link.medium.datagrams
    build(made.built(stream=stream), fitted_source(life_shape(link, stream=stream)), compiler)
    return made
