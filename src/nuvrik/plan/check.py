"""The rules between the entries of a link file: do the names meet, do the numbers fit together?

Each rule is one small generator over a :class:`Draft`; a draft may have holes where an entry has
problems of its own, and a rule says nothing about what it cannot see.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from nuvrik.plan.models import (
    AxisControl,
    ButtonControl,
    Channel,
    Control,
    FailsafeSection,
    FlagChannel,
    LevelChannel,
    Link,
    LinkSection,
    MotorOutput,
    OneStickMix,
    PackedFrame,
    RadioMedium,
    SerialMedium,
    ShareChannel,
    TwoStickMix,
)
from nuvrik.plan.problems import Problem, listing, suggestion

FRAME_OVERHEAD = 6
"""Bytes of head and check around the payload of a packed frame."""

MAX_BODY = 200
"""A longer body would need a COBS code of 0xFF."""

SEQUENCE_HALF = 127
"""Sequence numbers that count as newer; a timeout must come before they run out."""


@dataclass
class Draft:
    """A link file as far as it is known: None stands for an entry that has problems of its own."""

    link: LinkSection | None = None
    medium: SerialMedium | RadioMedium | None = None
    frame: PackedFrame | None = None
    controls: Mapping[str, Control | None] = field(default_factory=dict)
    channels: Mapping[str, Channel | None] = field(default_factory=dict)
    outputs: Mapping[str, MotorOutput | None] = field(default_factory=dict)
    mix: OneStickMix | TwoStickMix | None = None
    mix_is_known: bool = True
    failsafe: FailsafeSection | None = None

    @classmethod
    def of(cls, parts: Mapping[str, Any]) -> "Draft":
        """From the parsed sections, by name; a section that is missing or broken may be None."""
        known = {name: part for name, part in parts.items() if part is not None}
        return cls(**known, mix_is_known=not ("mix" in parts and parts["mix"] is None))


def cross_check(draft: Draft) -> list[Problem]:
    """Every problem between entries, errors first."""
    order = {"error": 0, "warning": 1, "note": 2}
    found = [problem for rule in RULES for problem in rule(draft)]
    return sorted(found, key=lambda problem: order[problem.level])


def problems_in(link: Link) -> list[Problem]:
    """Warnings and notes about a link that has no errors."""
    return cross_check(Draft.of({name: getattr(link, name) for name in Link.model_fields}))


def _unknown(where: str, name: str, what: str, known: Mapping[str, Any]) -> Problem:
    return Problem(
        "error", where, f'names "{name}", but there is no {what} of that name', suggestion(name, known)
    )


def channel_sources(draft: Draft) -> Iterator[Problem]:
    """Each channel's controls exist and can feed it."""
    fits = {"level": AxisControl, "share": AxisControl, "flag": ButtonControl}
    for name, channel in draft.channels.items():
        if channel is None:
            continue
        times = channel.times if isinstance(channel, LevelChannel | ShareChannel) else None
        for key, source in (("from", channel.source), ("times", times)):
            where = f"channels.{name}.{key}"
            if source is None:
                continue
            if source not in draft.controls:
                yield _unknown(where, source, "control", draft.controls)
                continue
            control = draft.controls[source]
            wanted = fits.get(channel.kind)
            if control is not None and (wanted is None or not isinstance(control, wanted)):
                able = [kind for kind, model in fits.items() if isinstance(control, model)]
                yield Problem(
                    "error",
                    where,
                    f'is "{source}", a control of kind {control.kind}, which cannot feed a {channel.kind}',
                    f"{control.kind} controls feed channels of kind {listing(able)}",
                )
        if channel.source is None:
            yield Problem(
                "warning",
                f"channels.{name}",
                "comes from no control, so a handset never sends it a value",
                "add from = CONTROL, unless a program sets it",
            )


def unused_controls(draft: Draft) -> Iterator[Problem]:
    """A control that feeds nothing is probably a slip."""
    used = {channel.source for channel in draft.channels.values() if channel}
    used |= {getattr(channel, "times", None) for channel in draft.channels.values() if channel}
    used |= {draft.failsafe.stop} if draft.failsafe else set()
    if None in draft.channels.values() or draft.failsafe is None:
        return  # what is broken might use it
    for name in draft.controls:
        if name not in used:
            yield Problem(
                "warning",
                f"controls.{name}",
                "is used by no channel",
                "name it in a channel's from, or take it out",
            )


def mixes(draft: Draft) -> Iterator[Problem]:
    """A mix names channels and outputs that exist, and each output is driven once."""
    driven: dict[str, str] = {}
    used: set[str] = set()
    for name, output in draft.outputs.items():
        if output is not None and output.mix:
            driven[name] = f"outputs.{name}.mix"
            used |= output.mix.keys()
            for channel in output.mix:
                yield from _drives(draft, f"outputs.{name}.mix.{channel}", channel)
    if draft.mix is not None:
        keys = (
            ("throttle", "turn")
            if isinstance(draft.mix, OneStickMix)
            else ("left_throttle", "right_throttle")
        )
        for key in keys:
            used.add(getattr(draft.mix, key))
            yield from _drives(draft, f"mix.{key}", getattr(draft.mix, key))
        for side in ("left", "right"):
            for name in getattr(draft.mix, side):
                if name not in draft.outputs:
                    yield _unknown(f"mix.{side}", name, "output", draft.outputs)
                elif name in driven:
                    yield Problem(
                        "error",
                        f"mix.{side}",
                        f'names "{name}", which {driven[name]} drives already',
                        "let one of the two drive it",
                    )
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
        if isinstance(feeding, LevelChannel | ShareChannel) and name not in used and name != arm:
            yield Problem(
                "note", f"channels.{name}", "travels, but moves nothing", "name it in a mix, or leave it"
            )


