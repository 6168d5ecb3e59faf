"""A handset's part of a link as one table: its controls, where channels come from, arm and stop."""

from collections.abc import Mapping

from nuvrik.core.hand.arming import ArmingTable
from nuvrik.core.hand.hands import ControlTable, HandsTable
from nuvrik.core.hand.handset import LEFT_ALONE, LEFT_AS_SENT, LEFT_AT_REST, LEFT_UNREAD, HandsetTable
from nuvrik.core.hand.sources import (
    FROM_ALL,
    FROM_CHOICE,
    FROM_FIRST_MOVED,
    FROM_FIRST_READY,
    FROM_FLAG,
    FROM_NOTHING,
    FROM_ONE,
    FROM_PRESSES,
    FROM_TWO,
    FROM_WEIGHTS,
    Origin,
    SourcesTable,
    SourceTable,
)
from nuvrik.core.levels import FULL, NOBODY
from nuvrik.core.widths import Table
from nuvrik.levels import level_of
from nuvrik.plan.controls import AnyControl
from nuvrik.plan.form.channels import (
    AnyChannel,
    ChoiceChannel,
    CountChannel,
    FlagChannel,
    LevelChannel,
    ShareChannel,
)
from nuvrik.plan.form.models import Link
from nuvrik.plan.per_link import per_link
from nuvrik.plan.tables.made import made
from nuvrik.plan.wiring import (
    output_routes,
    place_channels,
    staying_channels,
    turning_channels,
    turning_controls,
    waiting_controls,
)

SEVERAL = {"priority": FROM_FIRST_READY, "first": FROM_FIRST_MOVED, "sum": FROM_ALL}


@per_link
def handset_table(link: Link) -> HandsetTable:
    """All that a handset needs to know of its link."""
    places = {name: at for at, name in enumerate(link.controls)}
    names, rules = list(link.channels), link.failsafe
    return made(
        HandsetTable,
        hands=hands_table(link.controls, places, waiting_controls(link), turning_controls(link)),
        sources=sources_table(link, places),
        arming=made(ArmingTable, timeout_ms=rules.timeout_ms, stop_ms=rules.timeout_ms + link.period_ms),
        arm=names.index(link.arm_channel) if link.arm_channel else NOBODY,
        arm_control=places[link.arm_control] if link.arm_control else NOBODY,
        stop=places[rules.stop] if rules.stop else NOBODY,
        left=left_at(link),
        period_ms=link.period_ms,
        guard_ms=rules.delay_guard_ms or 0,
        asks=link.frame.carries_questions,
    )


def left_at(link: Link) -> list[int]:
    """What each channel is left at."""
    stays, turned = staying_channels(link), turning_channels(link.outputs, link.mix)
    standing = {
        channel
        for name, route in output_routes(link).items()
        if link.outputs[name].stands
        for channel in route.channels
    }
    both = standing & turned.keys() if link.frame.says_no_reading else set()
    kinds = []
    for name, channel in link.channels.items():
        if name in stays:
            kinds.append(LEFT_ALONE)
        elif channel.kind == "count":
            kinds.append(LEFT_AS_SENT)
        else:
            kinds.append(LEFT_UNREAD if name in both else LEFT_AT_REST)
    return kinds


def hands_table(
    given: Mapping[str, AnyControl],
    places: dict[str, int],
    wait: frozenset[str] = frozenset(),
    turn: frozenset[str] = frozenset(),
) -> HandsTable:
    """The controls, in the order of their places: those that ``wait`` to be pressed before they say where a
    place is to be, those that have a say in what ``turn``."""
    rows: dict[str, list[Table]] = {
        "moved": [],
        "buttons": [],
        "keys": [],
        "rockers": [],
        "nudges": [],
        "selectors": [],
    }
    controls, seen = [], 0
    for name in places:
        model = given[name]
        off_by = getattr(model, "off_by", None)
        stale_ms = getattr(model, "released_after_ms", getattr(model, "stale_ms", 0))
        seen += bool(off_by) + model.looks_at
        alike = rows[model.rows]
        controls.append(
            made(
                ControlTable,
                kind=model.core_kind,
                at=len(alike),
                stale_ms=stale_ms,
                off_by=places[off_by] if off_by else NOBODY,
            )
        )
        alike.append(model.table(places, waits=name in wait, turns=name in turn))
    return made(HandsTable, controls=controls, **rows, seen=[0] * seen)


def sources_table(link: Link, places: dict[str, int]) -> SourcesTable:
    """Where channels come from."""
    band, stand = level_of(link.failsafe.rest_band), place_channels(link)
    sources, ready = [], 0
    for name, channel in link.channels.items():
        sources.append(source_table(channel, places, ready, band, place=name in stand))
        if FROM_FIRST_READY <= sources[-1].takes <= FROM_ALL:
            ready += len(sources[-1].origins)
    return made(SourcesTable, sources=sources, ready=[0] * ready)


def source_table(
    channel: AnyChannel, places: dict[str, int], first: int, band: int, *, place: bool
) -> SourceTable:
    """Where one channel's value comes from. ``first`` is the place of its first ready bit, ``band`` how far
    from zero is still at rest; ``place`` says that it moves nothing that turns."""
    takes, weights = _takes(channel)
    above = getattr(channel, "above", None)
    scaled = channel if isinstance(channel, LevelChannel | ShareChannel) else None
    uses = {key: getattr(scaled, key, None) for key in ("multiplied_by", "slow_when", "preset_when")}
    return made(
        SourceTable,
        takes=takes,
        origins=[made(Origin, control=places[name], weight=weight) for name, weight in weights],
        first=first,
        place=place,
        band=band,
        rest=0 if place else band,
        **{key: places[name] if name else NOBODY for key, name in uses.items()},
        slow_to=level_of(scaled.slow_to) if scaled else 0,
        preset=level_of(scaled.preset) if scaled else 0,
        bare=isinstance(channel, LevelChannel) and not any(uses.values()),
        low=-FULL if channel.kind == "level" else 0,
        when_on=level_of(scaled.when_on or 0.0) if scaled else 0,
        when_off=level_of(scaled.when_off) if scaled else 0,
        on_from=1 if above is None else level_of(above),
        off_below=1 if above is None else level_of(above - channel.hysteresis),  # type: ignore[union-attr]
    )


def _takes(channel: AnyChannel) -> tuple[int, list[tuple[str, int]]]:
    """What a channel is made of: the rule, and its controls with their weights."""
    if isinstance(channel, LevelChannel | ShareChannel):
        if channel.weights:
            return FROM_WEIGHTS, [(name, level_of(weight)) for name, weight in channel.weights.items()]
        one = [(name, FULL) for name in channel.origins]
        if len(one) > 1:
            return SEVERAL[channel.rule], one
        if channel.when_on is not None:
            return FROM_TWO, one
        return (FROM_ONE if one else FROM_NOTHING), one
    kinds = {FlagChannel: FROM_FLAG, ChoiceChannel: FROM_CHOICE, CountChannel: FROM_PRESSES}
    source = channel.source
    return kinds[type(channel)], [(source, FULL)] if source else []
