"""A machine's own inputs as a table."""

from nuvrik.core.levels import FULL, NOBODY, clamp, div
from nuvrik.core.machine.inputs import InputsTable
from nuvrik.core.machine.outputs import LimitsTable
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import AnyOutput
from nuvrik.plan.tables.made import made
from nuvrik.plan.telemetry import AnalogItem, DistanceItem, VoltsItem

ABOVE = FULL // 20
"""A battery counts as charged again a twentieth of its range above where it was too low: what it gains as
soon as nothing is asked of it is no charge."""

SCALED = VoltsItem | AnalogItem | DistanceItem
"""The items that have a place within a range."""


def inputs_table(link: Link) -> InputsTable:
    """What a machine looks at before each turn."""
    places = {name: place for place, name in enumerate(link.telemetry)}

    def place(name: str | None) -> int:
        return NOBODY if name is None else places[name]

    battery, stop = link.failsafe.low_battery, link.failsafe.stop_switch
    low = _share(link, battery.of, battery.below) if battery else 0
    return made(
        InputsTable,
        used=bool(limits_of(link)) or stop is not None,
        stop=place(stop),
        battery=place(battery.of) if battery else NOBODY,
        battery_low=low,
        battery_high=min(low + ABOVE, FULL),
        battery_ms=battery.for_ms if battery else 0,
        battery_to=level_of(battery.to) if battery else 0,
    )


def limits_of(link: Link) -> list[LimitsTable]:
    """What limits each output; nothing where nothing limits any."""
    places = {name: place for place, name in enumerate(link.telemetry)}

    def limits(model: AnyOutput) -> LimitsTable:
        named = [getattr(model, key, None) for key in LimitsTable.__annotations__]
        found = [NOBODY if name is None else places[name] for name in named]
        return made(LimitsTable, **dict(zip(LimitsTable.__annotations__, found, strict=True)))

    each = [limits(model) for model in link.outputs.values()]
    limited = any(set(vars(one).values()) != {NOBODY} for one in each)
    return each if limited or link.failsafe.low_battery is not None else []


def _share(link: Link, name: str, number: float) -> int:
    """A number in the units of an item as a share of its range."""
    item = link.telemetry[name]
    assert isinstance(item, SCALED)
    low, high = item.range
    return clamp(div(round((number - low) * 1000 * FULL), round((high - low) * 1000)), 0, FULL)
