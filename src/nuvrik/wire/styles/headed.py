"""What the two styles with head and check have in common: the body, in whatever keeps bodies apart."""

from abc import abstractmethod
from binascii import crc_hqx
from collections.abc import Sequence
from typing import ClassVar

from nuvrik.core.frames.sealed import AUTHENTICATED, TAG, WRAP
from nuvrik.plan.form.frame_base import CHECK_BYTES, HEAD_BYTES
from nuvrik.plan.form.models import Link
from nuvrik.wire.codes import Value
from nuvrik.wire.events import Event, Frame, Reader
from nuvrik.wire.kinds import COMMAND, STOP, kind_name
from nuvrik.wire.sealed import CHECK, SHORTEST_BODY, VERSION, SealedReader, head, sealed
from nuvrik.wire.styles.style import CommandOnWire, Maker, Mark, Part, Row, Style, Wrapper
from nuvrik.wire.words import message_text, value_text


class HeadedMaker(Maker):
    """Makes bodies with head and check."""

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        self._heads = [head(COMMAND, link.frame.pair, self.tag, seq) for seq in range(256)]
        self._pack = self._guarded if link.guard_bytes else self.packer.pack

    def _guarded(self, values: Sequence[Value]) -> bytes:
        return bytes((self.echo,)) + self.packer.pack(values)[1:]

    def text(self, values: Sequence[Value]) -> bytes:
        raise NotImplementedError

    def command(self, values: Sequence[Value], seq: int) -> bytes:
        covered = self._heads[seq] + self._pack(values)
        return covered + CHECK(crc_hqx(covered, self.tag))

    def on_wire(self, wrapped: Wrapper, *, stream: bool) -> CommandOnWire:
        if not stream:
            return self.command
        return lambda values, seq: wrapped(self.command(values, seq))

    def stop(self, seq: int) -> bytes:
        return sealed(STOP, self._pair, self.tag, seq, b"")

    def message(self, kind: int, seq: int, payload: bytes, *, anyone: bool = False) -> bytes:
        """The body as it is: nothing has to be made text."""
        return self._sealed(kind, seq, payload, anyone)


class AuthenticMaker(HeadedMaker):
    """Makes bodies that have room for a counter and a tag, without an end that could give them any: the
    counter is the sequence number, and the tag is blank. No machine obeys one; how long they are, and what
    stands where, is the same."""

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        self._pack = self.packer.pack

    def command(self, values: Sequence[Value], seq: int) -> bytes:
        return self._blank(COMMAND, seq, self._pack(values))

    def stop(self, seq: int) -> bytes:
        return self._blank(STOP, seq, b"")

    def message(self, kind: int, seq: int, payload: bytes, *, anyone: bool = False) -> bytes:
        """The body; a hello to whoever is there is one that anybody may send."""
        if anyone:
            return self._sealed(kind, 0, payload, anyone)
        return self._blank(kind, seq, payload)

    def _blank(self, kind: int, seq: int, payload: bytes) -> bytes:
        inside = bytes(WRAP) + payload + bytes(TAG)
        return sealed(kind | AUTHENTICATED, self._pair, self.tag, seq, inside)


