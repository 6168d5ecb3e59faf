"""Marks and spaces to codes, as they come: one burst at a time.

What lies between two silences is a burst; ``burst`` says which code it is, if it is one and only one. This
module finds the bursts in a stream that comes in pieces of any size, tells a repeat from a fresh press, and
reads a learned shape beside the published codes."""

from collections import deque
from collections.abc import Iterable, Iterator

from nuvrik.pulses.burst import MOST_LENGTHS, judge
from nuvrik.pulses.codes import LEARNED, PROTOCOLS, Code
from nuvrik.pulses.shape import FEWEST_BITS, Shape, regular

GLITCH_US = 100
"""A mark or a space no longer than this is none: a tenth of the shortest half bit that a receiver passes
on."""

END_US = 3300
"""The silence that ends a frame. No code has a longer space in it (rc5's longest is 1778 us, at the slowest
clock and with 150 us of stretch below 2400),"""

LEADER_US, LEADER_END_US = 3000, 6700
"""except behind a leader longer than that, nec's, whose space of 4500 us is up to 5625 at the slowest
clock."""

RUN_GAP_US = 10_000
"""What lies between two silences of this length is looked at as a whole when it is no known code."""

LONGEST_RUN = 400
"""Durations without a silence; a run that is longer comes from no remote."""

PIECE = 4096
"""Durations read at a time."""


class Cleaner:
    """Joins what glitches have cut in two. ``pending`` is what may still go on."""

    def __init__(self, pending: int) -> None:
        self.pending = pending
        self._short = 0

    def feed(self, piece: Iterable[int], into: list[int]) -> None:
        """Append the lengths that have ended in the next durations, all positive."""
        pending, short, append = self.pending, self._short, into.append
        for duration in piece:
            if short:
                if (duration > 0) == (short > 0):
                    short += duration
                    if not -GLITCH_US <= short <= GLITCH_US:
                        append(abs(pending))
                        pending, short = short, 0
                else:
                    # The level is back to what it was.
                    pending += duration - short
                    short = 0
            elif (duration > 0) == (pending > 0):
                pending += duration
            elif -GLITCH_US <= duration <= GLITCH_US:
                short = duration
            else:
                append(abs(pending))
                pending = duration
        self.pending, self._short = pending, short


class InfraredReader:
    """Decodes marks and spaces in pieces of any size.

    :meth:`feed` takes signed microseconds, marks positive. A last space may still grow: feed the rest of
    it as it passes, and a frame shows as soon as the silence behind it is long enough. Memory is bounded.
    ``shape`` is a learned one, to be read besides the published codes.
    """

    def __init__(self, shape: Shape | None = None) -> None:
        self._shape = shape
        # Before the first mark it was quiet, for all that is known.
        self._cleaner = Cleaner(-RUN_GAP_US)
        self._at_us = -RUN_GAP_US
        self._mark = False
        """Whether the next length that ends is a mark."""
        self._burst: list[int] = []
        self._burst_us = 0
        self._run: list[int] | None = None
        self._run_us = 0
        # The last lengths before a silence, as many as a frame of the learned shape has.
        self._tail: deque[int] = deque(maxlen=shape.durations if shape else 0)
        self._read_us = -RUN_GAP_US
        """Up to where published codes have been read."""
        self._last: Code | None = None

    def feed(self, durations: Iterable[int]) -> list[Code]:
        """The codes that have ended in the next durations. A duration of 0 is nothing."""
        codes: list[Code] = []
        given = list(durations)
        for start in range(0, len(given), PIECE):
            codes += self._take(given[start : start + PIECE])
        return codes

    def end(self) -> list[Code]:
        """The codes that only lack the silence behind them."""
        return [*self._take([-2 * RUN_GAP_US]), *self._end_run()]

    def _take(self, piece: Iterable[int]) -> list[Code]:
        ended: list[int] = []
        self._cleaner.feed(piece, ended)
        codes: list[Code] = []
        for length in ended:
            codes += self._after_mark(length) if self._mark else self._after_space(length)
            self._mark = not self._mark
            self._at_us += length
        if self._cleaner.pending < 0:
            # A space that has not ended may be long enough already to end a frame.
            codes += self._quiet(-self._cleaner.pending, grows=True)
        return codes

    def _after_mark(self, length: int) -> Iterator[Code]:
        if length > LEADER_US or not self._burst:
            # No code has such a mark but at its beginning.
            self._burst, self._burst_us = [], self._at_us
        if len(self._burst) <= MOST_LENGTHS:
            self._burst.append(length)
        self._follow(length)
        return iter(())

    def _after_space(self, length: int) -> Iterator[Code]:
        yield from self._quiet(length, grows=False)
        if self._burst and len(self._burst) <= MOST_LENGTHS:
            self._burst.append(length)
        if length >= RUN_GAP_US:
            yield from self._end_run()
            self._run, self._run_us = [], self._at_us + length
        else:
            self._follow(length)

    def _follow(self, length: int) -> None:
        """One more length of what may be an unknown code, or a learned one."""
        if self._run is not None:
            self._run.append(length)
            if len(self._run) > LONGEST_RUN:
                self._run = None
        if self._shape is not None:
            self._tail.append(length)

    def _quiet(self, space_us: int, *, grows: bool) -> Iterator[Code]:
        """A silence, so far so long: what it ends. ``_at_us`` is where it began."""
        leader = len(self._burst) == 1 and self._burst[0] > LEADER_US
        if self._burst and space_us >= (LEADER_END_US if leader else END_US):
            burst, self._burst = self._burst, []
            found = judge(burst) if len(burst) <= MOST_LENGTHS else None
            if found is not None:
                at_us = self._burst_us + sum(burst[: found.start])
                code = Code(
                    at_us, found.protocol, found.address, found.command, False, found.toggle, found.bits
                )
                self._run, self._read_us = None, self._at_us  # whatever else there is in it, a code is
                yield self._told(code._replace(repeat=found.command is None))
        shape = self._shape
        # A learned code waits for the published ones: what they can read is theirs.
        ready = self._tail and (not grows or not self._burst)
        if shape is not None and ready and space_us >= shape.gap_us:
            yield from self._learned(shape)
            self._tail.clear()

    def _learned(self, shape: Shape) -> Iterator[Code]:
        tail = list(self._tail)
        at_us = self._at_us - sum(tail)
        if len(tail) == shape.durations and at_us >= self._read_us:
            value = shape.value(tail)
            if value is not None:
                self._run = None
                yield self._told(Code(at_us, LEARNED, None, value, False, None, shape.bits))

    def _end_run(self) -> Iterator[Code]:
        run, self._run = self._run, None
        if run and len(run) > 2 * FEWEST_BITS and regular(run):
            yield Code(self._run_us, "unknown", None, None, False, None, (len(run) + 1) // 2)

    def _told(self, code: Code) -> Code:
        """The code, with what it repeats."""
        last = self._last
        name = last.protocol if last and code.command is None else code.protocol
        most_us = PROTOCOLS[name].repeat_us if name in PROTOCOLS else self._longest_repeat_us
        if last is not None and code.at_us - last.at_us <= most_us:
            if code.command is None and name.startswith("nec"):
                code = last._replace(at_us=code.at_us, repeat=True)
            elif code[1:4] == last[1:4] and code.toggle == last.toggle:
                code = code._replace(repeat=True)
        if code.command is not None:
            self._last = code
        return code

    @property
    def _longest_repeat_us(self) -> int:
        return 5 * self._shape.period_us // 2 if self._shape else 0
