"""What hangs on the machine's outputs, simulated: motors with stiction on a battery that sags, servos that
take time and meet their stops, steppers, a load that pulls a winch; and what the machine's sensors read of
it.

It is moved by the levels of the machine's pins, in the order in which they are written, so that what can
destroy a driver shows. The rehearsal and the port ``sim`` use the same one.
"""

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from nuvrik.levels import share_at
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import MotorOutput, ServoOutput, StepperOutput
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.outputs.pins import Pins
from nuvrik.plan.telemetry import (
    Raw,
    ShaftItem,
    VoltsItem,
)
from nuvrik.plant.bridges import Bridge
from nuvrik.plant.motors import SimMotor

FULL_VOLTS = 7.4
"""Two lithium cells at their nominal voltage."""
SAG_VOLTS = 0.35
"""What each motor at full duty takes off the battery's voltage: about 3 A through 0.1 ohm of cell and
lead."""
SERVO_FULL_MS = 250
"""From one end to the other: a common hobby servo turns 60 degrees in 0.15 s or so."""
SERVO_STOP = 0.8
"""Where a simulated servo meets something, as a fraction of its way to either end."""
ROUNDING = 0.005
"""A place that a pulse names is right to half a microsecond of some hundred."""


class SimServo:
    """A servo that turns at a limited rate; ``place`` is -1 to 1."""

    def __init__(self, full_ms: float = SERVO_FULL_MS) -> None:
        self._full_ms = full_ms
        self.place = 0.0
        self.wanted: float | None = None
        """Where its pulses send it; None without pulses."""

    def run(self, wanted: float, dt_ms: float) -> float:
        """Turn towards a place for ``dt_ms``; gives where it is."""
        most = 2 * dt_ms / self._full_ms
        self.place += min(max(wanted - self.place, -most), most)
        return self.place


