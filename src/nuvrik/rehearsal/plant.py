"""What hangs on the machine's outputs, simulated: motors with stiction on a battery that sags, servos that
take time, a load that pulls a winch; and what the machine's sensors read of it."""

from nuvrik.levels import FULL
from nuvrik.mixing.demand import Demand
from nuvrik.plan.backward import ShaftItem, VoltsItem
from nuvrik.plan.models import Link
from nuvrik.plan.outputs import MotorOutput, ServoOutput
from nuvrik.rehearsal.motors import SimMotor
from nuvrik.wire.items import Raw

FULL_VOLTS = 7.4
SAG_VOLTS = 0.35
"""What each motor at full duty takes off the battery's voltage."""
SERVO_FULL_MS = 250
"""From one end to the other."""


class SimServo:
    """A servo that turns at a limited rate; ``place`` is -1 to 1."""

    def __init__(self, full_ms: float = SERVO_FULL_MS) -> None:
        self._full_ms = full_ms
        self.place = 0.0

    def run(self, wanted: float, dt_ms: float) -> float:
        """Turn towards a place for ``dt_ms``; gives where it is."""
        most = 2 * dt_ms / self._full_ms
        self.place += min(max(wanted - self.place, -most), most)
        return self.place


class Plant:
    """Everything that moves on one machine. ``pull`` is a load on every winch (a motor that holds), in turns
    a second that it would run out without power; ``charge`` is what is left of the battery, 0 to 1."""

    def __init__(self, link: Link) -> None:
        self.motors = {n: SimMotor() for n, o in link.outputs.items() if isinstance(o, MotorOutput)}
        self.servos = {n: SimServo() for n, o in link.outputs.items() if isinstance(o, ServoOutput)}
        winches = {n for n, o in link.outputs.items() if isinstance(o, MotorOutput) and o.hold_duty}
        self.pull = 0.0
        self.charge = 1.0
        self.volts = FULL_VOLTS
        self.paid_out = dict.fromkeys(winches, 0.0)
        # What a tick and a reading need, looked up once: a rehearsal has fifty of each a second.
        self._motors = [
            (place, self.motors[n], o.duty_max, n if n in winches else None)
            for place, (n, o) in enumerate(link.outputs.items())
            if isinstance(o, MotorOutput)
        ]
        places = list(link.outputs)
        self._servos = [(places.index(n), servo) for n, servo in self.servos.items()]
        self._volts = [(n, i.range, i.raw) for n, i in link.telemetry.items() if isinstance(i, VoltsItem)]
        self._shafts = [
            (n, self.motors[i.of], i.counts_per_rev)
            for n, i in link.telemetry.items()
            if isinstance(i, ShaftItem) and i.sensor and i.of in self.motors
        ]

    def run(self, demands: list[Demand], dt_ms: float) -> None:
        """Let the demands act for a while."""
        share = self.volts / FULL_VOLTS
        load = 0.0
        for place, motor, top, winch in self._motors:
            demand = demands[place]
            if demand.driven:
                duty = demand.value * demand.direction / top
                load += abs(duty)
                motor.run(duty * share, dt_ms)
            else:
                motor.run(0.0, dt_ms)
                if winch is not None:
                    self.paid_out[winch] += self.pull * dt_ms / 1000
        for place, servo in self._servos:
            servo.run(demands[place].level / FULL, dt_ms)
        self.volts = max(
            0.0, FULL_VOLTS * (0.6 + 0.4 * self.charge) - SAG_VOLTS * load / max(self.charge, 0.1)
        )

    def readings(self) -> dict[str, Raw]:
        """What the machine's sensors read, of the items that can be told from this."""
        made: dict[str, Raw] = {}
        for name, (low, high), (raw_low, raw_high) in self._volts:
            share = min(max((self.volts - low) / (high - low), 0.0), 1.0)
            made[name] = round(raw_low + share * (raw_high - raw_low))
        for name, motor, per_rev in self._shafts:
            made[name] = int(abs(motor.turns) * per_rev) & 0xFFFF
        return made
