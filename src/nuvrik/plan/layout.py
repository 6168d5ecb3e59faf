"""What both ends must agree on, as text and as a 16-bit tag.

The layout text names everything that decides how the bytes of a frame are read. Its CRC travels
(half openly, half as the check's initial value) in every frame, so that two ends built from
different files do not understand each other instead of misunderstanding each other.
"""

from binascii import crc_hqx
from collections.abc import Iterable, Mapping

from nuvrik.plan.form.backward import AnyRequest
from nuvrik.plan.form.channels import AnyChannel, ChoiceChannel
from nuvrik.plan.form.frames import (
    CHECK_DIGITS,
    AnyFrame,
    KeysFrame,
    LineFrame,
    PackedFrame,
    Sealed,
    SlipFrame,
    Text,
    TextForm,
    TrainFrame,
)
from nuvrik.plan.form.media import AnyMedium, Packets
from nuvrik.plan.form.models import Link

CRC_INITIAL = 0xFFFF

HEAD_BYTES, CHECK_BYTES = 4, 2
"""What is around the payload of every packed frame."""

HELLO_BYTES, REQUEST_BYTES, REPLY_BYTES = 20, 9, 10
"""The payloads of a hello that answers (without its name), a request (without arguments) and a reply."""

MAX_BODY = 200
"""A longer body would need a COBS code of 0xFF."""


def payload_bits(channels: Iterable[AnyChannel]) -> int:
    """How many bits of payload a set of channels makes."""
    return sum(channel.bits for channel in channels)


def text_forms(frame: Text, channels: Mapping[str, AnyChannel]) -> list[TextForm]:
    """How each channel is written as text, in declared order."""
    return [
        TextForm.of(channel.kind, most_of(channel), frame.fields.get(name))
        for name, channel in channels.items()
    ]


def most_of(channel: AnyChannel) -> int:
    """The greatest value of a flag, a choice or a count."""
    return len(channel.options) - 1 if isinstance(channel, ChoiceChannel) else (1 << channel.bits) - 1


def body_bytes(frame: AnyFrame, channels: Mapping[str, AnyChannel], guard_bytes: int = 0) -> int:
    """How long the body of a command is, at its longest."""
    if isinstance(frame, KeysFrame):
        return 1
    if isinstance(frame, Sealed):
        return HEAD_BYTES + guard_bytes + (payload_bits(channels.values()) + 7) // 8 + CHECK_BYTES
    if isinstance(frame, TrainFrame):
        return 2 * len(channels)
    between = len(frame.separator) * (len(channels) - 1) if isinstance(frame, LineFrame) else 0
    check = 1 + CHECK_DIGITS[frame.check] if frame.check != "none" else 0
    return len(frame.tag) + sum(form.longest for form in text_forms(frame, channels)) + between + check


def answers_bytes(requests: Iterable[AnyRequest]) -> int:
    """The longest payload, besides commands and telemetry, that a link with such requests must carry."""
    return max(HELLO_BYTES, REPLY_BYTES, *(REQUEST_BYTES + (r.bits + 7) // 8 for r in requests))


def payload_room(medium: AnyMedium, frame: AnyFrame) -> int:
    """The longest payload that a sealed frame may carry."""
    most = medium.payload_max if isinstance(medium, Packets) else MAX_BODY
    if not isinstance(frame, Sealed):
        most = min(MAX_BODY, (most - 1) // 2)  # two hex digits a byte
    return most - HEAD_BYTES - CHECK_BYTES


def longest_on_wire(frame: AnyFrame, body: int, *, stream: bool) -> int:
    """How many bytes a body of that length becomes at most: in a datagram it travels as it is."""
    if not stream or isinstance(frame, KeysFrame):
        return body
    if isinstance(frame, PackedFrame):
        return body + 2 + frame.lead_in
    if isinstance(frame, SlipFrame):
        return 2 * body + 1 + frame.lead_in
    if isinstance(frame, TrainFrame):
        return body + 2
    return body + len(frame.end) * (1 + frame.lead_in)


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
        lines += [f"requests.{name}.{arg}:{a.kind}:{a.bits}" for arg, a in request.arguments.items()]
    lines.append(f"arm:{link.failsafe.arm}")
    lines += ["guard:delay"] * link.guard_bytes
    return "".join(line + "\n" for line in lines)


def layout_tag(link: Link) -> int:
    """CRC-16 of the layout text (polynomial 0x1021, not reflected, initial value 0xFFFF): 0 to 65535."""
    return crc_hqx(layout_text(link).encode("utf-8"), CRC_INITIAL)
