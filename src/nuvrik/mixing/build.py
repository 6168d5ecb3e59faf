"""The outputs of a link file as objects: numbers, and words around them."""

from nuvrik.core.machine.outputs import Outputs
from nuvrik.mixing.demand import Output
from nuvrik.mixing.motor import Motor
from nuvrik.mixing.others import Servo, Switch
from nuvrik.mixing.stepper import Stepper
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import MotorOutput, ServoOutput, StepperOutput


def build_outputs(link: Link, outputs: Outputs) -> list[Output]:
    """One object in words for each output, in declared order, and its numbers put into ``outputs``."""
    made: list[Output] = []
    outputs.motors, outputs.servos, outputs.steppers, outputs.switches = [], [], [], []
    for name, model in link.outputs.items():
        if isinstance(model, MotorOutput):
            made.append(motor := Motor(name, model))
            outputs.motors.append(motor.core)
        elif isinstance(model, ServoOutput):
            made.append(servo := Servo(name, model, link.failsafe.timeout_ms))
            outputs.servos.append(servo.core)
        elif isinstance(model, StepperOutput):
            made.append(stepper := Stepper(name, model))
            outputs.steppers.append(stepper.core)
        else:
            made.append(switch := Switch(name, model))
            outputs.switches.append(switch.core)
    return made
