"""Curves: what a hand's travel or a motor's speed comes to, point by point."""

from nuvrik.core.levels import between
from nuvrik.core.widths import Table, level


class Point(Table):
    """A corner of a curve: a level, and what becomes of it (the share of the duty above a motor's start)."""

    x: level
    y: level


class CurveTable(Table):
    """A curve, as points with straight lines between them; no points: there is none."""

    points: list[Point]


def along(curve: CurveTable, at: level) -> level:
    """The value at a level on a curve that has points; level beyond the ends."""
    before: Point = curve.points[0]
    if at <= before.x:
        return before.y
    for point in curve.points:
        if at <= point.x:
            return between(at, before.x, before.y, point.x, point.y)
        before = point
    return before.y
