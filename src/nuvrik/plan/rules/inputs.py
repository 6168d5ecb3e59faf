"""Rules about the machine's own inputs: each names an item of telemetry of the right kind."""

from collections.abc import Iterator

from nuvrik.plan.problems import Problem
from nuvrik.plan.rules.draft import Draft, unknown
from nuvrik.plan.telemetry import AnalogItem, DigitalItem, DistanceItem, VoltsItem


def switches(draft: Draft) -> Iterator[Problem]:
    """A stop switch and end switches are digital."""
    named = {"failsafe.stop_switch": draft.failsafe.stop_switch if draft.failsafe else None}
    for output, model in draft.outputs.items():
        for key in ("end_forward", "end_backward"):
            named[f"outputs.{output}.{key}"] = getattr(model, key, None)
    for where, name in named.items():
        yield from _named(draft, where, name, (DigitalItem,), "digital")


def scales(draft: Draft) -> Iterator[Problem]:
    """A dial and a battery stand somewhere in a range."""
    for output, model in draft.outputs.items():
        where, kinds = f"outputs.{output}.dial", (AnalogItem, VoltsItem, DistanceItem)
        yield from _named(draft, where, getattr(model, "dial", None), kinds, "analog")
    battery = draft.failsafe.low_battery if draft.failsafe else None
    if battery is None:
        return
    where = "failsafe.low_battery"
    yield from _named(draft, f"{where}.of", battery.of, (VoltsItem, AnalogItem), "volts")
    item = draft.telemetry.get(battery.of)
    if isinstance(item, VoltsItem | AnalogItem) and not min(item.range) < battery.below < max(item.range):
        what = f"is {battery.below:g}, but {battery.of} reads {item.range[0]:g} to {item.range[1]:g}"
        yield Problem("error", f"{where}.below", what, "give a number within its range")


def _named(
    draft: Draft, where: str, name: str | None, kinds: tuple[type, ...], kind: str
) -> Iterator[Problem]:
    if name is None:
        return
    if name not in draft.telemetry:
        yield unknown(where, name, "telemetry", draft.telemetry)
        return
    item = draft.telemetry[name]
    if item is not None and not isinstance(item, kinds):
        what = f"names {name}, which is of kind {item.kind}"
        yield Problem("error", where, what, f'name an item of kind "{kind}"')
