"""What moves on the machine, one file a kind."""

from typing import Annotated

from pydantic import Field

from nuvrik.plan.form.base import kinds_of
from nuvrik.plan.outputs.base import OutputBase
from nuvrik.plan.outputs.motor import MotorOutput
from nuvrik.plan.outputs.servo import ServoOutput
from nuvrik.plan.outputs.stepper import StepperOutput
from nuvrik.plan.outputs.switch import SwitchOutput

__all__ = ["KINDS", "AnyOutput", "MotorOutput", "Output", "ServoOutput", "StepperOutput", "SwitchOutput"]

AnyOutput = MotorOutput | ServoOutput | StepperOutput | SwitchOutput
Output = Annotated[AnyOutput, Field(discriminator="kind")]

KINDS: dict[str, type[OutputBase]] = kinds_of(AnyOutput)
"""The kinds by the names that they have in a link file."""
