"""Rules about what moves: starts, holds, and what happens to a load."""

from collections.abc import Iterator

from nuvrik.plan.form.channels import LevelChannel, ShareChannel
from nuvrik.plan.outputs import MotorOutput
from nuvrik.plan.outputs.base import Fed
from nuvrik.plan.problems import Problem
from nuvrik.plan.rules.draft import Draft
from nuvrik.plan.wiring import NOWHERE, routes_of, turning_channels


def _fed_by(draft: Draft, output: str) -> list[str]:
    """The controls that move an output."""
    route = routes_of(draft.outputs, draft.mix).get(output, NOWHERE)
    found = (draft.channels.get(name) for name in route.channels)
    return [source for channel in found if channel for source in channel.sources.values()]


def each_output(draft: Draft) -> Iterator[Problem]:
    """What each kind of output has to say of itself. What two motors say of one stick is said once."""
    said: set[str] = set()
    for name, output in draft.outputs.items():
        if output is None:
            continue
        controls = {source: draft.controls.get(source) for source in _fed_by(draft, name)}
        fed = Fed(controls, _both_ways(draft, name))
        for note in output.notes(name, fed):
            if note.where not in said:
                said.add(note.where)
                yield note


def _both_ways(draft: Draft, output: str) -> bool:
    """Whether an output can be asked to turn either way."""
    route = routes_of(draft.outputs, draft.mix).get(output, NOWHERE)
    return any(isinstance(draft.channels.get(name), LevelChannel) for name in route.channels)


def sides(draft: Draft) -> Iterator[Problem]:
    """Two motors on one side with unlike starts: the one pushes while the other still stands."""
    for side in ("left", "right"):
        names = getattr(draft.mix, side, ())
        motors = {n: o for n in names if isinstance(o := draft.outputs.get(n), MotorOutput)}
        if len({motor.start_duty for motor in motors.values()}) > 1:
            listed = ", ".join(f"{n} {motor.start_duty:g}" for n, motor in motors.items())
            what = f"has motors with unlike start_duty: {listed}"
            yield Problem("note", f"mix.{side}", what, "nothing, if they were measured so")


def presets(draft: Draft) -> Iterator[Problem]:
    """A preset replaces a value; without one it never arms, because the channel has no reading."""
    for name, channel in draft.channels.items():
        if not isinstance(channel, LevelChannel | ShareChannel) or channel.origins or channel.weights:
            continue
        for key in ("preset_when", "slow_when", "multiplied_by"):
            if getattr(channel, key):
                what = "is given, but nothing feeds the channel, so it never has a reading"
                yield Problem("error", f"channels.{name}.{key}", what, "add from = CONTROL")


def never_at_rest(draft: Draft) -> Iterator[Problem]:
    """A button that stands for two values, none of them rest, lets what it turns never arm."""
    turning = turning_channels(draft.outputs, draft.mix)
    band = draft.failsafe.rest_band if draft.failsafe else 0.0
    for name, channel in draft.channels.items():
        if not isinstance(channel, LevelChannel | ShareChannel) or channel.when_on is None:
            continue
        if name in turning and abs(channel.when_on) > band and abs(channel.when_off) > band:
            what = f"moves {turning[name]} whether on or off: it is never at rest, so nothing ever arms"
            yield Problem("error", f"channels.{name}.when_off", what, "let one of the two be 0")


def optional_turns(draft: Draft) -> Iterator[Problem]:
    """What an optional channel means for something that turns."""
    turning = turning_channels(draft.outputs, draft.mix)
    for channel, model in draft.channels.items():
        if model is not None and model.optional and channel in turning:
            what = (
                f"moves {turning[channel]}: without a reading it counts as 0, until it has been at rest again"
            )
            yield Problem("note", f"channels.{channel}.optional", what, "nothing, if that is acceptable")
