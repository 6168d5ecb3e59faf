"""Demands to pin levels: direction before power, and nothing left half changed.

A write is a pin's role and what it is set to: 0 or 1 for a plain pin, a count for one with PWM, microseconds
for a pulse (0: none), steps a second for a step pin. :func:`pin_writes` gives them in the order in which they
must be made: power off, then direction, then power on. A bridge whose sides change under power shorts itself
for as long as its transistors need to switch off.
"""

from collections.abc import Sequence

from nuvrik.mixing.demand import Demand
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import AnyOutput, MotorOutput, ServoOutput, SwitchOutput

Writes = list[tuple[str, int]]


def pin_levels(model: AnyOutput, demand: Demand) -> dict[str, int]:
    """What each pin of an output is at under a demand."""
    forward, backward = demand.direction > 0, demand.direction < 0
    if isinstance(model, ServoOutput):
        return {"pin": demand.value}
    if isinstance(model, SwitchOutput):
        return {"pin": int(bool(demand.value) == (model.active == "high"))}
    if not isinstance(model, MotorOutput):
        return {"step": demand.value, "dir": int(forward)}
    if model.driver == "servo_pulse":
        return {"pulse": demand.value}
    if model.driver == "pwm_1dir":
        return {"pwm": demand.value, "dir": int(forward)}
    if model.driver == "pwm_2dir":
        braked = demand.braked
        return {"pwm": demand.value, "forward": int(forward or braked), "backward": int(backward or braked)}
    most = model.duty_max if demand.braked else 0
    return {"forward": demand.value if forward else most, "backward": demand.value if backward else most}


def power_roles(model: AnyOutput) -> tuple[str, ...]:
    """The pins of an output that make it turn; its other pins only say which way."""
    if isinstance(model, MotorOutput) and model.driver == "two_pwm":
        return ("forward", "backward")
    return ("pwm", "pulse", "step")


def pin_writes(model: AnyOutput, was: dict[str, int], wanted: dict[str, int]) -> Writes:
    """The writes that take the pins of an output from some levels to others."""
    changed = [role for role in wanted if was.get(role, 0) != wanted[role]]
    power = power_roles(model)
    turned = [role for role in changed if role not in power]
    off = [role for role in power if turned and was.get(role)]
    on = [role for role in wanted if role in power and (wanted[role] if role in off else role in changed)]
    writes = [(role, 0) for role in off]
    # What goes down goes first, so that the two sides are never on together, except to brake.
    for roles in (turned, on):
        writes += sorted(((role, wanted[role]) for role in roles), key=lambda write: write[1])
    return writes


def _follower(model: AnyOutput) -> dict[int, str]:
    """The one pin that takes a demand's value as it is, for each direction; nothing for a switch."""
    if isinstance(model, SwitchOutput):
        return {}
    if isinstance(model, MotorOutput) and model.driver == "two_pwm":
        return {1: "forward", -1: "backward"}
    role = next(iter(pin_levels(model, Demand("", 0, 0, 0, False))))
    return {1: role, -1: role}


class Pins:
    """The pins of all outputs of a machine, all low until something is written to them."""

    def __init__(self, link: Link) -> None:
        self._models = list(link.outputs.values())
        self._followers = [_follower(model) for model in self._models]
        self._levels: list[dict[str, int]] = [{} for _ in self._models]
        self._seen: list[Demand | None] = [None] * len(self._models)

    def follow(self, demands: Sequence[Demand]) -> list[tuple[int, str, int]]:
        """The writes that new demands ask for: the place of an output, the role of its pin, the level."""
        made: list[tuple[int, str, int]] = []
        for place, demand in enumerate(demands):
            before = self._seen[place]
            if demand is before:
                continue
            self._seen[place], levels = demand, self._levels[place]
            # Nearly always only the value changes, and with it one pin.
            role = self._followers[place].get(demand.direction)
            if role and before is not None and before.direction == demand.direction:
                if levels[role] != demand.value:
                    levels[role] = demand.value
                    made.append((place, role, demand.value))
                continue
            wanted = pin_levels(self._models[place], demand)
            made += [(place, *write) for write in pin_writes(self._models[place], levels, wanted)]
            self._levels[place] = wanted
        return made

    def let_float(self) -> None:
        """The board has lost power, or is in reset: pull-downs hold every pin low."""
        self._levels = [{} for _ in self._models]
        self._seen = [None] * len(self._models)
