"""What a page moves, as whole numbers between two ends."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.levels import FULL
from nuvrik.plan.controls import AxisControl, ButtonControl, KeyControl, SliderControl
from nuvrik.plan.form.channels import ChoiceChannel, FlagChannel, LevelChannel, ShareChannel
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import place_channels, staying_channels, waiting_controls


class PageControl(NamedTuple):
    """One thing that a page may move. ``kind`` is a control's, or ``value``, ``flag``, ``choice`` or
    ``count`` for a channel that no control feeds, which the page then sets itself. Its readings are from
    ``low`` to ``high``, which may be the smaller; ``rest`` is where it stands when nobody touches it.
    ``alone`` says that it says where something is to be, or chooses, and nothing else: it has no reading
    until it is touched."""

    name: str
    kind: str
    low: int
    rest: int
    high: int
    alone: bool = False

    def takes(self, reading: int) -> bool:
        """Whether it can stand there."""
        return min(self.low, self.high) <= reading <= max(self.low, self.high)

    @property
    def sets_channel(self) -> bool:
        """Whether it stands for a channel, not for a control."""
        return self.kind in ("value", "flag", "choice", "count")


def page_controls(link: Link) -> Iterator[PageControl]:
    """All that a page may move on a link, but its stop, of which every page has one of its own."""
    alone, stay = _alone(link), staying_channels(link)
    for name, control in link.controls.items():
        if name == link.failsafe.stop:
            continue
        if isinstance(control, AxisControl | SliderControl):
            low, rest, high = control.points
            yield PageControl(name, control.kind, low, rest, high, name in alone)
        elif isinstance(control, ButtonControl):
            yield PageControl(name, "button", control.off, control.off, control.on, name in alone)
        elif isinstance(control, KeyControl):
            yield PageControl(name, "key", 0, 0, 1)
    for name, channel in link.channels.items():
        if channel.sources:
            continue
        if isinstance(channel, LevelChannel):
            yield PageControl(name, "value", -FULL, 0, FULL, name in stay)
        elif isinstance(channel, ShareChannel):
            yield PageControl(name, "value", 0, 0, FULL, name in stay)
        else:
            kind = "flag" if isinstance(channel, FlagChannel) else channel.kind
            most = len(channel.options) - 1 if isinstance(channel, ChoiceChannel) else channel.most
            yield PageControl(name, kind, 0, 0, most, name in stay)


def _alone(link: Link) -> set[str]:
    """The controls that say where places are to be, and nothing else. A toggle, and a part of another
    control, waits to be pressed by itself: it is read from the start, or its first press would not be seen as
    one."""
    stand = place_channels(link)
    says: set[str] = set()
    more: set[str] = set(waiting_controls(link))
    for name, channel in link.channels.items():
        for key, control in channel.sources.items():
            (says if key.partition(".")[0] in ("from", "weights") and name in stand else more).add(control)
    for made in link.controls.values():
        more |= set(made.parts.values())
    return says - more
