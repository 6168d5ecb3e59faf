"""Which wire goes where: the machine's pins as its builder solders them."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.export.boards import ANALOG, COUNTER, PWM, STEP, Chip, uses_of_outputs, uses_of_sensors
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import MotorOutput, ServoOutput, StepperOutput, SwitchOutput

PULL_OHMS = "10 k"
"""Weak enough for any pin to drive against, strong enough to hold a driver's input off through a reset."""


class Wire(NamedTuple):
    """One wire: the board's ``pin``, as it is printed there; ``to``: what it goes to; ``carries``: what is on
    it; ``needs``: what has to be fitted beside it, "" for nothing."""

    pin: str
    to: str
    carries: str
    needs: str


def wires(link: Link, chip: Chip | None) -> Iterator[Wire]:
    """Every wire of a machine, outputs first."""
    for use in uses_of_outputs(link):
        output = link.outputs[use.of]
        role = use.key.rpartition(".")[2]
        to = f"{use.of}, {_input_of(output, role)}"
        yield Wire(_named(use.pin, chip), to, _carries(use.role, output, role), _needs(output))
    for use in uses_of_sensors(link):
        item = link.telemetry[use.of]
        carries = {ANALOG: "volts, 0 to the board's own supply", COUNTER: "edges of a shaft"}.get(
            use.role, "a contact to ground"
        )
        needs = ""
        if item.kind == "volts":
            needs = "a divider, so that no more than the board's supply comes in"
        elif use.role != ANALOG:
            needs = "nothing: the board's own pull-up is on"
        yield Wire(_named(use.pin, chip), use.of, carries, needs)


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
