"""Style ``packed``: head, payload and check, kept apart by COBS and zeros. The default."""

from binascii import crc_hqx
from collections.abc import Sequence

from nuvrik.plan.form.frame_base import MAX_BODY
from nuvrik.plan.form.frame_headed import PackedFrame
from nuvrik.plan.form.models import Link
from nuvrik.wire.cobs import CODES, stuff, unstuff
from nuvrik.wire.codes import Value
from nuvrik.wire.events import Event
from nuvrik.wire.sealed import CHECK, SHORTEST_BODY, Framing
from nuvrik.wire.styles.headed import AuthenticMaker, HeadedMaker, HeadedStyle
from nuvrik.wire.styles.style import CommandOnWire, Maker, Mark, Wrapper


class PackedMaker(HeadedMaker):
    """Makes such frames; on a stream, in one go."""

    def __init__(self, link: Link, lead: bytes) -> None:
        super().__init__(link)
        self._lead = lead
        self._opener = lead + CODES[SHORTEST_BODY + self.packer.size]

    def on_wire(self, wrapped: Wrapper, *, stream: bool) -> CommandOnWire:
        return self._on_stream if stream else self.command

    def _on_stream(self, values: Sequence[Value], seq: int) -> bytes:
        covered = self._heads[seq] + self._pack(values)
        check = CHECK(crc_hqx(covered, self.tag))
        if 0 in covered or 0 in check:
            return self._lead + stuff(covered + check) + b"\0"
        # Most frames: one run, one code, and no search for zeros.
        return b"".join((self._opener, covered, check, b"\0"))


class Packed(HeadedStyle):
    """Bodies between zeros."""

    end = b"\0"
    framing = Framing(end, MAX_BODY + 1, unstuff)

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        assert isinstance(link.frame, PackedFrame)
        self._lead = b"\0" if link.frame.lead_in else b""

    def maker(self) -> Maker:
        return AuthenticMaker(self.link) if self.link.authenticated else PackedMaker(self.link, self._lead)

    def wrapped(self, body: bytes) -> bytes:
        return self._lead + stuff(body) + b"\0"

    def stream_marks(self, event: Event, raw: bytes) -> list[Mark]:
        body = unstuff(raw)
        if body is None:
            return [Mark(raw, "zero-distances that do not add up, so nothing more can be told")]
        # COBS moves nothing: behind the first code, every byte stands where it stood.
        marks, place = [Mark(raw[:1], "distance to the first zero")], 1
        for mark in self.body_marks(event, bytes(body)):
            marks.append(Mark(raw[place : place + len(mark.raw)], mark.what))
            place += len(mark.raw)
        return [*marks, Mark(b"\0", "end of frame")]
