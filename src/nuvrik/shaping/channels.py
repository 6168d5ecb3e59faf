"""The values that travel, built from the levels of controls."""

from nuvrik.levels import FULL, clamp, mul
from nuvrik.plan.models import Channel, LevelChannel, ShareChannel
from nuvrik.shaping.controls import Control


class ChannelSource:
    """Where one channel's value comes from: a control, or the product of two.

    A level or a share without a reading is None, which travels as *no reading*; a flag without one
    is 0, because a stale flag is sent off.
    """

    def __init__(self, model: Channel, controls: dict[str, Control]) -> None:
        self._first = controls[model.source] if model.source else None
        times = model.times if isinstance(model, LevelChannel | ShareChannel) else None
        self._second = controls[times] if times else None
        self._low = -FULL if model.kind == "level" else 0
        self._scaled = model.kind in ("level", "share")

    def value(self) -> int | None:
        """The channel's value now."""
        value = self._first.value if self._first else None
        if not self._scaled:
            return 1 if value else 0
        if value is None:
            return None
        if self._second is not None:
            if self._second.value is None:
                return None
            value = mul(value, self._second.value)
        return clamp(value, self._low, FULL)
