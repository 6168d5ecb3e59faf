"""What stands between the machine's pins and what moves: bridges that short, and places that pulses name."""

from nuvrik.levels import share_at
from nuvrik.plan.outputs import MotorOutput


class Bridge:
    """A motor driver as its pins see it.

    It is destroyed, for this run, by what destroys a real one: a direction that changes while there is power,
    or both sides under power at once. (Both sides joined to brake, without power or both full on, is what a
    bridge is built for.)
    """

    def __init__(self, model: MotorOutput) -> None:
        self._model = model
        self._two_pwm = model.driver == "two_pwm"
        self._levels = dict.fromkeys(("pwm", "forward", "backward", "dir", "pulse"), 0)
        self.shorted = False
        self._duty: float | None = 0.0

    def write(self, role: str, level: int) -> None:
        """A pin is written."""
        levels = self._levels
        changes, levels[role] = levels[role] != level, level
        self._duty = None
        if self._two_pwm:
            sides = levels["forward"], levels["backward"]
            self.shorted |= all(sides) and min(sides) < self._model.duty_max
        elif levels["pwm"] and ((role != "pwm" and changes) or (levels["forward"] and levels["backward"])):
            self.shorted = True

    def let_float(self) -> None:
        """Every pin is low at once: the board is without power, or in reset."""
        self._levels = dict.fromkeys(self._levels, 0)
        self._duty = 0.0

    @property
    def duty(self) -> float:
        """What reaches the motor, -1 to 1."""
        if self._duty is None:
            self._duty = self._reaching()
        return self._duty

    def _reaching(self) -> float:
        levels, model = self._levels, self._model
        if self.shorted:
            return 0.0
        if model.driver == "servo_pulse":
            return share_at(model.pulse_us, levels["pulse"]) if levels["pulse"] else 0.0
        if self._two_pwm:
            return (levels["forward"] - levels["backward"]) / model.duty_max
        ahead = levels["dir"] if model.driver == "pwm_1dir" else levels["forward"] > levels["backward"]
        return levels["pwm"] / model.duty_max * (1 if ahead else -1)
