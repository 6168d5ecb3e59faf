"""What a page moves, as whole numbers between two ends."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.levels import FULL
from nuvrik.plan.form.channels import ChoiceChannel, FlagChannel, LevelChannel, ShareChannel
from nuvrik.plan.form.controls import AxisControl, ButtonControl, KeyControl, SliderControl
from nuvrik.plan.form.models import Link


class PageControl(NamedTuple):
    """One thing that a page may move. ``kind`` is a control's, or ``value``, ``flag``, ``choice`` or
    ``count`` for a channel that no control feeds, which the page then sets itself. Its readings are from
    ``low`` to ``high``, which may be the smaller; ``rest`` is where it stands when nobody touches it."""

    name: str
    kind: str
    low: int
    rest: int
    high: int

    def takes(self, reading: int) -> bool:
        """Whether it can stand there."""
        return min(self.low, self.high) <= reading <= max(self.low, self.high)

    @property
    def sets_channel(self) -> bool:
        """Whether it stands for a channel, not for a control."""
        return self.kind in ("value", "flag", "choice", "count")


def page_controls(link: Link) -> Iterator[PageControl]:
    """All that a page may move on a link, but its stop, of which every page has one of its own."""
    for name, control in link.controls.items():
        if name == link.failsafe.stop:
            continue
        if isinstance(control, AxisControl | SliderControl):
            low, rest, high = control.points
            yield PageControl(name, control.kind, low, rest, high)
        elif isinstance(control, ButtonControl):
            yield PageControl(name, "button", control.off, control.off, control.on)
        elif isinstance(control, KeyControl):
            yield PageControl(name, "key", 0, 0, 1)
    for name, channel in link.channels.items():
        if channel.sources:
            continue
        if isinstance(channel, LevelChannel):
            yield PageControl(name, "value", -FULL, 0, FULL)
        elif isinstance(channel, ShareChannel):
            yield PageControl(name, "value", 0, 0, FULL)
        else:
            kind = "flag" if isinstance(channel, FlagChannel) else channel.kind
            most = len(channel.options) - 1 if isinstance(channel, ChoiceChannel) else channel.most
            yield PageControl(name, kind, 0, 0, most)
