"""Channels to outputs: one level for each output, by its route."""

from nuvrik.core.levels import FULL, NO_READING, div, mul
from nuvrik.core.widths import Table, fine, i32, level, product, sign, span, u8


class Term(Table):
    """A channel's place, and how much it counts. extra: of a place that is fed by several channels, which of
    those that are optional it is; else NOBODY."""

    place: u8
    weight: span
    extra: u8


class Route(Table):
    """How one output gets its level: the sum of its terms; scaled down with the sum of the output at the
    place partner, of the other side, if there is one, so that the larger of the two is full; slowed by the
    channel at the place turn, if there is one, while that has the sign inner. switched: its one channel is a
    flag. band: how far from zero counts as zero."""

    switched: bool
    band: level
    terms: list[Term]
    partner: u8
    turn: u8
    inner: sign


def rests(route: Route, value: span) -> bool:
    """Whether a channel counts as zero: without a reading, or at rest."""
    return value == NO_READING or (value <= route.band and value >= -route.band)


def total(route: Route, values: list[i32]) -> fine:
    """The weighed sum. A channel without a reading adds nothing, nor does one that is at rest: so what was at
    rest when the machine was armed puts no start duty on a motor."""
    sum: fine = 0
    for term in route.terms:
        value: span = values[term.place]
        if not rests(route, value):
            # A weight of 1 needs no product, and is by far the commonest.
            weighed: span = value if term.weight == FULL else mul(term.weight, value)
            sum += weighed
    return sum


def fit_side(sum: fine, other: fine) -> fine:
    """A side's sum, made so much smaller that it and the other side's fit into full scale."""
    widest: fine = abs(other)
    if abs(sum) > widest:
        widest = abs(sum)
    if widest <= FULL:
        return sum
    exact: product = sum * FULL
    return div(exact, widest)


def slowed(route: Route, sum: fine, values: list[i32]) -> fine:
    """A side's sum, slowed while it is the inner one of a turn. On the outer one the product is negative."""
    turned: span = values[route.turn]
    if not rests(route, turned):
        slowing: span = turned * route.inner
        if slowing > 0:
            return mul(sum, FULL - slowing)
    return sum
