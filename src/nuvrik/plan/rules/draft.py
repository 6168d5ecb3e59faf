"""A link file as far as it is known, for rules that must work on files with holes in them."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from nuvrik.plan.controls import Control
from nuvrik.plan.form.channels import Channel
from nuvrik.plan.form.frames import AnyFrame
from nuvrik.plan.form.media import AnyMedium
from nuvrik.plan.form.models import (
    Board,
    FailsafeSection,
    Link,
    LinkSection,
)
from nuvrik.plan.form.requests import AnyRequest
from nuvrik.plan.outputs import Output
from nuvrik.plan.outputs.mix import AnyMix
from nuvrik.plan.problems import Problem, suggestion
from nuvrik.plan.telemetry import AnyItem, Cue


@dataclass
class Draft:
    """A link file as far as it is known: None stands for an entry that has problems of its own."""

    link: LinkSection | None = None
    medium: AnyMedium | None = None
    frame: AnyFrame | None = None
    board: Board | None = None
    controls: Mapping[str, Control | None] = field(default_factory=dict)
    channels: Mapping[str, Channel | None] = field(default_factory=dict)
    outputs: Mapping[str, Output | None] = field(default_factory=dict)
    mix: AnyMix | None = None
    mix_is_known: bool = True
    failsafe: FailsafeSection | None = None
    telemetry: Mapping[str, AnyItem | None] = field(default_factory=dict)
    requests: Mapping[str, AnyRequest | None] = field(default_factory=dict)
    cues: Mapping[str, Cue | None] = field(default_factory=dict)

    @classmethod
    def of(cls, parts: Mapping[str, Any]) -> "Draft":
        """From the parsed sections, by name; a section that is missing or broken may be None."""
        known = {name: part for name, part in parts.items() if part is not None}
        return cls(**known, mix_is_known=not ("mix" in parts and parts["mix"] is None))

    @classmethod
    def of_link(cls, link: Link) -> "Draft":
        """Of a link that has no holes."""
        return cls.of({name: getattr(link, name) for name in Link.model_fields})


def longest_body(draft: Draft) -> int:
    """How long a frame is at most; 0 while that is not known."""
    channels = {name: channel for name, channel in draft.channels.items() if channel is not None}
    if len(channels) < len(draft.channels) or not channels or draft.frame is None:
        return 0
    guarded = draft.failsafe is not None and draft.failsafe.delay_guard_ms is not None
    guarded = guarded and not draft.frame.key_name
    return draft.frame.command_bytes(channels, int(guarded))


def longest_on_wire(draft: Draft) -> int:
    """The same as it travels."""
    body, medium = longest_body(draft), draft.medium
    if not body or medium is None or draft.frame is None:
        return 0
    return draft.frame.wire_bytes(body, stream=not medium.datagrams)


def unknown(where: str, name: str, what: str, known: Mapping[str, Any]) -> Problem:
    """The problem of a name that stands for nothing."""
    return Problem(
        "error", where, f'names "{name}", but there is no {what} of that name', suggestion(name, known)
    )
