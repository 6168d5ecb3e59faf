"""The outputs of a link file as objects."""

from nuvrik.mixing.demand import Output
from nuvrik.mixing.motor import Motor
from nuvrik.mixing.others import Servo, Switch
from nuvrik.mixing.stepper import Stepper
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import MotorOutput, ServoOutput, StepperOutput


def build_outputs(link: Link) -> list[Output]:
    """One object for each output, in declared order."""
    made: list[Output] = []
    for name, model in link.outputs.items():
        if isinstance(model, MotorOutput):
            made.append(Motor(name, model))
        elif isinstance(model, ServoOutput):
            made.append(Servo(name, model))
        elif isinstance(model, StepperOutput):
            made.append(Stepper(name, model))
        else:
            made.append(Switch(name, model))
    return made
