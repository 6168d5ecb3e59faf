"""Which wire goes where: the pins of a board as its builder solders them."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.export.boards import ANALOG, CONTACT, COUNTER, PWM, STEP, Chip, Use
from nuvrik.plan.form.backward import VoltsItem
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import MotorOutput, ServoOutput, StepperOutput, SwitchOutput

PULL_OHMS = "10 k"
"""Weak enough for any pin to drive against, strong enough to hold a driver's input off through a reset."""


class Wire(NamedTuple):
    """One wire: the board's ``pin``, as it is printed there; ``to``: what it goes to; ``carries``: what is on
    it; ``needs``: what has to be fitted beside it, "" for nothing; ``pulled``: that is a resistor."""

    pin: str
    to: str
    carries: str
    needs: str
    pulled: bool = False


def wires(outputs: list[Use], inputs: list[Use], link: Link, chip: Chip | None) -> Iterator[Wire]:
    """Every wire of one end, outputs first."""
    for use in outputs:
        output = link.outputs[use.of]
        role = use.key.rpartition(".")[2]
        to = f"{use.of}, {_input_of(output, role)}"
        needs = _needs(output)
        yield Wire(_named(use.pin, chip), to, _carries(use.role, output, role), needs, bool(needs))
    for use in inputs:
        to = f"{use.of}, {'to ground' if use.role == CONTACT else 'its output'}"
        yield Wire(_named(use.pin, chip), to, READS[use.role], _beside(use, link))


READS = {
    ANALOG: "a voltage",
    COUNTER: "edges",
    CONTACT: "a contact",
}


def _beside(use: Use, link: Link) -> str:
    item = link.telemetry.get(use.of)
    if isinstance(item, VoltsItem):
        return "a divider: no more than the board's supply"
    return "" if use.role == ANALOG else "the board's own pull-up"


def _named(pin: int, chip: Chip | None) -> str:
    return str(pin) if chip is None else chip.pin_name(pin)


def _input_of(output: object, role: str) -> str:
    if isinstance(output, MotorOutput):
        inputs = {"pwm": "PWM or enable input", "dir": "direction input", "pulse": "signal wire"}
        return f"driver's {inputs.get(role, role + ' input')}"
    if isinstance(output, StepperOutput):
        return f"driver's {'step' if role == 'step' else 'direction'} input"
    return "signal wire" if isinstance(output, ServoOutput) else "its driver's or transistor's input"


def _carries(role: str, output: object, name: str) -> str:
    if role == PWM:
        return "PWM"
    if role == STEP:
        return "a pulse for each step"
    if isinstance(output, SwitchOutput):
        return f"{output.active} while on"
    return (
        "a direction"
        if isinstance(output, MotorOutput | StepperOutput) and name != "pulse"
        else "servo pulses"
    )


def _needs(output: object) -> str:
    if isinstance(output, SwitchOutput) and output.active == "low":
        return f"{PULL_OHMS} to the board's supply"
    if isinstance(output, ServoOutput):
        return ""
    return f"{PULL_OHMS} to ground"
