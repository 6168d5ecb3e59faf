"""How channels reach outputs: every way of writing a mix comes down to weights.

One mechanism serves one stick, two sticks and weights written by hand: a demand is the clipped sum
of ``weight * channel``. This module turns the link file's words into those weights.
"""

from collections.abc import Mapping

from nuvrik.levels import FULL, level_of
from nuvrik.plan.models import Link, MotorOutput, OneStickMix, TwoStickMix

Weights = dict[str, int]
"""Channel name -> weight as a level, -2 * FULL to 2 * FULL."""


def mix_weights(mix: OneStickMix | TwoStickMix) -> dict[str, Weights]:
    """The weights that a ``[mix]`` section gives each output it names."""
    if isinstance(mix, OneStickMix):
        turn = level_of(mix.turn_weight)
        left, right = {mix.throttle: FULL, mix.turn: turn}, {mix.throttle: FULL, mix.turn: -turn}
    else:
        left, right = {mix.left_throttle: FULL}, {mix.right_throttle: FULL}
    return dict.fromkeys(mix.left, left) | dict.fromkeys(mix.right, right)


def output_weights(link: Link) -> dict[str, Weights]:
    """Output name -> weights of the channels that move it; empty where nothing does."""
    sides = mix_weights(link.mix) if link.mix else {}
    return {name: _own_weights(output) or sides.get(name, {}) for name, output in link.outputs.items()}


def motion_channels(weights: Mapping[str, Weights]) -> set[str]:
    """The channels that feed at least one motion output."""
    return {channel for row in weights.values() for channel, weight in row.items() if weight}


def _own_weights(output: MotorOutput) -> Weights:
    return {channel: level_of(weight) for channel, weight in (output.mix or {}).items()}
