"""Rules about links made of pulses: remote controls and pulse trains."""

from collections.abc import Iterator

from nuvrik.plan.controls import KeyControl, NudgeControl, ReadControl, SelectorControl
from nuvrik.plan.form.channels import CountChannel
from nuvrik.plan.form.media import CODE_FORMS, FEWEST_SLOTS, MOST_SLOTS, InfraredMedium, PulsesMedium
from nuvrik.plan.problems import Problem
from nuvrik.plan.rules.draft import Draft
from nuvrik.plan.wiring import turning_channels


def infrared(draft: Draft) -> Iterator[Problem]:
    """What a remote is and what its receiver needs."""
    medium = draft.medium
    if not isinstance(medium, InfraredMedium):
        return
    if draft.frame is not None and draft.frame.style != "packed":
        what = f'is "{draft.frame.style}", but the frames of an infrared link stay inside its receiver'
        yield Problem("error", "frame.style", what, 'use "packed"')
    if draft.failsafe is not None and draft.failsafe.arm == "none" and _movers(draft):
        what = 'is "none", and a remote is silent most of the time: nothing would tell a machine to rest'
        yield Problem("error", "failsafe.arm", what, "add a flag channel fed by a key, and name it here")
    if (medium.protocol == "learned") != (medium.shape is not None):
        known = medium.shape is not None
        yield Problem(
            "error",
            "medium.shape",
            f'is {"given" if known else "missing"}, and protocol is "{medium.protocol}"',
            "take it out" if known else "run `nuvrik infrared learn`, which finds it",
        )
    form = CODE_FORMS.get(medium.protocol)
    most = (1 << form.address_bits) - 1 if form else 0
    if medium.address > most:
        what = f"is {medium.address}, but {medium.protocol} has room for 0 to {most}"
        yield Problem("error", "medium.address", what, "read a press with `nuvrik infrared read`")


def codes(draft: Draft) -> Iterator[Problem]:
    """Every control of a remote is a key with a code of its own that its protocol can say."""
    medium = draft.medium
    if not isinstance(medium, InfraredMedium):
        return
    bits = CODE_FORMS[medium.protocol].command_bits if medium.protocol != "learned" else 48
    if medium.shape is not None:
        bits = medium.shape.bits
    owners: dict[int, str] = {}
    for name, control in draft.controls.items():
        where = f"controls.{name}"
        if isinstance(control, ReadControl) and not isinstance(control, KeyControl):
            what = f"is of kind {control.kind}, and a remote control has only keys"
            yield Problem("error", f"{where}.kind", what, 'use "key"')
        if not isinstance(control, KeyControl):
            continue
        if control.code is None:
            do = "run `nuvrik infrared learn` on a recording of it"
            yield Problem("error", f"{where}.code", "is missing", do)
        elif control.code >> bits:
            what = f"is {control.code}, but {medium.protocol} has room for 0 to {(1 << bits) - 1}"
            yield Problem("error", f"{where}.code", what, "read it with `nuvrik infrared read`")
        elif control.code in owners:
            what = f"is {control.code}, and so is that of {owners[control.code]}"
            yield Problem("error", f"{where}.code", what, "each key needs a code of its own")
        else:
            owners[control.code] = name


def holds(draft: Draft) -> Iterator[Problem]:
    """A key is not let go of because one code was lost; and what no silence stops is named."""
    medium = draft.medium
    if not isinstance(medium, InfraredMedium):
        return
    needed_ms = 2 * medium.period_us // 1000 + 20
    for name, control in draft.controls.items():
        if isinstance(control, KeyControl) and not control.toggle and control.released_after_ms < needed_ms:
            what = f"is {control.released_after_ms}: a single code lost counts as letting go"
            yield Problem(
                "warning", f"controls.{name}.released_after_ms", what, f"make it {needed_ms} or more"
            )
    for name, source in _movers(draft):
        if _keys_of(draft, source) is None:
            what = (
                f"moves by {source}, which stays as it was put: only disarm_after_ms ends it when codes stop"
            )
            do = "use keys that are held, or a short disarm_after_ms"
            yield Problem("warning", f"channels.{name}", what, do)


def moving_keys(draft: Draft) -> set[str] | None:
    """The keys that make motors and steppers turn while they are held; None if something that stays as it was
    put does."""
    keys: set[str] = set()
    for _, source in _movers(draft):
        held = _keys_of(draft, source)
        if held is None:
            return None
        keys |= held
    return keys


def _movers(draft: Draft) -> list[tuple[str, str]]:
    """The channels that make something turn, each with every control that feeds it."""
    moving = turning_channels(draft.outputs, draft.mix)
    fed = ((name, channel) for name, channel in draft.channels.items() if channel and name in moving)
    return [(name, source) for name, channel in fed for source in channel.sources.values()]


def _keys_of(draft: Draft, name: str) -> set[str] | None:
    """The keys that hold a control away from rest; None if it stays as it was put while no code arrives."""
    control = draft.controls.get(name)
    if isinstance(control, NudgeControl | SelectorControl) or (
        isinstance(control, KeyControl) and control.toggle
    ):
        return None
    if isinstance(control, KeyControl):
        return {name}
    keys: set[str] = set()
    for part in control.parts.values() if control is not None else ():
        held = _keys_of(draft, part)
        if held is None:
            return None
        keys |= held
    return keys


def trains(draft: Draft) -> Iterator[Problem]:
    """A pulse train and its medium belong together, and its slots fit."""
    medium, frame = draft.medium, draft.frame
    if medium is None or frame is None:
        return
    train = frame.slots_us is not None
    if isinstance(medium, PulsesMedium) != train:
        what = f'is "{frame.style}", but the medium is {medium.kind}'
        yield Problem(
            "error", "frame.style", what, 'use medium "pulses"' if train else 'use "train", or another medium'
        )
    if frame.slots_us is None or not isinstance(medium, PulsesMedium):
        return
    shortest_us, longest_us = frame.slots_us
    slots = len(draft.channels)
    if not FEWEST_SLOTS <= slots <= MOST_SLOTS:
        what = f"are {slots}; a pulse train has {FEWEST_SLOTS} to {MOST_SLOTS}"
        yield Problem(
            "error", "channels", what, "add a spare one" if slots < FEWEST_SLOTS else "take some out"
        )
    for name, channel in draft.channels.items():
        if isinstance(channel, CountChannel):
            yield Problem(
                "error", f"channels.{name}.kind", "is count, and a slot holds a place", "use a choice"
            )
    if medium.sync_us <= longest_us:
        what = f"is {medium.sync_us}, and a slot may be {longest_us}: they could not be told apart"
        yield Problem("error", "medium.sync_us", what, f"make it more than {longest_us}")
    if medium.pulse_us + 100 > shortest_us:
        what = f"is {medium.pulse_us}, and a slot may be {shortest_us}: no gap would be left in it"
        yield Problem("error", "medium.pulse_us", what, f"make it at most {shortest_us - 100}")
    needed = slots * longest_us + medium.sync_us
    if needed > medium.frame_us:
        what = f"is {medium.frame_us}; {slots} slots and the gap may need {needed}"
        yield Problem("error", "medium.frame_us", what, f"make it {needed} or more")


def one_way(draft: Draft) -> Iterator[Problem]:
    """Nothing comes back over a remote's beam or a pulse train."""
    if not isinstance(draft.medium, InfraredMedium | PulsesMedium):
        return
    for section in ("telemetry", "requests"):
        if getattr(draft, section):
            what = f"cannot come back: {draft.medium.kind} goes one way"
            yield Problem("error", section, what, "take it out, or use another medium")
