"""Which controls a hand can move what with, and how it holds one: for faults that are about hands."""

from nuvrik.levels import place_at
from nuvrik.plan.controls import AxisControl, SliderControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import needed_channels, output_routes
from nuvrik.recordings.recording import Row
from nuvrik.rehearsal.world import World


def moving_controls(link: Link) -> list[str]:
    """The controls with readings of their own that make something turn."""
    names: list[str] = []
    for channel in needed_channels(link, output_routes(link)):
        for source in link.channels[channel].sources.values():
            parts = link.controls[source].parts.values()
            names += parts or [source]
    return [n for n in dict.fromkeys(names) if isinstance(link.controls[n], AxisControl | SliderControl)]


def sticks(link: Link) -> list[str]:
    """Those that make something turn by themselves, without an accelerator squeezed as well."""
    squeezed = {
        source
        for channel in link.channels.values()
        if getattr(channel, "multiplied_by", None)
        for source in channel.sources.values()
    }
    moving = moving_controls(link)
    return [n for n in moving if isinstance(link.controls[n], AxisControl) and n not in squeezed]


def reading_at(link: Link, name: str, share: float) -> int:
    """The reading of a stick or a slider at -1 to 1 of its travel."""
    control = link.controls[name]
    assert isinstance(control, AxisControl | SliderControl)
    return round(place_at(control.points, share))


def held(world: World, name: str, reading: int) -> None:
    """Let a hand hold one control at a reading from now on."""

    def alter(row: Row) -> Row:
        return {**row, name: reading}

    world.hands = alter
