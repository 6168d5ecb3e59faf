"""``[controls.NAME]``: what a hand or a sensor moves on the handset, one class a kind.

Axis, slider, button and key have readings of their own. Rocker, nudge and selector are made of
buttons or keys that stand in the link file under names of their own.
"""

from typing import Annotated

from pydantic import Field

from nuvrik.plan.controls.made import NudgeControl, RockerControl, SelectorControl
from nuvrik.plan.controls.read import AxisControl, ButtonControl, KeyControl, SliderControl

__all__ = [
    "AnyControl",
    "AxisControl",
    "ButtonControl",
    "Control",
    "KeyControl",
    "MadeControl",
    "NudgeControl",
    "ReadControl",
    "RockerControl",
    "SelectorControl",
    "SliderControl",
]

ReadControl = AxisControl | SliderControl | ButtonControl | KeyControl
"""Controls with readings of their own."""

MadeControl = RockerControl | NudgeControl | SelectorControl
"""Controls made of buttons or keys."""

AnyControl = ReadControl | MadeControl
Control = Annotated[AnyControl, Field(discriminator="kind")]
