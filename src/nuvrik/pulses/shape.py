"""Codes whose shape nobody published: found from examples, then read as strictly as the others.

A shape is a header (a long mark and space, or none), bits that differ in the length of the space or of the
mark, a last mark, and a fixed number of bits. Anything else stays unknown.
"""

from collections.abc import Sequence
from typing import NamedTuple

from nuvrik.levels import div

MOST_BITS = 64
FEWEST_BITS = 8
"""Shorter frames could be read into noise."""

APART = 1.4
"""Two lengths are of different classes if one is this many times the other and nothing lies between."""
WIDEST, WIDEST_US = 1.6, 260
"""Within a class, the longest is at most so many times the shortest, or so many microseconds longer."""
SLACK_US = 150
"""What a receiver may make longer or shorter, besides a quarter of a length."""


class Shape(NamedTuple):
    """The lengths of a code in microseconds: ``header``, ``zero`` and ``one`` as (mark, space), header (0, 0)
    for none; how many ``bits``; and ``period_us`` from one frame's start to the next while a key is held."""

    header: tuple[int, int]
    zero: tuple[int, int]
    one: tuple[int, int]
    bits: int
    period_us: int

    def frame(self, value: int) -> list[int]:
        """One frame, highest bit first, from its first mark to its last. ValueError if it does not fit."""
        if not 0 <= value < 1 << self.bits:
            raise ValueError(f"code {value} does not fit: the shape has {self.bits} bits")
        made = [self.header[0], -self.header[1]] if self.header[0] else []
        for place in range(self.bits - 1, -1, -1):
            mark, space = self.one if value >> place & 1 else self.zero
            made += [mark, -space]
        # A last mark ends the last space; where marks differ, the last bit's own mark is the end.
        return made[:-1] if self.zero[0] != self.one[0] else [*made, self.zero[0]]

    @property
    def durations(self) -> int:
        """How many durations a frame has, first to last mark."""
        return 2 * self.bits + (2 if self.header[0] else 0) + (1 if self.zero[0] == self.one[0] else -1)

    @property
    def gap_us(self) -> int:
        """A space this long cannot be inside a frame."""
        return 2 * max(self.header[1], self.zero[1], self.one[1])

    def value(self, durations: Sequence[int]) -> int | None:
        """The value of so many durations (all positive, mark first); None if they are not of this shape."""
        at, value = 0, 0
        if self.header[0]:
            if not (near(durations[0], self.header[0]) and near(durations[1], self.header[1])):
                return None
            at = 2
        by_space = self.zero[0] == self.one[0]
        differs, same = (1, 0) if by_space else (0, 1)
        middle = (self.zero[differs] + self.one[differs]) / 2
        for place in range(self.bits):
            pair = durations[at + 2 * place : at + 2 * place + 2]
            bit = int((pair[differs] > middle) == (self.one[differs] > self.zero[differs]))
            wanted = self.one if bit else self.zero
            if not near(pair[differs], wanted[differs]):
                return None
            if len(pair) > same and not near(pair[same], wanted[same]):
                return None
            value = value << 1 | bit
        if by_space and not near(durations[at + 2 * self.bits], self.zero[0]):
            return None
        return value


def near(length: int, wanted: int) -> bool:
    """Whether a length may have been meant to be another."""
    return abs(length - wanted) <= wanted / 4 + SLACK_US


def classes(lengths: Sequence[int]) -> list[list[int]] | None:
    """Lengths sorted into classes that lie apart; None if some class is so wide that it is none."""
    made: list[list[int]] = []
    for length in sorted(lengths):
        if made and length < APART * made[-1][-1]:
            made[-1].append(length)
        else:
            made.append([length])
    wide = any(group[-1] > max(WIDEST * group[0], group[0] + WIDEST_US) for group in made)
    return None if wide else made


def regular(durations: Sequence[int]) -> bool:
    """Whether a run of durations (all positive, mark first) looks made, not like noise: few lengths."""
    if len(durations) < 2 * FEWEST_BITS:
        return False
    marks, spaces = classes(durations[::2]), classes(durations[1::2])
    return marks is not None and spaces is not None and len(marks) <= 3 and len(spaces) <= 4


def fit(frames: Sequence[Sequence[int]], period_us: int) -> Shape | None:
    """The shape that all these frames (positive durations, first to last mark) have; None if they have none
    in common."""
    length = len(frames[0]) if frames else 0
    if length < 2 * FEWEST_BITS or any(len(one) != length for one in frames):
        return None
    body = [list(one) for one in frames]
    marks = [mark for one in body for mark in one[2::2]]
    header = (0, 0)
    if all(one[0] > 1.8 * max(one[2::2]) or one[1] > 1.3 * max(one[3::2]) for one in body):
        header = _middle([one[0] for one in body]), _middle([one[1] for one in body])
        body = [one[2:] for one in body]
    else:
        marks += [one[0] for one in body]
    spaces = [space for one in body for space in one[1::2]]
    by_mark, by_space = classes(marks), classes(spaces)
    if by_mark is None or by_space is None:
        return None
    kinds = len(by_mark), len(by_space)
    bits = len(body[0]) // 2 if kinds == (1, 2) else len(body[0]) // 2 + 1
    if kinds not in ((1, 2), (2, 1)) or not FEWEST_BITS <= bits <= MOST_BITS:
        return None
    short, long = (by_space if kinds == (1, 2) else by_mark)[:2]
    same = _middle((by_mark if kinds == (1, 2) else by_space)[0])
    zero, one_ = (
        ((same, _middle(short)), (same, _middle(long)))
        if kinds == (1, 2)
        else ((_middle(short), same), (_middle(long), same))
    )
    return Shape(header, zero, one_, bits, period_us)


def _middle(lengths: Sequence[int]) -> int:
    return div(sum(lengths), len(lengths))
