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
        self._link = link
        self.motors = {n: SimMotor() for n, o in link.outputs.items() if isinstance(o, MotorOutput)}
        self.servos = {n: SimServo() for n, o in link.outputs.items() if isinstance(o, ServoOutput)}
        self._tops = {n: o.duty_max for n, o in link.outputs.items() if isinstance(o, MotorOutput)}
        self._winches = {n for n, o in link.outputs.items() if isinstance(o, MotorOutput) and o.hold_duty}
        self.pull = 0.0
        self.charge = 1.0
        self.volts = FULL_VOLTS
        self.paid_out = dict.fromkeys(self._winches, 0.0)

    def run(self, demands: list[Demand], dt_ms: float) -> None:
        """Let the demands act for a while."""
        share = self.volts / FULL_VOLTS
        load = 0.0
        for demand in demands:
            name = demand.output
            if name in self.motors:
                duty = demand.signed / self._tops[name] if demand.driven else 0.0
                load += abs(duty)
                self.motors[name].run(duty * share, dt_ms)
                if name in self._winches and not demand.driven:
                    self.paid_out[name] += self.pull * dt_ms / 1000
            elif name in self.servos:
                self.servos[name].run(demand.level / FULL, dt_ms)
        self.volts = max(
            0.0, FULL_VOLTS * (0.6 + 0.4 * self.charge) - SAG_VOLTS * load / max(self.charge, 0.1)
        )

    def readings(self) -> dict[str, Raw]:
        """What the machine's sensors read, of the items that can be told from this."""
        made: dict[str, Raw] = {}
        for name, item in self._link.telemetry.items():
            if isinstance(item, VoltsItem):
                low, high = item.range
                share = (self.volts - low) / (high - low)
                raw_low, raw_high = item.raw
                made[name] = round(raw_low + min(max(share, 0.0), 1.0) * (raw_high - raw_low))
            elif isinstance(item, ShaftItem) and item.sensor and item.of in self.motors:
                made[name] = int(abs(self.motors[item.of].turns) * item.counts_per_rev) & 0xFFFF
        return made
