"""``[frame]``: in what shape frames travel. Two styles with every protection, and four for boards and radio
gear that already speak something of their own.

What a style cannot give must be accepted by name in ``accept``, so that nobody gives it up unawares.
"""

from typing import Annotated

from pydantic import Field

from nuvrik.plan.form.frame_actions import KeysFrame, TrainFrame
from nuvrik.plan.form.frame_headed import PackedFrame, SlipFrame
from nuvrik.plan.form.frame_texts import ColumnsFrame, LineFrame

AnyFrame = PackedFrame | SlipFrame | LineFrame | ColumnsFrame | KeysFrame | TrainFrame
Frame = Annotated[AnyFrame, Field(discriminator="style")]
Text = LineFrame | ColumnsFrame
