"""The mix: one level for each output, by its route."""

from collections.abc import Collection, Mapping, Sequence
from functools import cached_property

from nuvrik.levels import FULL, clamp, div, mul
from nuvrik.plan.wiring import Route, Weights
from nuvrik.wire.codes import Value

Terms = list[tuple[int, int]]
"""The place of a channel among the values, and its weight."""


class Mix:
    """The routes of all outputs, in declared order. ``turning`` names the outputs that turn: to those, a
    channel within ``band`` of zero is at rest and counts as zero, before it is weighted, so that what was
    at rest when the machine was armed puts no start duty on a motor."""

    def __init__(
        self,
        routes: Mapping[str, Route],
        channels: Sequence[str],
        turning: Collection[str] = (),
        band: int = 0,
    ) -> None:
        self._band = band
        places = {name: place for place, name in enumerate(channels)}

        def terms(weights: Weights | None) -> Terms:
            return [(places[channel], weight) for channel, weight in (weights or {}).items()]

        self._rows = [
            (terms(route.weights), terms(route.partner), places.get(route.turn or ""), route, name in turning)
            for name, route in routes.items()
        ]

    @cached_property
    def _turns(self) -> list[int]:
        """The places of the channels that have a say in what turns."""
        rows = [row for row in self._rows if row[4]]
        weighed = {place for own, partner, *_ in rows for place, _ in (*own, *partner)}
        return sorted(weighed | {turn for _, _, turn, *_ in rows if turn is not None})

    def demands(self, values: Sequence[Value]) -> list[int | None]:
        """A level for each output. A channel without a reading adds nothing."""
        levels: list[int | None] = []
        band, settled = self._band, list(values)
        for place in self._turns:
            value = settled[place]
            if value is None or -band <= value <= band:
                settled[place] = 0
        for own, partner, turn, route, turns in self._rows:
            # A flag is 0 or 1, not a level: it is made full, so that a switch need not know the difference.
            if route.switched:
                levels.append(FULL * (values[own[0][0]] or 0))
                continue
            given = settled if turns else values
            # Clipped once, at the end: the sum of two halves may pass full scale on the way.
            total = _sum(own, given)
            if partner:
                widest = max(abs(total), abs(_sum(partner, given)))
                total = div(total * FULL, widest) if widest > FULL else total
            if turn is not None:
                # Only the inner side is slowed; on the outer one the product is negative.
                slowing = (given[turn] or 0) * route.inner
                total = mul(total, FULL - slowing) if slowing > 0 else total
            levels.append(clamp(total, -FULL, FULL))
        return levels


def _sum(terms: Terms, values: Sequence[Value]) -> int:
    total = 0
    for place, weight in terms:
        value = values[place]
        if value:
            # A weight of 1 needs no product, and is by far the commonest.
            total += value if weight == FULL else mul(weight, value)
    return total
