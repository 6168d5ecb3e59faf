"""Rules about what moves: starts, holds, and what happens to a load."""

from collections.abc import Iterator

from nuvrik.plan.form.channels import LevelChannel, ShareChannel
from nuvrik.plan.form.controls import AxisControl, SliderControl
from nuvrik.plan.form.outputs import MotorOutput, ServoOutput
from nuvrik.plan.problems import Problem
from nuvrik.plan.rules.draft import Draft
from nuvrik.plan.wiring import NOWHERE, routes_of, turning_channels


def _fed_by(draft: Draft, output: str) -> list[str]:
    """The controls that move an output."""
    route = routes_of(draft.outputs, draft.mix).get(output, NOWHERE)
    found = (draft.channels.get(name) for name in route.channels)
    return [source for channel in found if channel for source in channel.sources.values()]


def start_duties(draft: Draft) -> Iterator[Problem]:
    """A start duty behind a stick without a dead zone comes on and off with every tremble of the hand."""
    said: set[str] = set()
    for name, output in draft.outputs.items():
        if not isinstance(output, MotorOutput) or not output.start_duty:
            continue
        for source in _fed_by(draft, name):
            control = draft.controls.get(source)
            loose = isinstance(control, AxisControl | SliderControl) and not control.zone
            if loose and source not in said:
                said.add(source)
                what = f"is 0, and {name} starts with {output.start_duty:.0%} of its duty at once"
                yield Problem(
                    "note", f"controls.{source}.dead_zone", what, "give it one: nuvrik calibrate finds it"
                )


def untuned(draft: Draft) -> Iterator[Problem]:
    """What every motor of two directions has, and a file may have left at nothing."""
    for name, output in draft.outputs.items():
        if not isinstance(output, MotorOutput) or output.driver == "servo_pulse":
            continue
        if not output.start_duty:
            what = "is 0: below the duty at which it starts it only buzzes, and gets warm"
            do = f"find it: nuvrik jog LINK {name} --find-start --port PORT"
            yield Problem("note", f"outputs.{name}.start_duty", what, do)
        if not output.reverse_pause_ms and _both_ways(draft, name):
            what = "is 0: it is driven the other way while it still turns, which its driver and gears feel"
            yield Problem("note", f"outputs.{name}.reverse_pause_ms", what, "give it 100 or so")


def _both_ways(draft: Draft, output: str) -> bool:
    """Whether an output can be asked to turn either way."""
    route = routes_of(draft.outputs, draft.mix).get(output, NOWHERE)
    return any(isinstance(draft.channels.get(name), LevelChannel) for name in route.channels)


def half_ways(draft: Draft) -> Iterator[Problem]:
    """A slider goes from none to full: a servo that it moves goes from its centre to one end."""
    for name, output in draft.outputs.items():
        if not isinstance(output, ServoOutput):
            continue
        sources = _fed_by(draft, name)
        if sources and all(isinstance(draft.controls.get(source), SliderControl) for source in sources):
            what = f"moves {name} from its centre to one end only, because a slider goes from none to full"
            do = "make it an axis with three readings, raw = [low, middle, high], for the whole of its travel"
            yield Problem("note", f"controls.{sources[0]}.kind", what, do)


def sides(draft: Draft) -> Iterator[Problem]:
    """Two motors on one side with unlike starts: the one pushes while the other still stands."""
    for side in ("left", "right"):
        names = getattr(draft.mix, side, ())
        motors = {n: o for n in names if isinstance(o := draft.outputs.get(n), MotorOutput)}
        if len({motor.start_duty for motor in motors.values()}) > 1:
            listed = ", ".join(f"{n} {motor.start_duty:g}" for n, motor in motors.items())
            what = f"has motors with unlike start_duty: {listed}"
            yield Problem("note", f"mix.{side}", what, "nothing, if they were measured so")


def loads(draft: Draft) -> Iterator[Problem]:
    """What becomes of a load that is held, and of one that is moved at once."""
    for name, output in draft.outputs.items():
        where = f"outputs.{name}"
        if isinstance(output, MotorOutput) and output.hold_duty:
            if not output.hold_ms:
                what = "is 0: it holds as long as it is armed, and the motor gets warm"
                yield Problem("note", f"{where}.hold_ms", what, "look how warm it gets, or give it a limit")
            if output.on_loss != "brake" and output.idle != "brake":
                what = "lets its load go when frames stop, and when it is disarmed"
                do = 'idle = "brake" and on_loss = "brake" slow the fall; a gear that locks prevents it'
                yield Problem("note", f"{where}.hold_duty", what, do)
        if isinstance(output, ServoOutput) and not output.ramp_ms:
            what = "is not given: it jumps to every place that it is told"
            yield Problem("note", f"{where}.ramp_ms", what, "give it the time it may take from centre to end")


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
