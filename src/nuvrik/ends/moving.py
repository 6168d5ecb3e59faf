"""The machine's outputs: what the mix, a jog and motions ask of them, and what they are told."""

from collections.abc import Collection, Sequence

from nuvrik.ends.desk import Desk
from nuvrik.mixing.build import build_outputs
from nuvrik.mixing.demand import FOLLOW, Demand, Mode
from nuvrik.mixing.mix import Mix
from nuvrik.mixing.motor import Motor
from nuvrik.mixing.stepper import Stepper
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import output_routes
from nuvrik.wire.codes import Value
from nuvrik.wire.messages import Jog

Targets = Sequence[int | None]
"""A level for each output, None: no demand."""


class Moving:
    """The outputs of one machine. ``targets`` is what the last drive frame asks of each, ``demands`` what
    each is told now. ``band`` is how far from zero is still at rest."""

    def __init__(self, link: Link, band: int) -> None:
        turning: Collection[str] = [name for name, output in link.outputs.items() if output.turns]
        self._mix = Mix(output_routes(link), list(link.channels), turning, band)
        self.outputs = build_outputs(link)
        self._steppers = [output for output in self.outputs if isinstance(output, Stepper)]
        self._holders = [output for output in self.outputs if isinstance(output, Motor)]
        self._nothing: Targets = [None] * len(self.outputs)
        self.targets: Targets = self._nothing
        self.jog: Jog | None = None
        self._jog_ends_ms = 0
        self.demands: list[Demand] = [output.demand for output in self.outputs]

    def follow(self, values: Sequence[Value]) -> None:
        """A drive frame is followed."""
        self.targets = self._mix.demands(values)

    def let_rest(self) -> None:
        """A required reading is missing: what turns comes to rest, places stay."""
        self.targets = self._nothing

    def begin_jog(self, jog: Jog, now_ms: int) -> None:
        """Move one output a little, whatever the mix says, for as long as the jog says."""
        self.jog, self._jog_ends_ms = jog, now_ms + jog.for_ms

    def tick(self, now_ms: int, dt_ms: int, mode: Mode, desk: Desk) -> list[Demand]:
        """One turn of the loop. The list is the same object while nothing has changed, so that callers can
        tell."""
        # What passed was turned at the rates told before, so it is counted before new ones are told.
        for stepper in self._steppers:
            stepper.count_on(dt_ms)
        targets = self.targets if self.jog is None else self._jogged(now_ms, mode)
        if desk.busy:
            targets = desk.overlay(targets, mode, dt_ms)
        demands = [
            output.tick(target, dt_ms, mode) for output, target in zip(self.outputs, targets, strict=True)
        ]
        if demands != self.demands:
            self.demands = demands
        return self.demands

    def halt(self) -> None:
        """Every output to rest at once, without a ramp."""
        for output in self.outputs:
            output.halt()
        self.demands = [output.demand for output in self.outputs]

    def reasons(self, mode: Mode, held_back: str) -> dict[str, str]:
        """For each output, why it does what it does; ``held_back`` goes before each."""
        return {
            output.demand.output: held_back + output.why(target, mode)
            for output, target in zip(self.outputs, self.targets, strict=True)
        }

    @property
    def safe(self) -> bool:
        """Whether no output is being driven."""
        return not any(demand.driven for demand in self.demands)

    @property
    def hold_ends(self) -> bool:
        """Whether an output is about to let go of a load."""
        return any(motor.hold_ends for motor in self._holders)

    def _jogged(self, now_ms: int, mode: Mode) -> Targets:
        """The targets with the jog in them; it ends by itself, and with the right to move."""
        if self.jog is None or mode is not FOLLOW or now_ms >= self._jog_ends_ms:
            self.jog = None
            return self.targets
        place = self.jog.output
        return [*self.targets[:place], self.jog.level, *self.targets[place + 1 :]]
