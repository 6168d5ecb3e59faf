"""Values and messages in words, for people, and values as numbers, for programs."""

from nuvrik.core.machine.states import STATES
from nuvrik.levels import fraction_of
from nuvrik.plan.form.models import Link
from nuvrik.wire.codes import Value
from nuvrik.wire.messages import (
    Answer,
    Anybody,
    Ask,
    Echo,
    How,
    Jog,
    Query,
    Question,
    Reply,
    Telemetry,
    Who,
)
from nuvrik.wire.packing import Field


def value_text(value: Value, field: Field) -> str:
    """A value for a person to read: ``+0.350``, ``on``, ``walk``, ``no reading``."""
    if value is None:
        return "no reading"
    if field.kind == "level":
        return f"{fraction_of(value):+.3f}"
    if field.kind == "share":
        return f"{fraction_of(value):.3f}"
    if field.kind == "flag":
        return "on" if value else "off"
    return field.options[value] if field.options else str(value)


def value_number(value: Value, field: Field) -> float | int | None:
    """A value for a program to read: a fraction of full scale, a flag as 0 or 1, None as it is."""
    if value is None or not field.scaled:
        return value
    return round(fraction_of(value), 6)


def message_text(message: object, link: Link) -> str:
    """What a frame of any kind but a command says, in words."""
    match message:
        case Jog(output, level, for_ms):
            return f"jog {list(link.outputs)[output]} to {fraction_of(level):+.3f} for {for_ms} ms"
        case Ask(code, boot, session, number, arguments):
            said = f" with {', '.join(map(str, arguments))}" if arguments else ""
            return (
                f"{list(link.requests)[code]}{said}: number {number} of session {session}, to boot {boot:08X}"
            )
        case Reply(_, session, number, status, value):
            return f"{status.name.lower().replace('_', ' ')}, {value}: number {number} of session {session}"
        case Question(nonce):
            return f"where is the machine? asked with {nonce.hex()}"
        case Answer(nonce, top, _):
            return f"here: known by {nonce.hex()} since its start, highest counter accepted {top}"
        case Anybody(page):
            return ("how are you?" if page else "who is there?") + " from anybody"
        case Query(session, page):
            return ("how are you?" if page else "who is there?") + (f" session {session}" if session else "")
        case Who():
            name = message.name.decode("utf-8", "replace")
            return f"{name}, layout {message.tag:04X}, boot {message.boot:08X}"
        case How():
            return f"up {message.up_s} s, {message.accepted} accepted, {message.refused} refused"
        case Echo(answer, token):
            return ("back: " if answer else "there: ") + token.hex(" ")
        case Telemetry(state, accepted, items):
            said = "  ".join(f"{name} {link.telemetry[name].text(codes)}" for name, codes in items.items())
            after = "" if accepted is None else f", accepted command {accepted}"
            return f"{STATES[state]}{after}  {said}".rstrip()
    return ""
