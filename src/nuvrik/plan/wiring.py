"""How channels reach outputs: every way of writing a mix comes down to one kind of route.

One stick, two sticks, a pivot and weights written by hand are all a weighted sum of channels, clipped
once at the end; this module turns the link file's words into those weights.
"""

from collections.abc import Mapping
from typing import NamedTuple

from nuvrik.levels import FULL, level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import AnyOutput
from nuvrik.plan.outputs.mix import AnyMix, OneStickMix, TwoStickMix

Weights = dict[str, int]
"""Channel name -> weight as a level, -2 * FULL to 2 * FULL."""


class Route(NamedTuple):
    """How one output gets its level.

    The sum of ``weights``; where ``partner`` names an output of the other side, scaled down with its sum so
    that the larger of the two is full; where ``turn`` names a channel, slowed by it while its sign is
    ``inner``. ``switched`` says that the only channel is a flag.
    """

    weights: Weights
    partner: str | None = None
    turn: str | None = None
    inner: int = 0
    switched: bool = False

    @property
    def channels(self) -> tuple[str, ...]:
        """Every channel that has a say, in the order of the link file: never a set, whose order is another in
        every run, and with it would be the fault that a seed stands for."""
        weighed = [name for name, weight in self.weights.items() if weight]
        named = weighed + ([self.turn] if self.turn else [])
        return tuple(dict.fromkeys(named))


NOWHERE = Route({})


def side_routes(mix: AnyMix) -> dict[str, Route]:
    """The routes that a ``[mix]`` section gives the outputs it names."""
    if isinstance(mix, OneStickMix):
        turn = level_of(mix.turn_weight)
        left, right = {mix.throttle: FULL, mix.turn: turn}, {mix.throttle: FULL, mix.turn: -turn}
        scaled = mix.overflow == "scale"
        routes = (
            Route(left, mix.right[0] if scaled else None),
            Route(right, mix.left[0] if scaled else None),
        )
    elif isinstance(mix, TwoStickMix):
        routes = Route({mix.left_throttle: FULL}), Route({mix.right_throttle: FULL})
    else:
        both = {mix.throttle: FULL}
        routes = Route(both, turn=mix.turn, inner=-1), Route(both, turn=mix.turn, inner=1)
    return dict.fromkeys(mix.left, routes[0]) | dict.fromkeys(mix.right, routes[1])


def place_channels(link: Link) -> frozenset[str]:
    """The channels that say where something is to be, and move nothing that turns."""
    uses = moving_channels(link, output_routes(link))
    return frozenset(channel for channel, use in uses.items() if not use.turns)


def routes_of(outputs: Mapping[str, AnyOutput | None], mix: AnyMix | None) -> dict[str, Route]:
    """Output name -> its route; NOWHERE where no channel moves it. An output with problems of its own (None)
    has none."""
    sides = side_routes(mix) if mix else {}
    routes = {}
    for name, output in outputs.items():
        if output is not None and output.switched_by is not None:
            routes[name] = Route({output.switched_by: FULL}, switched=True)
        elif weights := getattr(output, "mix", None):
            routes[name] = Route({channel: level_of(weight) for channel, weight in weights.items()})
        elif output is not None:
            routes[name] = sides.get(name, NOWHERE)
    return routes


def output_routes(link: Link) -> dict[str, Route]:
    """Output name -> its route, for a whole link."""
    return routes_of(link.outputs, link.mix)


def turning_channels(outputs: Mapping[str, AnyOutput | None], mix: AnyMix | None) -> dict[str, str]:
    """The channels that make something turn: name -> the first output that they turn."""
    turned: dict[str, str] = {}
    for name, route in routes_of(outputs, mix).items():
        output = outputs[name]
        if output is not None and output.turns:
            turned |= {channel: name for channel in sorted(route.channels) if channel not in turned}
    return turned


def staying_channels(link: Link) -> frozenset[str]:
    """The channels that stay where they are while they have no reading: places, and choices."""
    choices = (name for name, channel in link.channels.items() if channel.kind == "choice")
    return place_channels(link) | frozenset(choices)


def turning_controls(link: Link) -> frozenset[str]:
    """The controls that have a say in what turns."""
    turned = turning_channels(link.outputs, link.mix)
    return frozenset(name for channel in turned for name in link.channels[channel].sources.values())


def waiting_controls(link: Link) -> frozenset[str]:
    """Nudges, selectors and toggles that say where places are to be, and are used for nothing else: they say
    it only once they have been pressed."""
    stand = place_channels(link)
    tells: set[str] = set()
    used: set[str | None] = {link.arm_control, link.failsafe.stop}
    for name, channel in link.channels.items():
        for key, control in channel.sources.items():
            says = key.partition(".")[0] in ("from", "weights")
            if says and name in stand:
                tells.add(control)
            else:
                used.add(control)
    for model in link.controls.values():
        parts = [getattr(model, key, None) for key in ("plus", "minus", "up", "down", "back", "off_by")]
        used |= {*parts, *getattr(model, "buttons", ())}
    used |= {request.when for request in link.requests.values()}
    return frozenset(
        name
        for name in tells - used
        if link.controls[name].kind in ("nudge", "selector") or getattr(link.controls[name], "toggle", False)
    )


class Use(NamedTuple):
    """What a level or a share is used for at the machine: whether an output that ``turns`` follows it, and
    whether it is ``required``: without a reading of it, a command is no drive frame."""

    turns: bool
    required: bool


def moving_channels(link: Link, routes: Mapping[str, Route]) -> dict[str, Use]:
    """The channels that move something that turns, or that stands in a place.
    What turns must have been at rest before anything may start, and needs a reading to go on; a place stays
    while it has none."""
    turned = turning_channels(link.outputs, link.mix)
    return {
        channel: Use(channel in turned, channel in turned and not link.channels[channel].optional)
        for name, output in link.outputs.items()
        if output.moves
        for channel in routes[name].channels
    }


def needed_channels(link: Link, routes: Mapping[str, Route]) -> list[str]:
    """The channels that must have a reading for anything to turn, and have been at rest before it may."""
    return [channel for channel, use in moving_channels(link, routes).items() if use.required]
