"""The machine's outputs in words: what each is told as a Demand, and why."""

from collections.abc import Sequence

from nuvrik.core.levels import FULL
from nuvrik.core.machine.outputs import Outputs
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import KINDS
from nuvrik.plan.outputs.demand import FOLLOW, Demand, InWords, Mode


class Moving:
    """The outputs of one machine: ``demands`` is what each is told now."""

    def __init__(self, link: Link, outputs: Outputs) -> None:
        self.core = outputs
        self.outputs: list[InWords] = []
        for kind in KINDS.values():
            setattr(outputs, kind.rows, [])
        for name, model in link.outputs.items():
            self.outputs.append(one := model.in_words(name, link.failsafe.timeout_ms))
            getattr(outputs, model.rows).append(one.core)
        self._told = [output.told for output in self.outputs]
        self.demands: list[Demand] = [told.demand for told in self._told]

    def collect(self) -> list[Demand]:
        """What each is told now. The list is the same object while nothing has changed, so that callers can
        tell."""
        demands = [told.demand for told in self._told]
        if demands != self.demands:
            self.demands = demands
        return self.demands

    @property
    def targets(self) -> Sequence[int | None]:
        """What the mix asks of each, None for nothing."""
        return self.core.targets if self.core.asked else [None] * len(self.outputs)

    def reasons(self, mode: Mode, held_back: str) -> dict[str, str]:
        """For each output, why it does what it does; ``held_back`` goes before each."""
        return {
            output.told.demand.output: held_back
            + (self._limited(place, target, mode) or output.why(target, mode))
            for place, (output, target) in enumerate(zip(self.outputs, self.targets, strict=True))
        }

    def _limited(self, place: int, target: int | None, mode: Mode) -> str:
        """What an input of the machine's own, or its own code, keeps an output from; "" for nothing."""
        core = self.core
        if mode is not FOLLOW or not target or not core.turns(place):
            return ""
        if core.waits[place]:
            return "its own code left it nothing: " + (
                "it counts again when its sticks have rested" if core.caps[place] else "it rests"
            )
        if core.caps[place] < FULL:
            return f"limited to {100 * core.caps[place] / FULL:.0f} % of full by its own code"
        if not core.table.limits:
            return ""
        if core.barred(place, target):
            return "at its end: it goes no further that way"
        factor = core.factors[place]
        return f"limited to {100 * factor / FULL:.0f} % of what is asked" if factor != FULL else ""

    @property
    def safe(self) -> bool:
        """Whether no output is being driven."""
        return not any(demand.driven for demand in self.demands)

    @property
    def hold_ends(self) -> bool:
        """Whether an output is about to let go of a load."""
        return self.core.hold_ends()
