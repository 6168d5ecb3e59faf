"""Why nothing decodes: what the bytes look like, against what they should look like.

Each guess is tested, not assumed: another style by reading the capture in it, a wrong speed or polarity
by damaging frames of this very link in that way and comparing which bytes come out.
"""

import math
from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.core.frames.writer import OUT_SEALED
from nuvrik.inspection.uart import received, waveform
from nuvrik.plan.form.base import kinds_of
from nuvrik.plan.form.frames import AnyFrame
from nuvrik.plan.form.media import SerialMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import listing
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ALL_KINDS, COMMAND
from nuvrik.wire.styles.text import is_printable

SAMPLE = 1 << 15
"""Bytes looked at: some seconds of any serial line, and still an answer at once."""

ENOUGH = 32
"""Fewer bytes than this say nothing about speed."""

COMMON_BAUD = (1200, 2400, 4800, 9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600, 1000000)
LIKE = 0.55
"""A damage explains a capture if the two are at least this alike (1: the same bytes equally often).
Measured on two links at 8 speeds, either polarity: the true damage is 0.62 to 1.0 alike, random bytes at
most 0.30."""

UNSURE = 0.06
"""Two damages that are alike to within this much are both named. In all captures measured the true one was
the best; this is for captures of few bytes, whose shares of bytes still wander."""


class Finding(NamedTuple):
    """What is probably the matter, and what to do."""

    what: str
    do: str


def diagnose(link: Link, data: bytes) -> list[Finding]:
    """The most likely reasons why a capture has no frame of this link in it, best first; only the beginning
    is looked at."""
    data = data[:SAMPLE]
    if not data:
        return [Finding("nothing arrived at all", "check the wiring, the port, and that the sender runs")]
    found = [*_stuck(data), *_others(link, data), *_unframed(link, data), *_styles(link, data)]
    if not found:
        found = [*_line(link, data), *_text(link, data)]
    return found or [
        Finding(
            "it looks like nothing that this link could have sent",
            "make sure that it was captured from this line, and that both ends are built from this file",
        )
    ]


def _stuck(data: bytes) -> Iterator[Finding]:
    byte, often = Counter(data).most_common(1)[0]
    if len(data) >= ENOUGH and often > 0.98 * len(data) and byte in (0x00, 0xFF):
        slow = ", or the sender is many times slower than this end" if byte == 0 else ""
        yield Finding(
            f"nearly every byte is {byte:02X}: the line is held at one level{slow}",
            "check that ground is common, the wire is whole, the sender has power, and both have one speed",
        )


def _others(link: Link, data: bytes) -> Iterator[Finding]:
    """Sound frames, but somebody else's."""
    decoder = Decoder(link, ALL_KINDS)
    events = decoder.feed(data)
    reasons = Counter(event.reason for event in events if not isinstance(event, Frame))
    other = (
        ("wrong_pair", "another pair number", "give both ends the same pair number, from one file"),
        ("wrong_layout", "another layout", "build both ends from one link file"),
        ("version", "another version of the frame format", "build both ends with one version of Nuvrik"),
    )
    for reason, whose, do in other:
        if reasons[reason] >= 2 or (reasons[reason] and reasons[reason] == len(events)):
            yield Finding(f"{reasons[reason]} sound frames of {whose}", do)


def _unframed(link: Link, data: bytes) -> Iterator[Finding]:
    """The frames are there, but nothing keeps them apart."""
    encoder = Encoder(link, stream=True)
    unended = encoder.style.unended(data)
    if unended:
        yield Finding(*unended)
    if unended or not link.frame.sealed:
        return
    mark = encoder.sealed(COMMAND, 0, b"")[:3]
    bare = Decoder(link, ALL_KINDS)
    length = encoder.longest_body
    whole = sum(
        isinstance(event, Frame)
        for at in range(max(0, len(data) - length + 1))
        if data.startswith(mark, at)
        for event in bare.feed_datagram(data[at : at + length])
    )
    if whole >= 2:
        yield Finding(
            f"{whole} sound frames without anything between them",
            "let the sender stuff and end its frames for a stream; packets have bare bodies, a wire has not",
        )


