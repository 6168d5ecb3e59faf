"""Payloads that only machines make, and what an end makes of one."""

from typing import Any

import nuvrik
from nuvrik.wire.bits import put
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ALL_KINDS
from nuvrik.wire.messages import Reply, Telemetry


def pack_reply(reply: Reply) -> bytes:
    """The payload of a reply."""
    numbers = ((reply.code, 8), (reply.session, 16), (reply.number, 16), (reply.status, 8), (reply.value, 32))
    return put(numbers)


def pack_telemetry(link: nuvrik.Link, telemetry: Telemetry) -> bytes:
    """The payload of telemetry: state, number of the last command, which items, their codes."""
    state, accepted, items, hold_ends, own_stop, radio = telemetry
    noted = own_stop | radio << 5
    said = state | (accepted is not None) << 3 | hold_ends << 4 | bool(noted) << 5
    mask = sum(1 << place for place, name in enumerate(link.telemetry) if name in items)
    codes = [(code, item.bits) for name, item in link.telemetry.items() for code in items.get(name, ())]
    head = bytes((said, accepted or 0, *([noted] if noted else [])))
    return head + mask.to_bytes((len(link.telemetry) + 7) // 8, "little") + put(codes)


def taken(link: nuvrik.Link, kind: int, payload: bytes) -> Any:
    """What somebody who hears both ends makes of a payload; None where it is refused."""
    (event,) = nuvrik.Decoder(link, ALL_KINDS).feed_datagram(
        Encoder(link, stream=False).sealed(kind, 1, payload)
    )
    return event.values if isinstance(event, Frame) else None
