"""A port with a simulated machine on it: motors with stiction and shaft counters, servos with stops.

Its time is its own: it passes when the handset's loop sleeps, and takes none of the user's.
"""

from nuvrik.ends.machine import Machine
from nuvrik.levels import FULL
from nuvrik.plan.backward import AnalogItem, DigitalItem, RangeItem, ShaftItem, VectorItem, VoltsItem
from nuvrik.plan.models import Link
from nuvrik.plan.outputs import MotorOutput, ServoOutput, StepperOutput, pulse_share
from nuvrik.rehearsal.motors import SimMotor

SERVO_STOP = 0.8
"""Where a simulated servo meets something, as a fraction of its way to either end."""


class SimLine:
    """Port and clock in one, with the sensors that the link file names. ``backwards`` names outputs that are
    wired the wrong way round."""

    stream = True

    def __init__(self, link: Link, backwards: frozenset[str] = frozenset()) -> None:
        self.machine = Machine(link, stream=True, boot=1)
        self._link = link
        self._now_ms = 0.0
        self._tick_ms = link.tick_ms
        self._due_ms = 0.0
        # The link file's own `reverse` is taken to be right for what is not backwards.
        self._mounted = {
            name: (-1 if output.reverse else 1) * (-1 if name in backwards else 1)
            for name, output in link.outputs.items()
            if isinstance(output, MotorOutput | StepperOutput | ServoOutput)
        }
        self._met: set[str] = set()
        self._motors = {name: SimMotor() for name in self._mounted}

    def now_ms(self) -> int:
        """The simulated time."""
        return int(self._now_ms)

    def sleep(self, seconds: float) -> None:
        """Let simulated time go by, and the machine run in it."""
        end_ms = self._now_ms + 1000 * seconds
        while self._due_ms <= end_ms:
            self._now_ms = self._due_ms
            self._turn()
            self._due_ms += self._tick_ms
        self._now_ms = end_ms

    def read(self) -> bytes:
        """What the machine says."""
        return self.machine.send(self.now_ms())

    def write(self, data: bytes) -> bool:
        """Bytes to the machine."""
        self.machine.feed(data, self.now_ms())
        return True

    def accepted(self) -> None:
        """There is only one other end."""

    def turns(self, name: str) -> float:
        """The shaft counter of a motor or stepper: turns in the way that the link file calls ahead."""
        return self._motors[name].turns

    def touched(self, name: str) -> bool:
        """Whether a servo has met its stop since this was last asked."""
        met = name in self._met
        self._met.discard(name)
        return met

    def _sense(self) -> None:
        for name, item in self._link.telemetry.items():
            if isinstance(item, ShaftItem) and item.sensor and item.of in self._motors:
                self.machine.sense(self.now_ms(), **{name: int(self.turns(item.of) * item.counts_per_rev)})
            elif isinstance(item, VoltsItem):
                # A battery that sags a little with every motor that is driven.
                driven = sum(demand.driven for demand in self.machine.demands)
                low, high = item.raw
                self.machine.sense(self.now_ms(), **{name: round(low + (0.9 - 0.02 * driven) * (high - low))})
            elif isinstance(item, VectorItem):
                low, high = item.raw
                level = (low + high) // 2
                self.machine.sense(self.now_ms(), **{name: (level, level, high)})
            elif isinstance(item, RangeItem):
                self.machine.sense(self.now_ms(), **{name: None})
            elif isinstance(item, AnalogItem | DigitalItem):
                self.machine.sense(self.now_ms(), **{name: 0})

    def _turn(self) -> None:
        self._sense()
        demands = self.machine.tick(self.now_ms())
        for demand, (name, output) in zip(demands, self._link.outputs.items(), strict=True):
            if isinstance(output, MotorOutput):
                pulses = output.driver == "servo_pulse"
                duty = demand.signed / output.duty_max
                duty = pulse_share(output.pulse_us, demand.value) if pulses else duty
                self._motors[name].run(self._mounted[name] * duty, self._tick_ms)
            elif isinstance(output, ServoOutput) and abs(demand.level) > SERVO_STOP * FULL:
                self._met.add(name)
            elif isinstance(output, StepperOutput):
                rate = self._mounted[name] * demand.signed / output.steps_per_rev
                self._motors[name].turns += rate * self._tick_ms / 1000
