"""Marks and spaces to codes, as they come.

Every length is held against the code's own clock, found from the frame itself. Receivers make marks longer
and spaces shorter by as much; so wherever it can be, what is measured is from one rising edge to the next, or
from one falling edge to the next, where that cancels. What is strict: the number of bits, the silence behind
them, and the complement where the code has one.
"""

from collections.abc import Iterable, Iterator, Sequence

from nuvrik.pulses.codes import LEARNED, PROTOCOLS, Code
from nuvrik.pulses.shape import FEWEST_BITS, Shape, regular

GLITCH_US = 100
"""A mark or a space no longer than this is none."""

LEAN_US = 75
"""Half of the most by which receivers lengthen marks: lengths are judged as if it were always this."""

SLOW, FAST = 0.78, 1.22
"""How far from its nominal clock a remote may run."""

QUIET_US = 2700
"""A frame of rc5 has no space as long as this in it, at the slowest clock."""

END_US = 4000
"""The silence that ends a frame of the other codes is at least this long."""

RUN_GAP_US = 10_000
"""What lies between two silences of this length is looked at as a whole when it is no known code."""

SHORTEST_START_US = 500
"""No code begins with a shorter mark."""

PHASE, PACE, LEANING = 1 / 6, 1 / 100, 1 / 12
"""How much of each edge's error the grid takes up: into where it is, how fast it runs, and the lean."""

LONGEST_RUN = 400
PIECE = 4096

Found = tuple[Code, int]
"""A code, and how many durations it took, first mark to last."""