class Plant:
    """Everything that moves on one machine. ``pull`` is a load on every winch (a motor that holds), in turns
    a second that it would run out without power; ``charge`` is what is left of the battery, 0 to 1.
    ``backwards`` names outputs whose wires are exchanged.

    Shafts turn in the way that the link file calls forward: its own ``reverse`` is taken to be right; but for
    an output whose wires are exchanged it is right only if the file says so.
    """

    def __init__(self, link: Link, backwards: frozenset[str] = frozenset()) -> None:
        self._names, self._models = list(link.outputs), list(link.outputs.values())
        self._pins = Pins(link)
        self._mounted = {
            name: -1 if name in backwards or getattr(output, "reverse", False) else 1
            for name, output in link.outputs.items()
        }
        self.bridges = {n: Bridge(o) for n, o in link.outputs.items() if isinstance(o, MotorOutput)}
        self.motors = {n: SimMotor() for n, o in link.outputs.items() if o.turns}
        self.servos = {n: SimServo() for n, o in link.outputs.items() if isinstance(o, ServoOutput)}
        self._steps: dict[str, dict[str, int]] = {
            n: {"step": 0, "dir": 0} for n, o in link.outputs.items() if isinstance(o, StepperOutput)
        }
        self._writers = [self._writer(name) for name in self._names]
        winches = {n for n, o in link.outputs.items() if isinstance(o, MotorOutput) and o.hold_duty}
        self.pull = 0.0
        self.charge = 1.0
        self.volts = FULL_VOLTS
        self.paid_out = dict.fromkeys(winches, 0.0)
        self._met: set[str] = set()
        # What a tick needs, looked up once: a rehearsal has fifty of them a second.
        self._driven = [
            (bridge, self.motors[name], self._mounted[name], name if name in winches else None)
            for name, bridge in self.bridges.items()
        ]
        self.sensors = Sensors(link, self.motors)

    def follow(self, demands: Sequence[Demand]) -> None:
        """Write the pins as new demands ask for it."""
        for place, role, level in self._pins.follow(demands):
            self._writers[place](role, level)

    def _writer(self, name: str) -> Callable[[str, int], None]:
        """What an output does with a level of one of its pins."""
        if name in self.bridges:
            return self.bridges[name].write
        if name in self.servos:
            return partial(self._place, name)
        return self._steps.get(name, {}).__setitem__

    def _place(self, name: str, role: str, pulse: int) -> None:
        output, servo = self._models[self._names.index(name)], self.servos[name]
        assert isinstance(output, ServoOutput)
        servo.wanted = share_at(output.pulse_us, pulse) if pulse else None
        if servo.wanted is not None and abs(servo.wanted) > SERVO_STOP + ROUNDING:
            self._met.add(name)

    def float_pins(self) -> None:
        """The board has lost power, or is in reset: pull-downs hold its pins low, all at once."""
        self._pins.let_float()
        for bridge in self.bridges.values():
            bridge.let_float()
        for servo in self.servos.values():
            servo.wanted = None
        for steps in self._steps.values():
            steps.update(step=0, dir=0)

    @property
    def shorted(self) -> str | None:
        """The first output whose bridge has been short-circuited; None if none has."""
        return next((name for name, bridge in self.bridges.items() if bridge.shorted), None)

    def touched(self, name: str) -> bool:
        """Whether a servo has met its stop since this was last asked."""
        met = name in self._met
        self._met.discard(name)
        return met

    def run(self, dt_ms: float) -> None:
        """Let time go by, the pins as they are."""
        share = self.volts / FULL_VOLTS
        load = 0.0
        for bridge, motor, mounted, winch in self._driven:
            duty = bridge.duty
            load += abs(duty)
            motor.run(mounted * duty * share, dt_ms)
            if winch is not None and not duty:
                self.paid_out[winch] += self.pull * dt_ms / 1000
        for servo in self.servos.values():
            if servo.wanted is not None:
                servo.run(servo.wanted, dt_ms)
        for name, steps in self._steps.items():
            output = self._models[self._names.index(name)]
            assert isinstance(output, StepperOutput)
            rate = steps["step"] * (1 if steps["dir"] else -1) / output.steps_per_rev
            self.motors[name].turns += self._mounted[name] * rate * dt_ms / 1000
        self.volts = max(
            0.0, FULL_VOLTS * (0.6 + 0.4 * self.charge) - SAG_VOLTS * load / max(self.charge, 0.1)
        )

    def readings(self) -> dict[str, Raw]:
        """What the machine's sensors read."""
        return self.sensors.read(self.volts)


class Sensors:
    """What is measured on a plant: volts and shafts; switches are off, dials wide open, nothing is near, and
    whatever else there is reads the same all the time. ``pressed`` are switches that are on."""

    def __init__(self, link: Link, motors: Mapping[str, SimMotor]) -> None:
        self._volts: list[tuple[str, VoltsItem]] = []
        self._shafts: list[tuple[str, SimMotor, int]] = []
        self._still: dict[str, Raw] = {}
        self.pressed: set[str] = set()
        for name, item in link.telemetry.items():
            if isinstance(item, VoltsItem):
                self._volts.append((name, item))
            elif isinstance(item, ShaftItem) and item.sensor and item.of is not None and item.of in motors:
                self._shafts.append((name, motors[item.of], item.counts_per_rev))
            elif item.measured:
                dialled = any(getattr(output, "dial", None) == name for output in link.outputs.values())
                self._still[name] = getattr(item, "raw", [0, 0])[1] if dialled else item.still

    def read(self, volts: float) -> dict[str, Raw]:
        """All of them."""
        made = dict(self._still)
        for name in self.pressed:
            made[name] = 1 - int(made[name] == 1)
        for name, item in self._volts:
            (low, high), (raw_low, raw_high) = item.range, item.raw
            share = min(max((volts - low) / (high - low), 0.0), 1.0)
            made[name] = round(raw_low + share * (raw_high - raw_low))
        for name, motor, per_rev in self._shafts:
            made[name] = int(motor.turns * per_rev)
        return made
