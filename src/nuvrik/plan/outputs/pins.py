"""Demands to pin levels, by the names that the pins have in a link file. The order is
``core.machine.pins``'s."""

from collections.abc import Sequence

from nuvrik.core.machine import pins as core
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import AnyOutput
from nuvrik.plan.outputs.demand import Demand

Writes = list[tuple[str, int]]


class OutputPins:
    """The pins of one output, all low until something is written to them.

    A write is a pin's role and what it is set to: 0 or 1 for a plain pin, a count for one with PWM,
    microseconds for a pulse (0: none), steps a second for a step pin.
    """

    def __init__(self, model: AnyOutput) -> None:
        self.core = core.Pins(model.pin_table)
        self._writes = core.Writes()
        self._roles = model.pin_roles

    def follow(self, demand: Demand) -> Writes:
        """The writes that a demand asks for, in the order in which they must be made."""
        writes = self._writes
        self.core.follow(demand.value, demand.direction, demand.braked, writes)
        return [(self._roles[writes.pin[at]], writes.level[at]) for at in range(writes.count)]


class Pins:
    """The pins of all outputs of a machine."""

    def __init__(self, link: Link) -> None:
        self._link = link
        self.let_float()

    def follow(self, demands: Sequence[Demand]) -> list[tuple[int, str, int]]:
        """The writes that new demands ask for: the place of an output, the role of its pin, the level."""
        made: list[tuple[int, str, int]] = []
        for place, demand in enumerate(demands):
            if demand is not self._seen[place]:
                self._seen[place] = demand
                made += [(place, *write) for write in self._pins[place].follow(demand)]
        return made

    def let_float(self) -> None:
        """The board has lost power, or is in reset: pull-downs hold every pin low."""
        self._pins = [OutputPins(model) for model in self._link.outputs.values()]
        self._seen: list[Demand | None] = [None] * len(self._pins)
