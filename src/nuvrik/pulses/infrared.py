"""Marks and spaces to codes, as they come in pieces of any size.

What a burst is, which codes are read, and what repeats another stands in ``core.infrared`` and the modules it
is made of. Here codes get their names and their times, and what looks made, but is no code that is known, is
shown as such."""

from collections.abc import Iterable, Iterator

from nuvrik.core.infrared.infrared import ADDRESS, AGAIN_ONLY, NOT_YET, SAME_PRESS
from nuvrik.core.infrared.infrared import InfraredReader as Core
from nuvrik.core.infrared.marks import Cleaner
from nuvrik.plan.tables.infrared import NUMBERS, shape_table
from nuvrik.pulses.codes import LEARNED, PROTOCOLS, Code
from nuvrik.pulses.shape import FEWEST_BITS, Shape, regular

RUN_GAP_US = 10_000
"""What lies between two silences of this length is looked at as a whole when it is no known code."""

LONGEST_RUN = 400
"""Durations without a silence; a run that is longer comes from no remote."""

LONGEST_US = 400_000_000
"""What core takes at once. After so long a silence nothing is waited for."""

NAMES = {number: name for name, number in NUMBERS.items()}


def cleaned(durations: Iterable[int]) -> list[int]:
    """The lengths, without glitches, that have ended in marks and spaces that begin with a space."""
    cleaner = Cleaner()
    ended = (cleaner.take(duration > 0, min(abs(duration), LONGEST_US)) for duration in durations)
    return [length for length in ended if length]


class InfraredReader:
    """Decodes marks and spaces in pieces of any size.

    ``feed`` takes signed microseconds, marks positive. A last space may still grow: feed the rest of
    it as it passes, and a frame shows as soon as the silence behind it is long enough. Memory is bounded.
    ``shape`` is a learned one, to be read besides the published codes.

    >>> code, = InfraredReader().feed([9000, -2250, 560, -40000])
    >>> code.protocol, code.repeat
    ('nec', True)
    """

    def __init__(self, shape: Shape | None = None) -> None:
        self._shape = shape
        self.core = Core(shape_table(shape))
        self._fed_us = 0
        self._run: list[int] | None = []
        self._run_us = 0

    def feed(self, durations: Iterable[int]) -> list[Code]:
        """The codes that have ended in the next durations. A duration of 0 is nothing."""
        return [code for _, code in self.events(durations)]

    def events(self, durations: Iterable[int]) -> Iterator[tuple[int, Code]]:
        """The codes, each with what core says of it at that moment: later ones are not read yet. NOT_YET for
        what is no code that is known."""
        cleaner, take = self.core.cleaner, self.core.take
        for duration in durations:
            was_mark, length, us = cleaner.is_mark, cleaner.pending, abs(duration)
            event = take(duration > 0, us if us < LONGEST_US else LONGEST_US)
            self._fed_us += us
            if event != NOT_YET:
                self._run = None  # whatever else there is in it, a code is
                late_us = us - LONGEST_US if us > LONGEST_US else 0
                yield event, self._code(event, self._fed_us - late_us)
            if cleaner.is_mark != was_mark:
                for code in self._follow(was_mark, length):
                    yield NOT_YET, code

    def end(self) -> list[Code]:
        """The codes that only lack the silence behind them."""
        return [*self.feed([-2 * RUN_GAP_US]), *self._end_run()]

    def _code(self, event: int, now_us: int) -> Code:
        """What the reader has just read."""
        core = self.core
        began_us = now_us - core.cleaner.pending - core.cleaner.brief
        if event == AGAIN_ONLY:
            return Code(began_us - core.us, "nec", None, None, True, None, 0)
        at_us, name, words = began_us - core.since_us, NAMES[core.protocol], core.words
        repeat = event == SAME_PRESS
        if name == LEARNED:
            assert self._shape is not None
            value = sum(word << 16 * place for place, word in enumerate(words))
            return Code(at_us, name, None, value, repeat, None, self._shape.bits)
        about = PROTOCOLS[name]
        toggle = core.toggle if about.toggles else None
        return Code(at_us, name, words[ADDRESS], words[0], repeat, toggle, about.bits)

    def _follow(self, mark: bool, length: int) -> list[Code]:
        """One more length of what may be an unknown code has ended."""
        if not mark and length >= RUN_GAP_US:
            ended = self._end_run()
            self._run = []
            return ended
        run = self._run
        if run is not None and (mark or run):
            if not run:
                cleaner = self.core.cleaner
                self._run_us = self._fed_us - cleaner.pending - cleaner.brief - length
            run.append(length)
            if len(run) > LONGEST_RUN:
                self._run = None
        return []

    def _end_run(self) -> list[Code]:
        run, self._run = self._run, None
        if run and len(run) > 2 * FEWEST_BITS and regular(run):
            return [Code(self._run_us, "unknown", None, None, False, None, (len(run) + 1) // 2)]
        return []
