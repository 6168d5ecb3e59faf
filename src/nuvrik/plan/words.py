"""A link file in plain words: what each control does, what each output follows and keeps to."""

from nuvrik.levels import FULL
from nuvrik.plan.controls import (
    ButtonControl,
    KeyControl,
    NudgeControl,
    SelectorControl,
    SliderControl,
)
from nuvrik.plan.form.channels import FlagChannel, LevelChannel, ShareChannel
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import Argument
from nuvrik.plan.wiring import Route, output_routes


def stop_words(link: Link) -> list[str]:
    """What the stop is, and what a stop keeps and forgets."""
    stop = link.controls.get(link.failsafe.stop or "")
    if stop is None:
        return []
    words = []
    if isinstance(stop, ButtonControl):
        pressed = stop.on
        words.append(f"{link.failsafe.stop} stops: pressed is a reading of {pressed}, and no reading at all.")
        if stop.pin is not None:
            words.append(
                "Its contact opens when pressed: a broken wire stops; one shorted to ground is not noticed."
                if stop.active == "high"
                else "Its contact closes when pressed: a broken wire will not be noticed."
            )
    else:
        words.append(f"{link.failsafe.stop} stops while it arrives.")
    toggles = [
        n
        for n, c in link.controls.items()
        if isinstance(c, ButtonControl | KeyControl) and c.toggle and n == _arms(link)
    ]
    kept = [
        n for n, c in link.controls.items() if isinstance(c, SliderControl | NudgeControl | SelectorControl)
    ]
    if toggles:
        words.append(f"A stop switches {toggles[0]} off.")
    if kept:
        words.append(f"A stop leaves where they are: {', '.join(kept)}.")
    return words


def _arms(link: Link) -> str | None:
    return link.arm_control


def uses_of(link: Link, name: str) -> list[str]:
    """What a control is used for: channels, other controls, the stop."""
    uses = [channel for channel, model in link.channels.items() if name in model.sources.values()]
    uses += [made for made, model in link.controls.items() if name in model.parts.values()]
    uses += [f"the request {asked}" for asked, request in link.requests.items() if request.when == name]
    return uses + (["the stop"] if name == link.failsafe.stop else [])


def channel_words(link: Link, name: str) -> str:
    """Where a channel comes from, in a line."""
    channel = link.channels[name]
    if not isinstance(channel, LevelChannel | ShareChannel):
        words = channel.source or "a program"
        if isinstance(channel, FlagChannel) and channel.above is not None:
            words += f" from {channel.above:g} up"
        return words
    origins = {"priority": " or else ", "first": " or, whoever moves first, ", "sum": " + "}[channel.rule]
    words = origins.join(channel.origins) or "a program"
    if channel.weights:
        words = " ".join(f"{weight:+g} {control}" for control, weight in channel.weights.items())
    if channel.when_on is not None:
        words += f" ({channel.when_on:+g} while on, {channel.when_off:+g} while off)"
    if channel.range is not None:
        words += f", {channel.range[0]:g} to {channel.range[1]:g} {channel.unit or ''}".rstrip()
    words += f" x {channel.multiplied_by}" if channel.multiplied_by else ""
    words += f", x {channel.slow_to:g} while {channel.slow_when} is on" if channel.slow_when else ""
    return words + (f", {channel.preset:g} while {channel.preset_when} is on" if channel.preset_when else "")


def route_words(route: Route) -> str:
    """What an output follows, in a line."""
    if route.switched:
        return next(iter(route.weights))
    words = " ".join(f"{weight / FULL:+.2g} {channel}" for channel, weight in route.weights.items())
    words += f", slowed by {'+' if route.inner > 0 else '-'}{route.turn}" if route.turn else ""
    return words + (", scaled with the other side" if route.partner else "") or "nothing"


def effects(link: Link, name: str) -> list[str]:
    """What a control does, in a few words each."""
    routes, said = output_routes(link), []
    for channel, model in link.channels.items():
        keys = [key for key, source in model.sources.items() if source == name]
        if not keys:
            continue
        moved = [output for output, route in routes.items() if channel in route.channels]
        what = ", ".join(moved) or channel
        if channel == link.arm_channel:
            said.append("arms the machine")
        elif keys[0] == "slow_when":
            said.append(f"on: {channel} slowed to {100 * model.slow_to:.0f} %")  # type: ignore[union-attr]
        elif keys[0] == "preset_when":
            said.append(f"on: {channel} at {100 * model.preset:.0f} %")  # type: ignore[union-attr]
        elif keys[0] == "multiplied_by":
            said.append(f"how strongly {channel} counts")
        else:
            said.append(f"{channel}: {what}" if what != channel else channel)
    said += [f"asks for {asked}" for asked, request in link.requests.items() if request.when == name]
    said += [f"switches {n} off" for n, c in link.controls.items() if getattr(c, "off_by", None) == name]
    return said + (["STOPS EVERYTHING"] if name == link.failsafe.stop else [])


def argument_words(argument: Argument) -> str:
    """What an argument of a request may be."""
    if argument.options is not None:
        return "|".join(argument.options)
    if argument.bytes is not None:
        return f"a text of up to {argument.bytes} bytes"
    low, high = argument.limits
    return "on or off" if argument.kind == "flag" else f"a whole number, {low} to {high}"
