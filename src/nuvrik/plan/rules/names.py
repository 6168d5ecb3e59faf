"""Rules about names: does everything that is named exist, and can it do what it is named for?"""

from collections.abc import Iterator

from nuvrik.plan.controls import (
    AxisControl,
    ButtonControl,
    Control,
    KeyControl,
    NudgeControl,
    RockerControl,
    SelectorControl,
    SliderControl,
)
from nuvrik.plan.form.channels import (
    Channel,
    ChoiceChannel,
    CountChannel,
    FlagChannel,
    LevelChannel,
    ShareChannel,
)
from nuvrik.plan.outputs.mix import OneStickMix, PivotMix
from nuvrik.plan.problems import Problem
from nuvrik.plan.rules.draft import Draft, unknown

PRESSED = (ButtonControl, KeyControl)
GRADED = (AxisControl, SliderControl, RockerControl, NudgeControl, SelectorControl)


def made_of(draft: Draft) -> Iterator[Problem]:
    """Rockers, nudges and selectors are made of buttons and keys that exist, each used once in them."""
    for name, control in draft.controls.items():
        used: dict[str, str] = {}
        for key, part in control.parts.items() if control is not None else ():
            where = f"controls.{name}.{key}"
            if part not in draft.controls:
                yield unknown(where, part, "control", draft.controls)
                continue
            made = draft.controls[part]
            if made is not None and not isinstance(made, PRESSED):
                yield Problem(
                    "error", where, f'is "{part}", a control of kind {made.kind}', "name a button or a key"
                )
            if part in used:
                yield Problem(
                    "error", where, f'is "{part}", which {used[part]} uses too', "give each its own button"
                )
            used[part] = key


def off_keys(draft: Draft) -> Iterator[Problem]:
    """Only a toggle can be put off, and not by itself."""
    for name, control in draft.controls.items():
        if not isinstance(control, PRESSED) or control.off_by is None:
            continue
        where = f"controls.{name}.off_by"
        if not control.toggle:
            what = "is given, but it is on only while pressed"
            yield Problem("error", where, what, "take it out, or add toggle = true")
        elif control.off_by == name:
            yield Problem("error", where, "is itself", "name another button or key, or take it out")


def channel_sources(draft: Draft) -> Iterator[Problem]:
    """Each channel's controls exist and can do what they are named for."""
    for name, channel in draft.channels.items():
        if channel is None:
            continue
        for key, source in channel.sources.items():
            where = f"channels.{name}.{key}"
            if source not in draft.controls:
                yield unknown(where, source, "control", draft.controls)
                continue
            control = draft.controls[source]
            what = _misfit(channel, key, control) if control is not None else None
            if what:
                yield Problem("error", where, f'is "{source}", {what[0]}', what[1])
        if not channel.sources and draft.controls:
            yield Problem(
                "warning",
                f"channels.{name}",
                "comes from no control, so a handset never sends it a value",
                "add from = CONTROL, unless a program sets it",
            )


def _misfit(channel: Channel, key: str, control: Control) -> tuple[str, str] | None:
    """What is wrong with a control in this place, and what to do; None if nothing is."""
    of_kind = f"a control of kind {control.kind}, which cannot "
    if key in ("slow_when", "preset_when"):
        fits = isinstance(control, PRESSED)
        return None if fits else (of_kind + "switch anything", "name a button or a key")
    if isinstance(channel, LevelChannel | ShareChannel):
        if key == "from" and channel.when_on is not None:
            fits = isinstance(control, PRESSED)
            return None if fits else (of_kind + "be on or off", "name a button or a key, or take when_on out")
        if key == "from" and isinstance(control, PRESSED):
            return (
                of_kind + f"feed a {channel.kind} by itself",
                "add when_on and when_off, or name an axis, slider, rocker, nudge or selector",
            )
        if not isinstance(control, GRADED):
            return of_kind + f"feed a {channel.kind}", "name an axis, slider, rocker, nudge or selector"
        if isinstance(control, SelectorControl) and control.values is None:
            return "a selector without values", "give the selector values, one for each button"
    elif isinstance(channel, FlagChannel):
        if not isinstance(control, (*PRESSED, AxisControl, SliderControl)):
            return of_kind + "feed a flag", "name a button or a key, or an axis or a slider with above"
        if isinstance(control, PRESSED) == (channel.above is not None):
            do = "take above out" if channel.above is not None else "add above = 0.5, from where on it is on"
            return f"a control of kind {control.kind}", do
    elif isinstance(channel, ChoiceChannel):
        if not isinstance(control, SelectorControl):
            return of_kind + "feed a choice", "name a selector"
        if len(control.buttons) != len(channel.options):
            count = f"{len(control.buttons)} buttons for {len(channel.options)} options"
            return f"a selector with {count}", "give each option a button"
    elif isinstance(channel, CountChannel) and not isinstance(control, PRESSED):
        return of_kind + "feed a count", "name a button or a key: its presses are counted"
    return None


def toggles(draft: Draft) -> Iterator[Problem]:
    """A toggle travels as what it is, not as the presses that made it so: presses get out of step."""
    for name, channel in draft.channels.items():
        if not isinstance(channel, CountChannel) or not channel.source:
            continue
        control = draft.controls.get(channel.source)
        if isinstance(control, PRESSED) and control.toggle:
            what = f"counts the presses of {channel.source}, a toggle: a machine that restarts is out of step"
            yield Problem("warning", f"channels.{name}", what, "make it a flag, which says whether it is on")


