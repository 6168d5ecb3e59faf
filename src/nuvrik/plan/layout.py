"""What both ends must agree on, as text and as a 16-bit tag.

The layout text names everything that decides how the bytes of a frame are read. Its CRC travels
(half openly, half as the check's initial value) in every frame, so that two ends built from
different files do not understand each other instead of misunderstanding each other.
"""

from binascii import crc_hqx
from collections.abc import Iterable

from nuvrik.core.loops.hearing import REPLY_BYTES, WHO_BYTES
from nuvrik.core.requests.asks import ASK_BYTES
from nuvrik.plan.form.channels import ChoiceChannel
from nuvrik.plan.form.frame_base import CHECK_BYTES, HEAD_BYTES, MAX_BODY
from nuvrik.plan.form.frames import AnyFrame
from nuvrik.plan.form.media import AnyMedium, Packets
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import AnyRequest

CRC_INITIAL = 0xFFFF

OPEN_BYTES = HEAD_BYTES + CHECK_BYTES

HELLO_MOST = 22
"""A page of a hello is no longer, so that the small packets of common radio modules carry it."""


def answers_bytes(requests: Iterable[AnyRequest]) -> int:
    """The longest payload, besides commands and telemetry, that a link with such requests must carry."""
    return max(WHO_BYTES, REPLY_BYTES, *(ASK_BYTES + (r.bits + 7) // 8 for r in requests))


def payload_room(medium: AnyMedium, frame: AnyFrame) -> int:
    """The longest payload that a sealed frame may carry."""
    return open_room(medium, frame) - (frame.around_bytes - OPEN_BYTES)


def open_room(medium: AnyMedium, frame: AnyFrame) -> int:
    """The longest payload of one that is not authenticated, be there a key or not."""
    most = medium.payload_max if isinstance(medium, Packets) else MAX_BODY
    if not frame.sealed:
        most = min(MAX_BODY, (most - 1) // 2)  # two hex digits a byte
    return most - OPEN_BYTES


def layout_text(link: Link) -> str:
    """The layout text: one ``section.name:kind:bits`` a line (channels, telemetry, requests, each followed
    by its arguments), then the arm channel, and last the delay guard if there is one."""
    lines = []
    for name, channel in link.channels.items():
        line = f"channels.{name}:{channel.kind}:{channel.bits}"
        if isinstance(channel, ChoiceChannel):
            line += ":" + ",".join(channel.options)
        lines.append(line)
    lines += [f"telemetry.{name}:{item.kind}:{item.bits}" for name, item in link.telemetry.items()]
    for name, request in link.requests.items():
        lines.append(f"requests.{name}:{request.kind}:{request.bits}")
        lines += [
            f"requests.{name}.{arg}:{a.kind}:{sum(a.widths)}"
            + (":" + ",".join(a.options) if a.options else "")
            for arg, a in request.arguments.items()
        ]
    lines.append(f"arm:{link.failsafe.arm}")
    lines += ["guard:delay"] * link.guard_bytes
    return "".join(line + "\n" for line in lines)


def layout_tag(link: Link) -> int:
    """CRC-16 of the layout text (polynomial 0x1021, not reflected, initial value 0xFFFF): 0 to 65535."""
    return crc_hqx(layout_text(link).encode("utf-8"), CRC_INITIAL)