class Wait(Exception):
    """The frame has begun well and goes on beyond what has arrived."""


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
    ``shape`` is a learnt one, to be read besides the published codes.
    """

    def __init__(self, shape: Shape | None = None) -> None:
        self._shape = shape
        # Before the first mark it was quiet, for all that is known.
        self._cleaner = Cleaner(-RUN_GAP_US)
        self._at_us = -RUN_GAP_US
        self._buffer: list[int] = []
        """Lengths, all positive: space, mark, space, mark ..., from ``_at_us`` on."""
        self._whole = 0
        """How many of them will not grow any more."""
        self._run: list[int] | None = None
        self._run_us = 0
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

    def _take(self, piece: Sequence[int]) -> list[Code]:
        buffer = self._buffer
        self._cleaner.feed(piece, buffer)
        self._whole = len(buffer)
        # A space that has not ended may be long enough already to end a frame.
        growing = self._cleaner.pending < 0
        if growing:
            buffer.append(-self._cleaner.pending)
        codes = list(self._scan())
        if growing:
            buffer.pop()
        return codes

    def _scan(self) -> Iterator[Code]:
        """Look for a code at every mark, and drop what has been looked at."""
        buffer, place, at_us = self._buffer, 0, self._at_us
        last = len(buffer) - 2
        while place < last:
            gap, mark = buffer[place], buffer[place + 1]
            if gap >= RUN_GAP_US:
                yield from self._end_run()
                self._run, self._run_us = [], at_us + gap
            found = None
            if mark > SHORTEST_START_US:
                try:
                    found = self._code_at(place + 1, at_us + gap)
                except Wait:
                    break
            if found is not None:
                yield self._told(found[0])
                self._run = None  # whatever else there is in it, a code is
                at_us += gap + sum(buffer[place + 1 : place + 1 + found[1]])
                place += 1 + found[1]
                continue
            if self._run is not None:
                self._run += (gap, mark)
                if len(self._run) > LONGEST_RUN:
                    self._run = None
            at_us += gap + mark
            place += 2
        self._at_us = at_us
        del buffer[:place]

    def _end_run(self) -> Iterator[Code]:
        run, self._run = self._run, None
        if run and len(run) > 2 * FEWEST_BITS and regular(run[1:]):
            yield Code(self._run_us, "unknown", None, None, False, None, len(run) // 2)

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

    def _code_at(self, at: int, at_us: int) -> Found | None:
        """The code whose first mark is ``buffer[at]``, if there is one."""
        buffer = self._buffer
        mark, gap = buffer[at], buffer[at - 1]
        found = None
        if mark > 6500:
            found = self._nec(at, at_us)
        elif mark > 1600:
            found = self._sirc(at, at_us) or self._rc6(at, at_us)
        if found is None and gap > QUIET_US and mark < 2500:
            found = self._rc5(at, at_us)
        if found is None and self._shape is not None:
            found = self._learned(self._shape, at, at_us)
        return found

    def _within(self, at: int) -> int:
        """A length inside a frame: it must have ended."""
        if at >= self._whole:
            raise Wait
        return self._buffer[at]

    def _ends(self, at: int, least_us: float) -> bool:
        """Whether the space at a place is the silence behind a frame."""
        if at >= len(self._buffer):
            raise Wait
        if self._buffer[at] >= least_us:
            return True
        if at >= self._whole:
            raise Wait
        return False

    def _leader(self, at: int, mark_us: int, space_us: int) -> float:
        """How fast a remote's clock runs, 1 for as published, if a leader of so much is here; else 0."""
        mark, space = self._buffer[at], self._within(at + 1)
        clock = (mark + space) / (mark_us + space_us)
        if not SLOW <= clock <= FAST or abs(mark - mark_us * clock - LEAN_US) > 300 + mark_us / 25:
            return 0
        return clock

    def _nec(self, at: int, at_us: int) -> Found | None:
        clock = self._leader(at, 9000, 2250)
        if clock and self._small_mark(at + 2, clock) and self._ends(at + 3, END_US):
            return Code(at_us, "nec", None, None, True, None, 0), 3
        clock = self._leader(at, 9000, 4500)
        if not clock:
            return None
        shortest, middle, longest = 1125 * clock - 500, 1687.5 * clock, 2250 * clock + 500
        bits = 0
        for place in range(32):
            here = at + 2 + 2 * place
            if not self._small_mark(here, clock):
                return None
            # From rising edge to rising edge.
            length = self._buffer[here] + self._within(here + 1)
            if not shortest < length < longest:
                return None
            bits |= (length > middle) << place
        if not (self._small_mark(at + 66, clock) and self._ends(at + 67, END_US)):
            return None
        low, high, command, complement = bits & 0xFF, bits >> 8 & 0xFF, bits >> 16 & 0xFF, bits >> 24
        if command ^ complement != 0xFF:
            return None
        if low ^ high == 0xFF:
            return Code(at_us, "nec", low, command, False, None, 32), 67
        return Code(at_us, "nec_extended", high << 8 | low, command, False, None, 32), 67

    def _small_mark(self, at: int, clock: float) -> bool:
        return 150 <= self._within(at) <= 562.5 * clock + 550

    def _sirc(self, at: int, at_us: int) -> Found | None:
        clock = self._leader(at, 2400, 600)
        if not clock:
            return None
        unit = 600 * clock
        bits = 0
        for count in range(21):
            here = at + 1 + 2 * count
            if count in (12, 15, 20) and self._ends(here, END_US):
                code = Code(at_us, f"sirc{count}", bits >> 7, bits & 0x7F, False, None, count)
                return code, 1 + 2 * count
            space = self._within(here)
            # From falling edge to falling edge.
            length = space + self._within(here + 1)
            if space > unit + 350 or not 2 * unit - 450 < length < 3 * unit + 450:
                return None
            bits |= (length > 2.5 * unit) << count
        return None

    def _rc5(self, at: int, at_us: int) -> Found | None:
        lengths = self._to_quiet(at, 29)
        for halves in (26, 27) if lengths else ():
            counts = _in_units(lengths, sum(lengths) / halves, 8000 / 9)
            if counts is None or sum(counts) != halves or max(counts) > 2:
                continue
            levels = _levels(counts)
            # A 1 is off, then on: the frame begins in the middle of its first bit.
            bits = _pairs([0, *levels, *([0] if halves == 26 else [])], one=(0, 1))
            if bits is None:
                continue
            value = sum(bit << place for place, bit in enumerate(bits[::-1]))
            command = value & 0x3F | (0 if value >> 12 & 1 else 0x40)
            return Code(at_us, "rc5", value >> 6 & 0x1F, command, False, value >> 11 & 1, 14), len(lengths)
        return None

    def _rc6(self, at: int, at_us: int) -> Found | None:
        if not self._leader(at, 2667, 889):
            return None
        lengths = self._to_quiet(at, 46)
        for units in (51, 52) if lengths else ():
            counts = _in_units(lengths, sum(lengths) / units, 4000 / 9)
            if counts is None or sum(counts) != units:
                continue
            levels = _levels(counts)
            if levels[:16] != [1, 1, 1, 1, 1, 1, 0, 0, 1, 0, 0, 1, 0, 1, 0, 1]:
                continue  # leader, start bit and the three bits of mode 0
            toggle = _pairs([levels[16], levels[18]], one=(1, 0))
            bits = _pairs([*levels[20:], *([0] if units == 51 else [])], one=(1, 0))
            if toggle is None or bits is None or levels[16] != levels[17] or levels[18] != levels[19]:
                continue
            value = sum(bit << place for place, bit in enumerate(bits[::-1]))
            return Code(at_us, "rc6", value >> 8, value & 0xFF, False, toggle[0], 21), len(lengths)
        return None

    def _to_quiet(self, at: int, most: int) -> list[int]:
        """The lengths from a mark to the last before a silence; none if there are too many."""
        buffer = self._buffer
        for place in range(at + 1, at + most + 1, 2):
            if self._ends(place, QUIET_US):
                return buffer[at:place]
        return []

    def _learned(self, shape: Shape, at: int, at_us: int) -> Found | None:
        count = shape.durations
        # Not a frame, if there is silence in it; nor is it worth waiting for the rest of one then.
        for place in range(at + 1, min(at + count, len(self._buffer)), 2):
            if self._buffer[place] > shape.gap_us:
                return None
        self._within(at + count - 1)
        if not self._ends(at + count, shape.gap_us):
            return None
        value = shape.value(self._buffer[at : at + count])
        return None if value is None else (Code(at_us, LEARNED, None, value, False, None, shape.bits), count)


