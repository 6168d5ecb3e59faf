"""The mix: one level for each output, by its route."""

from collections.abc import Mapping, Sequence

from nuvrik.levels import FULL, clamp, div, mul
from nuvrik.plan.wiring import Route, Weights
from nuvrik.wire.codes import Value

Terms = list[tuple[int, int]]
"""The place of a channel among the values, and its weight."""


class Mix:
    """The routes of all outputs, in declared order."""

    def __init__(self, routes: Mapping[str, Route], channels: Sequence[str]) -> None:
        places = {name: place for place, name in enumerate(channels)}

        def terms(weights: Weights | None) -> Terms:
            return [(places[channel], weight) for channel, weight in (weights or {}).items()]

        self._rows = [
            (terms(route.weights), terms(route.partner), places.get(route.turn or ""), route)
            for route in routes.values()
        ]

    def demands(self, values: Sequence[Value]) -> list[int | None]:
        """A level for each output. A channel without a reading adds nothing."""
        levels: list[int | None] = []
        for own, partner, turn, route in self._rows:
            if route.switched:
                levels.append(FULL * (values[own[0][0]] or 0))
                continue
            # Clipped once, at the end: the sum of two halves may pass full scale on the way.
            total = _sum(own, values)
            if partner:
                widest = max(abs(total), abs(_sum(partner, values)))
                total = div(total * FULL, widest) if widest > FULL else total
            if turn is not None:
                slowing = (values[turn] or 0) * route.inner
                total = mul(total, FULL - slowing) if slowing > 0 else total
            levels.append(clamp(total, -FULL, FULL))
        return levels


def _sum(terms: Terms, values: Sequence[Value]) -> int:
    total = 0
    for place, weight in terms:
        value = values[place]
        if value:
            total += value if weight == FULL else mul(weight, value)
    return total
