"""The mix: one level for each output, a clipped weighted sum of channels."""

from collections.abc import Sequence

from nuvrik.levels import FULL, clamp, mul
from nuvrik.plan.wiring import Weights
from nuvrik.wire.codes import Value


class Mix:
    """Weights of channels for each output, in the outputs' declared order."""

    def __init__(self, weights: dict[str, Weights], channels: Sequence[str]) -> None:
        places = {name: place for place, name in enumerate(channels)}
        self._rows = [
            [(places[channel], weight) for channel, weight in row.items()] for row in weights.values()
        ]

    def demands(self, values: Sequence[Value]) -> list[int]:
        """A level for each output. A channel without a reading adds nothing."""
        # Clipped once, at the end: the sum of two halves may pass full scale on the way.
        levels = []
        for row in self._rows:
            total = 0
            for place, weight in row:
                total += mul(weight, values[place] or 0)
            levels.append(clamp(total, -FULL, FULL))
        return levels
