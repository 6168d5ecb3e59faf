"""Events and frames in words: what each byte of a frame is, and what each value means."""

from typing import Any

from nuvrik.plan.form.models import Link
from nuvrik.wire.events import REASONS, Event, Frame
from nuvrik.wire.kinds import COMMAND, kind_name
from nuvrik.wire.packing import fields_of
from nuvrik.wire.words import message_text, value_number, value_text


def event_record(event: Event, link: Link) -> dict[str, Any]:
    """An event as ``inspect --json`` gives it."""
    record: dict[str, Any] = {
        "at": event.at,
        "event": "refused",
        "kind": None,
        "seq": event.seq,
        "channels": None,
        "reason": None,
    }
    if isinstance(event, Frame):
        record.update(event="frame", kind=kind_name(event.kind))
        if link.authenticated:
            record["tag"] = {None: "none", True: "checked", False: "not checked"}[event.checked]
        if event.kind == COMMAND:
            pairs = zip(fields_of(link.channels), event.values, strict=True)
            record["channels"] = {field.name: value_number(value, field) for field, value in pairs}
        elif event.values:
            record["says"] = message_text(event.values, link)
    else:
        record["reason"] = event.reason
    return record | {"hex": event.raw.hex()}


def event_text(event: Event, link: Link) -> str:
    """An event in one line of words."""
    if not isinstance(event, Frame):
        return f"refused  {event.reason}: {REASONS[event.reason]}"
    what = f"{kind_name(event.kind):9}" + (f" seq {event.seq:3}" if event.seq is not None else "")
    if link.authenticated:
        what += {None: "  no tag       ", True: "  tag checked  ", False: "  not checked  "}[event.checked]
    if event.kind != COMMAND:
        return f"{what}  {message_text(event.values, link)}".rstrip()
    fields = fields_of(link.channels)
    values = [f"{f.name} {value_text(v, f)}" for f, v in zip(fields, event.values, strict=True)]
    return "  ".join([what, *values])
