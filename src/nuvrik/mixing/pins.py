"""Demands to pin levels: direction before power, and nothing left half changed.

A write is a pin's role and what it is set to: 0 or 1 for a plain pin, a count for one with PWM,
microseconds for a pulse. :func:`pin_writes` gives them in the order in which they must be made.
"""

from nuvrik.mixing.demand import Demand
from nuvrik.plan.outputs import MotorOutput

Writes = list[tuple[str, int]]


def pin_writes(model: MotorOutput, before: Demand, after: Demand) -> Writes:
    """The writes that take a motor driver from one demand to the next."""
    if model.driver == "servo_pulse":
        return [("pulse", after.value)] if after.value != before.value else []
    was, wanted = _levels(model, before), _levels(model, after)
    changed = [role for role in wanted if was[role] != wanted[role]]
    powered = ("ahead", "astern") if model.driver == "two_pwm" else ("pwm",)
    turned = any(role not in powered for role in changed)
    writes: Writes = []
    if turned and was["pwm"]:
        # Power off first: a bridge that changes sides under power shorts itself for a moment.
        writes.append(("pwm", 0))
        was["pwm"] = 0
    # What goes down goes first, so that the two sides are never on together, except to brake.
    plain = [role for role in changed if role not in powered]
    writes += [(role, wanted[role]) for role in sorted(plain, key=lambda role: wanted[role])]
    power = [role for role in powered if was[role] != wanted[role]]
    return writes + [(role, wanted[role]) for role in sorted(power, key=lambda role: wanted[role])]


def _levels(model: MotorOutput, demand: Demand) -> dict[str, int]:
    ahead, astern = demand.direction > 0, demand.direction < 0
    if model.driver == "pwm_2dir":
        return {
            "pwm": demand.value,
            "ahead": int(ahead or demand.braked),
            "astern": int(astern or demand.braked),
        }
    if model.driver == "pwm_1dir":
        return {"pwm": demand.value, "dir": int(ahead)}
    most = model.duty_max if demand.braked else 0
    return {"ahead": demand.value if ahead else most, "astern": demand.value if astern else most}
