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


class Shape(NamedTuple):
    """The lengths of a code in microseconds: ``header``, ``zero`` and ``one`` as (mark, space), header (0, 0)
    for none; how many ``bits``; and ``period_us`` from one frame's start to the next while a key is held."""

    header: tuple[int, int]
    zero: tuple[int, int]
    one: tuple[int, int]
    bits: int
    period_us: int


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