class HeadedStyle(Style):
    """Bodies with head and check. ``end`` ends each on a stream."""

    end: ClassVar[bytes]
    said_where = "bit 0 is the lowest"

    def maker(self) -> Maker:
        return AuthenticMaker(self.link) if self.link.authenticated else HeadedMaker(self.link)

    def reader(self, accepts: frozenset[int], sealed: SealedReader) -> Reader:
        return sealed

    def parts(self, maker: Maker, values: Sequence[Value], seq: int, body: bytes) -> list[Part]:
        packer, first, authenticated = maker.packer, 8 * HEAD_BYTES, self.link.authenticated
        parts = [
            Part(0, 4, "kind", "command, authenticated" if authenticated else "command"),
            Part(4, 4, "version", "1"),
            Part(8, 8, "pair", str(self.link.frame.pair)),
            Part(16, 8, "layout tag", f"low byte of {maker.tag:04X}"),
            Part(24, 8, "sequence", str(seq)),
        ]
        if authenticated:
            parts.append(Part(first, 24, "counter", "its upper bytes; the sequence is the lowest"))
            parts.append(Part(first + 24, 8, "heard", "the sequence of the machine's frame heard last"))
            first += 8 * WRAP
        if self.link.guard_bytes:
            parts.append(Part(first, 8, "guard", "the sequence of the telemetry heard last"))
        for value, field in zip(values, packer.fields, strict=True):
            parts.append(Part(first + field.offset, field.bits, field.name, value_text(value, field)))
        if packer.size * 8 > packer.bits:
            parts.append(Part(first + packer.bits, packer.size * 8 - packer.bits, "padding", "zero"))
        if authenticated:
            place = 8 * (len(body) - CHECK_BYTES - TAG)
            parts.append(Part(place, 8 * TAG, "tag", "worked out with the key"))
        check = body[-CHECK_BYTES:].hex().upper()
        place = 8 * (len(body) - CHECK_BYTES)
        return [*parts, Part(place, 8 * CHECK_BYTES, "check", f"{check}, high byte first")]

    def rows(self) -> list[Row]:
        maker, values = self.maker(), [0] * len(self.link.channels)
        parts = self.parts(maker, values, 0, maker.command(values, 0))
        return [Row(part.start // 8, part.start % 8, part.bits, part.name, part.meaning) for part in parts]

    def finely(self, name: str) -> str:
        channel = self.link.channels[name]
        return f"; steps of {100 * channel.finest:.2g} %" if channel.scaled else ""

    def odds(self) -> str:
        return (
            "CRC-16 lets 1 in 65,536 random errors pass, but detects every error of up to 3 bits and every "
            "burst of up to 16"
        )

    def marks(self, event: Event) -> list[Mark]:
        raw = bytes(event.raw)
        return self.body_marks(event, raw) if self.link.medium.datagrams else self.stream_marks(event, raw)

    @abstractmethod
    def stream_marks(self, event: Event, raw: bytes) -> list[Mark]:
        """The same for what came on a stream, with what keeps it apart."""

    def body_marks(self, event: Event, body: bytes) -> list[Mark]:
        """The bytes of a body."""
        if len(body) < SHORTEST_BODY:
            return [Mark(body, "too short for head and check")]
        top, payload, check = body[:HEAD_BYTES], body[HEAD_BYTES:-CHECK_BYTES], body[-CHECK_BYTES:]
        version = top[0] >> 4
        wrong = {} if isinstance(event, Frame) else {event.reason: " (this is what is wrong)"}
        late = "".join(wrong.get(reason, "") for reason in ("repeated", "out_of_order"))
        first = "version" if version != VERSION else "wrong_kind"
        marks = [
            Mark(top[:1], f"version {version}, kind {kind_name(top[0] & 15)}{wrong.get(first, '')}"),
            Mark(top[1:2], f"pair {top[1]}{wrong.get('wrong_pair', '')}"),
            Mark(top[2:3], f"layout tag, low byte{wrong.get('wrong_layout', '')}"),
            Mark(top[3:4], f"sequence {top[3]}{late}"),
        ]
        if top[0] & AUTHENTICATED and len(payload) >= WRAP + TAG:
            forged = wrong.get("forged", "")
            upper, heard, payload = payload[: WRAP - 1], payload[WRAP - 1 : WRAP], payload[WRAP:]
            payload, tag = payload[:-TAG], payload[-TAG:]
            marks.append(Mark(upper, f"counter, its upper bytes{wrong.get('old', '')}"))
            marks.append(Mark(heard, f"made from the machine's frame {heard[0]}{wrong.get('late', '')}"))
            if payload:
                marks.append(Mark(payload, self._payload(event, top[0] & 7) + wrong.get("bad_field", "")))
            marks.append(Mark(tag, f"tag{forged}"))
            return [*marks, Mark(check, f"check{wrong.get('check', '')}")]
        if payload:
            said = self._payload(event, top[0] & 15)
            marks.append(Mark(payload, said + wrong.get("bad_field", "")))
        return [*marks, Mark(check, f"check{wrong.get('check', '')}")]

    def _payload(self, event: Event, kind: int) -> str:
        if not isinstance(event, Frame):
            return "payload"
        if kind != COMMAND:
            return message_text(event.values, self.link)
        pairs = zip(self.fields, event.values, strict=True)
        return "  ".join(f"{field.name} {value_text(value, field)}" for field, value in pairs)

    def unended(self, data: bytes) -> tuple[str, str] | None:
        mark = self.maker().message(COMMAND, 0, b"")[:3]
        begun = data.count(mark)
        if begun < 2 or data.count(self.end) * 2 >= begun:
            return None
        end = self.end.hex().upper()
        what = f"frames begin {begun} times, but hardly one ends: {end} is missing between them"
        return what, f"let the sender send {end} behind every frame"