def _in_units(lengths: Sequence[int], unit: float, nominal: float) -> list[int] | None:
    """How many units each length is, marks first; None if some is less than one or the clock is too far off.

    Each edge is held against a grid that follows the edges so far, not against the edge before, whose own
    jitter would then count twice. The grid learns where it is, how fast it runs, and by how much marks come
    out longer.
    """
    counts = []
    late, lean = 0.0, float(LEAN_US)
    for place, length in enumerate(lengths):
        lengthened = -lean if place % 2 else lean
        reach = length + late
        count = int((reach - lengthened) / unit + 0.5)
        counts.append(count)
        error = reach - lengthened - count * unit
        late = reach - count * unit - PHASE * error
        unit += PACE * error / max(count, 1)
        lean += -LEANING * error if place % 2 else LEANING * error
    if not SLOW * nominal <= unit <= FAST * nominal or min(counts) < 1:
        return None
    return counts


def _levels(counts: Sequence[int]) -> list[int]:
    """1 for a mark, 0 for a space, once for each unit."""
    return [1 - place % 2 for place, count in enumerate(counts) for _ in range(count)]


def _pairs(halves: Sequence[int], one: tuple[int, int]) -> list[int] | None:
    """Bi-phase bits; None if the two halves of one are alike."""
    pairs = list(zip(halves[::2], halves[1::2], strict=True)) if len(halves) % 2 == 0 else [(0, 0)]
    if any(first == second for first, second in pairs):
        return None
    return [int(pair == one) for pair in pairs]