def _drives(draft: Draft, where: str, name: str) -> Iterator[Problem]:
    if name not in draft.channels:
        yield _unknown(where, name, "channel", draft.channels)
        return
    channel = draft.channels[name]
    if channel is not None and not isinstance(channel, LevelChannel | ShareChannel):
        yield Problem(
            "error",
            where,
            f'is "{name}", a {channel.kind}, which cannot drive a motor',
            "use a level or a share",
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
        yield _unknown("failsafe.arm", failsafe.arm, "channel", draft.channels)
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
            "is not there: no control sends stop frames",
            "name a button, for a stop in a hurry",
        )
    elif failsafe.stop not in draft.controls:
        yield _unknown("failsafe.stop", failsafe.stop, "control", draft.controls)
    else:
        control = draft.controls[failsafe.stop]
        if control is not None and not isinstance(control, ButtonControl):
            yield Problem("error", "failsafe.stop", f"is of kind {control.kind}", "the stop must be a button")
    if failsafe.recover == "resume":
        yield Problem(
            "warning",
            "failsafe.recover",
            'is "resume": after a loss the machine moves again at once, wherever the sticks are',
            'prefer "neutral"',
        )


def timing(draft: Draft) -> Iterator[Problem]:
    """The timeout fits the rate."""
    if draft.link is None or draft.failsafe is None:
        return
    period, timeout = draft.link.period_ms, draft.failsafe.timeout_ms
    if timeout >= SEQUENCE_HALF * period:
        yield Problem(
            "error",
            "failsafe.timeout_ms",
            f"is {timeout}; with a frame every {period} ms it must be under {SEQUENCE_HALF * period}",
            "lower it, or lower link.rate_hz: sequence numbers must not run out before the timeout",
        )
    elif timeout <= period:
        yield Problem(
            "error",
            "failsafe.timeout_ms",
            f"is {timeout}, not longer than the {period} ms between frames, so it always trips",
            f"use at least {3 * period}",
        )
    elif timeout < 3 * period:
        yield Problem(
            "warning",
            "failsafe.timeout_ms",
            f"is {timeout}: a single lost frame ({period} ms apart) nearly trips it",
            f"use at least {3 * period}",
        )
    if 1000 % draft.link.rate_hz:
        yield Problem(
            "note",
            "link.rate_hz",
            f"is {draft.link.rate_hz}; in whole milliseconds that is a frame every {period} ms, "
            f"{1000 / period:.1f} Hz",
            "nothing, if that will do",
        )


def sizes(draft: Draft) -> Iterator[Problem]:
    """The frame fits in a body, in a packet, and on the air."""
    if None in draft.channels.values() or not draft.channels:
        return
    bits = sum(channel.bits for channel in draft.channels.values() if channel)
    body = FRAME_OVERHEAD + (bits + 7) // 8
    if body > MAX_BODY:
        yield Problem(
            "error", "channels", f"make a frame of {body} bytes; the most is {MAX_BODY}", "use fewer bits"
        )
    medium = draft.medium
    if isinstance(medium, RadioMedium) and body > medium.payload_max:
        yield Problem(
            "error",
            "medium.payload_max",
            f"is {medium.payload_max}, but a frame is {body} bytes",
            "use fewer bits in the channels, or a module that carries more",
        )
    if medium is None or draft.link is None:
        return
    airtime_ms = medium.airtime_us(body + (0 if medium.datagrams else 3)) / 1000
    period = draft.link.period_ms
    if airtime_ms >= period:
        yield Problem(
            "error",
            "link.rate_hz",
            f"is {draft.link.rate_hz}, but a frame takes {airtime_ms:.1f} ms of the {period} ms it has",
            "lower the rate, or use a faster medium",
        )


def pins(draft: Draft) -> Iterator[Problem]:
    """No pin has two users."""
    users: dict[int, str] = {}
    for name, output in draft.outputs.items():
        if output is None or output.pins is None:
            continue
        for key in type(output.pins).model_fields:
            pin, user = getattr(output.pins, key), f"outputs.{name}.pins.{key}"
            if pin in users:
                yield Problem(
                    "error", user, f"is pin {pin}, which {users[pin]} uses too", "give each its own pin"
                )
            users.setdefault(pin, user)


RULES: tuple[Callable[[Draft], Iterator[Problem]], ...] = (
    channel_sources,
    mixes,
    arming,
    timing,
    sizes,
    pins,
    unused_controls,
)
