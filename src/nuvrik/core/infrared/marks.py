"""Marks and spaces of an infrared receiver, without glitches."""

from nuvrik.core.widths import amount

GLITCH_US = 100
"""A mark or a space no longer than this is none: a tenth of the shortest half bit that a receiver passes
on."""

MOST_US = 500000000
"""A mark or a space that is longer is told as this."""


def longer(a: amount, b: amount) -> amount:
    """Two lengths together, as far as they are told."""
    return MOST_US if a >= MOST_US or b >= MOST_US - a else a + b


class Cleaner:
    """Joins what glitches have cut in two. pending is what may still go on, and is a mark or a space; brief
    is what has come since, and may be a glitch."""

    def __init__(self) -> None:
        self.pending: amount = 0
        self.is_mark: bool = False
        self.brief: amount = 0

    def take(self, mark: bool, us: amount) -> amount:
        """So many microseconds of mark or of space; two of a kind in a row are one. The length of what has
        ended by it, 0 for none."""
        ended: amount = 0
        if us == 0:
            return 0
        if self.brief > 0 and mark == self.is_mark:
            # The level is back to what it was.
            self.pending = longer(longer(self.pending, self.brief), us)
            self.brief = 0
        elif mark == self.is_mark:
            self.pending = longer(self.pending, us)
        else:
            self.brief = longer(self.brief, us)
            if self.brief > GLITCH_US:
                ended = self.pending
                self.pending = self.brief
                self.is_mark = mark
                self.brief = 0
        return ended