def _styles(link: Link, data: bytes) -> Iterator[Finding]:
    """Sound frames in another style."""
    pair = link.frame.pair
    kinds = {name: kind for name, kind in kinds_of(AnyFrame, "style").items() if kind.way_out == OUT_SEALED}
    for other in (kind(style=name, pair=pair) for name, kind in kinds.items() if name != link.frame.style):
        events = Decoder(link.model_copy(update={"frame": other}), ALL_KINDS).feed(data)
        good = sum(isinstance(event, Frame) for event in events)
        if good:
            yield Finding(
                f'{good} sound frames in style "{other.style}"', f'write style = "{other.style}" in [frame]'
            )


def _text(link: Link, data: bytes) -> Iterator[Finding]:
    is_text = is_printable(data)
    binary = link.frame.sealed
    if is_text and binary:
        shown = data[:40].decode("ascii", "replace").strip().replace("\r", " ").replace("\n", " / ")
        yield Finding(
            f'it is text, where packed bytes were expected: "{shown}"',
            "this is another program's output, or a board that speaks lines: then describe them with "
            'style = "line"',
        )
    elif not is_text and not binary:
        yield Finding("it is no text, where text was expected", "another style, or another speed")


def _line(link: Link, data: bytes) -> Iterator[Finding]:
    """The wrong speed or polarity, told from the damage."""
    if not isinstance(link.medium, SerialMedium) or len(data) < ENOUGH:
        return
    seen = _profile(data)
    line = waveform(_typical(link))
    ours = link.medium.baud
    tried: list[tuple[float, bool, int]] = []
    for baud in sorted({*COMMON_BAUD, ours}):
        for inverted in (False, True):
            if baud == ours and not inverted:
                continue
            damaged = received(line, ours / baud, inverted=inverted)
            if len(damaged) >= 4:
                tried.append((_alike(seen, _profile(damaged)), inverted, baud))
    if not tried:
        return
    alike, inverted, baud = max(tried)
    if alike < LIKE:
        return
    close = sorted({other for like, turned, other in tried if like > alike - UNSURE and turned == inverted})
    if inverted:
        yield Finding(
            "it looks like this link's frames with high and low swapped",
            "the line is inverted: use a level shifter that does not invert, or set the port to invert",
        )
    if baud != ours:
        yield Finding(
            f"it looks like this link's frames sent at {listing(map(str, close))} baud and read at {ours}",
            f"set both ends to one speed: medium.baud to the sender's, or the sender to {ours}",
        )


def _typical(link: Link) -> bytes:
    """A second or two of a handset at rest and in use."""
    encoder = Encoder(link, stream=True)
    fields = encoder.packer.fields
    sent = []
    for seq in range(48):
        level = (seq // 8 % 3 - 1) * 5000 if seq > 16 else 0
        values = [
            level
            if f.kind == "level"
            else abs(level)
            if f.kind == "share"
            else int(seq > 8 and f.kind == "flag")
            for f in fields
        ]
        sent.append(encoder.command_on_wire(values, seq))
    return b"".join(sent)


def _profile(data: bytes) -> Counter[bytes]:
    """How often each byte comes, and each pair of bytes."""
    profile = Counter(data[i : i + 1] for i in range(len(data)))
    return profile + Counter(data[i : i + 2] for i in range(len(data) - 1))


def _alike(one: Counter[bytes], other: Counter[bytes]) -> float:
    """The cosine between two profiles: 1 for the same bytes equally often."""
    product = sum(count * other[key] for key, count in one.items())
    lengths = math.sqrt(sum(c * c for c in one.values())) * math.sqrt(sum(c * c for c in other.values()))
    return product / lengths if lengths else 0.0
