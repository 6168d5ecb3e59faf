"""What both ends must agree on, as text and as a 16-bit tag.

The layout text names everything that decides how the bytes of a frame are read. Its CRC travels
(half openly, half as the check's initial value) in every frame, so that two ends built from
different files do not understand each other instead of misunderstanding each other.
"""

from binascii import crc_hqx

from nuvrik.plan.channels import ChoiceChannel
from nuvrik.plan.models import Link

CRC_INITIAL = 0xFFFF

HEAD_BYTES, CHECK_BYTES = 4, 2
"""What is around the payload of every packed frame."""

MAX_BODY = 200
"""A longer body would need a COBS code of 0xFF."""


def wire_bytes(payload_bytes: int, *, stream: bool, lead_zero: bool) -> int:
    """How long a frame with such a payload is as it travels: on a stream with a COBS code, a zero
    behind it and, if so chosen, one before it."""
    return HEAD_BYTES + payload_bytes + CHECK_BYTES + (2 + lead_zero if stream else 0)


def layout_text(link: Link) -> str:
    """The layout text: one ``section.name:kind:bits`` a line, and last the arm channel."""
    lines = []
    for name, channel in link.channels.items():
        line = f"channels.{name}:{channel.kind}:{channel.bits}"
        if isinstance(channel, ChoiceChannel):
            line += ":" + ",".join(channel.options)
        lines.append(line)
    lines.append(f"arm:{link.failsafe.arm}")
    return "".join(line + "\n" for line in lines)


def layout_tag(link: Link) -> int:
    """CRC-16 of the layout text (polynomial 0x1021, not reflected, initial value 0xFFFF): 0 to 65535."""
    return crc_hqx(layout_text(link).encode("utf-8"), CRC_INITIAL)
