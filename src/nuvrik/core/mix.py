"""Channels to outputs: one level for each output, by its route."""

from nuvrik.core.levels import FULL, NO_READING, NOBODY, clamp, div, mul
from nuvrik.core.widths import Table, fine, i32, level, product, sign, span, u8


class Term(Table):
    """A channel's place, and how much it counts."""

    place: u8
    weight: span


class Sum(Table):
    """Channels that are weighed and added."""

    terms: list[Term]


class Route(Table):
    """How one output gets its level: the sum own; scaled down with the sum partner, if that has terms, so
    that the larger of the two is full; slowed by the channel at the place turn, if there is one, while that
    has the sign inner. switched: its one channel is a flag. band: how far from zero counts as zero."""

    switched: bool
    band: level
    own: Sum
    partner: Sum
    turn: u8
    inner: sign


def total(terms: Sum, values: list[i32], band: level) -> fine:
    """A weighted sum. A channel without a reading adds nothing, nor does one that is at rest: so what was at
    rest when the machine was armed puts no start duty on a motor."""
    sum: fine = 0
    for term in terms.terms:
        value: span = values[term.place]
        if value > band or (value < -band and value != NO_READING):
            # A weight of 1 needs no product, and is by far the commonest.
            weighed: span = value if term.weight == FULL else mul(term.weight, value)
            sum += weighed
    return sum


def mixed(route: Route, values: list[i32]) -> level:
    """The level that the channels ask of an output."""
    if route.switched:
        # A flag is 0 or 1, not a level: it is made full, so that a switch need not know the difference.
        return FULL if total(route.own, values, 0) != 0 else 0
    # Clipped once, at the end: the sum of two halves may pass full scale on the way.
    sum: fine = total(route.own, values, route.band)
    if len(route.partner.terms) != 0:
        widest: fine = abs(total(route.partner, values, route.band))
        if abs(sum) > widest:
            widest = abs(sum)
        if widest > FULL:
            scaled: product = sum * FULL
            sum = div(scaled, widest)
    if route.turn != NOBODY:
        turned: span = values[route.turn]
        if turned > route.band or (turned < -route.band and turned != NO_READING):
            # Only the inner side is slowed; on the outer one the product is negative.
            slowing: span = turned * route.inner
            if slowing > 0:
                sum = mul(sum, FULL - slowing)
    return clamp(sum, -FULL, FULL)
