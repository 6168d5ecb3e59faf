"""Which wire goes where: the pins of a board as its builder solders them."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.export.boards import (
    ANALOG,
    CARRIER,
    COIL,
    CONTACT,
    COUNTER,
    EDGE,
    EMIT,
    END,
    MACHINE,
    PWM,
    STEP,
    Use,
    uses_of_inputs,
    uses_of_medium,
    uses_of_outputs,
)
from nuvrik.export.chips import Chip
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


def wires(link: Link, chip: Chip | None, end: str) -> Iterator[Wire]:
    """Every wire of one end: outputs, what carries the link, inputs."""
    for use in uses_of_outputs(link) if end == MACHINE else ():
        output = link.outputs[use.of]
        role = use.key.rpartition(".")[2]
        to = f"{use.of}, {_input_of(output, role)}"
        needs = _needs(output, role)
        yield Wire(_named(use.pin, chip), to, _carries(use.role, output, role), needs, bool(needs))
    for use in uses_of_medium(link, end):
        hears = use.role == EDGE
        needs = "the board's own pull-up" if hears else f"{PULL_OHMS} to ground"
        yield Wire(_named(use.pin, chip), _on_the_air(use.role, link), READS[use.role], needs, not hears)
    for use in uses_of_inputs(link, end):
        to = f"{use.of}, {'to ground' if use.role in (CONTACT, END) else 'its output'}"
        yield Wire(_named(use.pin, chip), to, READS[use.role], _beside(use, link))


READS = {
    ANALOG: "a voltage",
    COUNTER: "edges",
    CONTACT: "a contact",
    END: "an end switch",
    EDGE: "edges",
    EMIT: "on and off",
    CARRIER: "a carrier, on and off",
}


def _on_the_air(role: str, link: Link) -> str:
    """What a pin goes to that carries the link itself."""
    if role == CARRIER:
        return "infrared lamp, its transistor's input"
    if role == EMIT:
        return "sender, its data input"
    return f"{'infrared receiver' if link.medium.kind == 'infrared' else 'receiver'}, its output"


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
        coil = f"{role[0].upper()} {role[2:]}"
        inputs = {"step": "step input", "dir": "direction input", "enable": "enable input"}
        return f"driver's {inputs.get(role, coil)}"
    return "signal wire" if isinstance(output, ServoOutput) else "its driver's or transistor's input"


def _carries(role: str, output: object, name: str) -> str:
    if role == PWM:
        return "PWM"
    if role == STEP:
        return "a pulse for each step"
    if role == COIL:
        return "one end of a coil"
    if name == "enable":
        return f"{getattr(output, 'enable_active', '')} while there is current"
    if isinstance(output, SwitchOutput):
        return f"{output.active} while on"
    return (
        "a direction"
        if isinstance(output, MotorOutput | StepperOutput) and name != "pulse"
        else "servo pulses"
    )


def _needs(output: object, role: str) -> str:
    low = isinstance(output, StepperOutput) and role == "enable" and output.enable_active == "low"
    if low or (isinstance(output, SwitchOutput) and output.active == "low"):
        return f"{PULL_OHMS} to the board's supply"
    if isinstance(output, ServoOutput):
        return ""
    return f"{PULL_OHMS} to ground"