def mixes(draft: Draft) -> Iterator[Problem]:
    """A mix names channels and outputs that exist, and each output is driven once."""
    driven: dict[str, str] = {}
    used: set[str] = set()
    for name, output in draft.outputs.items():
        if output is not None and output.switched_by is not None:
            driven[name] = f"outputs.{name}.follows"
            used.add(output.switched_by)
            yield from _drives(draft, driven[name], output.switched_by, switch=True)
        elif weights := getattr(output, "mix", None):
            driven[name] = f"outputs.{name}.mix"
            used |= weights.keys()
            for channel in weights:
                yield from _drives(draft, f"outputs.{name}.mix.{channel}", channel)
    if draft.mix is not None:
        one = isinstance(draft.mix, OneStickMix | PivotMix)
        for key in ("throttle", "turn") if one else ("left_throttle", "right_throttle"):
            used.add(getattr(draft.mix, key))
            yield from _drives(draft, f"mix.{key}", getattr(draft.mix, key))
        for side in ("left", "right"):
            for name in getattr(draft.mix, side):
                if name not in draft.outputs:
                    yield unknown(f"mix.{side}", name, "output", draft.outputs)
                elif getattr(draft.outputs[name], "switched_by", None):
                    what = f'names "{name}", a switch'
                    yield Problem(
                        "error", f"mix.{side}", what, "a mix drives what moves; a switch follows a flag"
                    )
                elif name in driven:
                    what = f'names "{name}", which {driven[name]} drives already'
                    yield Problem("error", f"mix.{side}", what, "let one of the two drive it")
                driven[name] = f"mix.{side}"
    if not draft.mix_is_known or None in draft.outputs.values():
        return
    for name in draft.outputs:
        if name not in driven:
            yield Problem(
                "warning", f"outputs.{name}", "is driven by no channel, so it never moves", "name it in [mix]"
            )
    arm = draft.failsafe.arm if draft.failsafe else None
    for name, feeding in draft.channels.items():
        if feeding is not None and name not in used and name != arm:
            what = "travels, but moves nothing"
            yield Problem("note", f"channels.{name}", what, "name it in a mix or a switch, or leave it")


def _drives(draft: Draft, where: str, name: str, *, switch: bool = False) -> Iterator[Problem]:
    if name not in draft.channels:
        yield unknown(where, name, "channel", draft.channels)
        return
    channel = draft.channels[name]
    if channel is None or isinstance(channel, FlagChannel if switch else LevelChannel | ShareChannel):
        return
    mover, wanted = ("a switch", "a flag") if switch else ("a motor or a servo", "a level or a share")
    yield Problem(
        "error", where, f'is "{name}", a {channel.kind}, which cannot drive {mover}', f"use {wanted}"
    )


def arming(draft: Draft) -> Iterator[Problem]:
    """There is a way to arm, a way to stop, and both are what they should be."""
    failsafe = draft.failsafe
    if failsafe is None:
        return
    if failsafe.arm == "none":
        yield Problem(
            "warning",
            "failsafe.arm",
            'is "none": the machine moves as soon as the sticks have been at rest',
            "add a flag channel fed by a switch, and name it here",
        )
    elif failsafe.arm not in draft.channels:
        yield unknown("failsafe.arm", failsafe.arm, "channel", draft.channels)
    else:
        channel = draft.channels[failsafe.arm]
        if channel is not None and not isinstance(channel, FlagChannel):
            yield Problem(
                "error",
                "failsafe.arm",
                f'is "{failsafe.arm}", a {channel.kind}',
                "the arm channel must be a flag",
            )
    if failsafe.stop is None:
        yield Problem(
            "note",
            "failsafe.stop",
            "is not given: no control sends stop frames",
            "name a button that stops in an emergency",
        )
    elif failsafe.stop not in draft.controls:
        yield unknown("failsafe.stop", failsafe.stop, "control", draft.controls)
    else:
        control = draft.controls[failsafe.stop]
        if control is not None and not isinstance(control, PRESSED):
            yield Problem(
                "error", "failsafe.stop", f"is of kind {control.kind}", "the stop must be a button or a key"
            )
    if failsafe.recover == "resume":
        yield Problem(
            "warning",
            "failsafe.recover",
            'is "resume": after a loss the machine moves again at once, wherever the sticks are',
            'prefer "at_rest"',
        )


def triggers(draft: Draft) -> Iterator[Problem]:
    """A button asks for one thing: of two, the second would never be asked for."""
    asks: dict[str, str] = {}
    for name, request in draft.requests.items():
        if request is None or request.when is None:
            continue
        if request.when in asks:
            what = f'is "{request.when}", which asks for {asks[request.when]} already: only one is asked for'
            yield Problem("error", f"requests.{name}.when", what, "give it a button of its own")
        asks.setdefault(request.when, name)


def unused_controls(draft: Draft) -> Iterator[Problem]:
    """A control that feeds nothing is probably a slip."""
    used = {name for channel in draft.channels.values() if channel for name in channel.sources.values()}
    used |= {part for control in draft.controls.values() if control for part in control.parts.values()}
    used |= {str(draft.failsafe.stop)} if draft.failsafe else set()
    used |= {str(request.when) for request in draft.requests.values() if request}
    if None in draft.channels.values() or None in draft.controls.values() or draft.failsafe is None:
        return  # what is broken might use it
    for name in draft.controls:
        if name not in used:
            what, do = "moves nothing and asks for nothing", "name it in a channel's from, or take it out"
            yield Problem("warning", f"controls.{name}", what, do)
