"""Commands as text, for boards that already speak some: what ``line`` and ``columns`` have in common.

Frames of other kinds travel beside them as a line of ``#`` and the sealed body in hex digits, so
that nothing of their protection is lost and a terminal still shows them as text.
"""

from abc import abstractmethod
from collections.abc import Collection, Sequence

from nuvrik.core.frames.sealed import ACCEPTED, Sealed
from nuvrik.core.frames.text import CHECK_MARK, NO_CHECK, TextReader, check_begins, check_digits, check_over
from nuvrik.core.levels import NO_READING
from nuvrik.plan.form.frame_base import CHECK_DIGITS, MAX_TEXT
from nuvrik.plan.form.frame_texts import TextForm
from nuvrik.plan.form.frames import Text
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.ends import sealed_table
from nuvrik.plan.tables.styles import CHECKS, text_table
from nuvrik.wire.codes import Value
from nuvrik.wire.events import REASONS, Event, Frame, Reader, RefusedFrame, reason_of
from nuvrik.wire.kinds import COMMAND, STOP
from nuvrik.wire.sealed import SealedReader
from nuvrik.wire.styles.style import HEX_MARK, Maker, Mark, Part, PlainMaker, Row, Style
from nuvrik.wire.words import message_text, value_text


def check_of(text: bytes, check: int) -> int:
    """A check of core's over a text.

    >>> from nuvrik.core.frames.text import CHECK_CRC8, CHECK_CRC16
    >>> f"{check_of(b'123456789', CHECK_CRC8):02X} {check_of(b'123456789', CHECK_CRC16):04X}"
    'F4 29B1'
    """
    total: int = check_begins(check)
    for byte in text:
        total = check_over(check, total, byte)
    return total


def with_check(text: bytes, frame: Text) -> bytes:
    """A text with its check behind it, if the style has one."""
    check = CHECKS[frame.check]
    if check == NO_CHECK:
        return text
    return text + b"%c%0*X" % (CHECK_MARK, check_digits(check), check_of(text, check))


class LineReader:
    """Lines to events: commands and stops as text, and lines of ``#`` and a sealed body in hex digits. What a
    line is decides ``core.frames.text``."""

    most = MAX_TEXT

    def __init__(self, link: Link, sealed: SealedReader, accepts: Collection[int]) -> None:
        table = text_table(link)
        self._text, self._values = TextReader(table), [0] * len(link.channels)
        self._body, self._sealed = Sealed(sealed_table(link, ())), sealed
        self._commands, self._stops = COMMAND in accepts and bool(table.forms), STOP in accepts
        self.end = bytes(table.ending)
        self.forget = sealed.forget

    @property
    def last(self) -> int | None:
        """The last sequence number among the lines of hex digits."""
        return self._sealed.last

    def opened(self, piece: bytes) -> bytes:
        """Text is as it stands in its line."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one line; in a packet, its end may be there or not."""
        text = self._text
        text.begin()
        for byte in raw:
            text.keep(byte)
        text.without_ending()
        piece = raw[: text.length]
        if text.is_hex():
            event = text.unhex(self._body)
            if event == ACCEPTED:
                return self._sealed.judge(bytes(self._body.body[: self._body.length]), piece, at)
            return RefusedFrame(at, reason_of(event), piece)
        if not self._commands:
            digits = check_digits(text.table.check)
            sound = not digits or text.sound(digits)
            return RefusedFrame(at, "wrong_kind" if sound else "check", piece)
        event = text.read(self._values)
        if event != ACCEPTED:
            return RefusedFrame(at, reason_of(event), piece)
        if text.stop:
            return Frame(at, STOP, None, (), piece) if self._stops else RefusedFrame(at, "wrong_kind", piece)
        values = tuple([None if value == NO_READING else value for value in self._values])
        return Frame(at, COMMAND, None, values, piece)


class TextStyle(Style):
    """Commands as text, ended by a marker."""

    said_where = "text, at its longest"

    def __init__(self, link: Link, frame: Text) -> None:
        super().__init__(link)
        self.frame = frame

    @abstractmethod
    def split(self, text: bytes) -> list[bytes]:
        """The fields of a command, without its tag and check."""

    def maker(self) -> Maker:
        return PlainMaker(self.link)

    def reader(self, accepts: frozenset[int], sealed: SealedReader) -> Reader:
        return LineReader(self.link, sealed, accepts)

    def wrapped(self, body: bytes) -> bytes:
        end = self.frame.end.encode()
        return (end if self.frame.lead_in else b"") + body + end

    def _laid_out(
        self, texts: Sequence[str], meanings: Sequence[str], check: str
    ) -> list[tuple[int, str, str]]:
        """The lengths of all that a command is made of, with their names and meanings."""
        frame = self.frame
        made = [(len(frame.tag), "tag", repr(frame.tag))]
        for number, (name, text, meaning) in enumerate(zip(self.link.channels, texts, meanings, strict=True)):
            if number:
                made.append((len(frame.between), "separator", repr(frame.between)))
            made.append((len(text), name, meaning))
        digits = CHECK_DIGITS[frame.check]
        return [*made, (1 + digits if digits else 0, "check", check)]

    def parts(self, maker: Maker, values: Sequence[Value], seq: int, body: bytes) -> list[Part]:
        digits = CHECK_DIGITS[self.frame.check]
        until = len(body) - (1 + digits if digits else 0)
        texts = [text.decode() for text in self.split(body[len(self.frame.tag) : until])]
        pairs = zip(texts, values, self.fields, strict=True)
        meanings = [f"{text}: {value_text(value, field)}" for text, value, field in pairs]
        parts, place = [], 0
        for length, name, meaning in self._laid_out(texts, meanings, f"{self.frame.check} of all before it"):
            if length:
                parts.append(Part(8 * place, 8 * length, name, meaning))
            place += length
        return parts

    def rows(self) -> list[Row]:
        forms = self.frame.forms(self.link.channels)
        meanings = [_ends(form) for form in forms]
        check = f"* and {self.frame.check} of all before it, in hex digits"
        rows, place = [], 0
        for length, name, meaning in self._laid_out([" " * form.longest for form in forms], meanings, check):
            if length:
                rows.append(Row(place, 0, 8 * length, name, meaning))
            place += length
        return rows

    def marks(self, event: Event) -> list[Mark]:
        frame, raw = self.frame, bytes(event.raw)
        ending = [] if self.link.medium.datagrams else [Mark(frame.end.encode(), "end of frame")]
        if raw.startswith(HEX_MARK):
            said = message_text(event.values, self.link) if isinstance(event, Frame) else event.reason
            return [Mark(raw[:1], "begins a line of hex digits"), Mark(raw[1:], said), *ending]
        if not isinstance(event, Frame) or event.kind != COMMAND:
            what = "the text of a stop" if isinstance(event, Frame) else REASONS[event.reason]
            return [Mark(raw, what), *ending]
        tag, digits = len(frame.tag), CHECK_DIGITS[frame.check]
        until = len(raw) - (1 + digits if digits else 0)
        between = [Mark(frame.between.encode(), "separator")] if frame.between else []
        marks = [Mark(raw[:tag], "tag")] if tag else []
        texts = self.split(raw[tag:until])
        for number, (text, value, field) in enumerate(zip(texts, event.values, self.fields, strict=True)):
            marks += between if number else []
            marks.append(Mark(text, f"{field.name} {value_text(value, field)}"))
        return [*marks, *([Mark(raw[until:], f"check, {frame.check}")] if digits else []), *ending]

    def finely(self, name: str) -> str:
        channel = self.link.channels[name]
        form = TextForm.of(channel, self.frame.fields.get(name))
        return f"; {_ends(form)}" if channel.scaled else ""

    def odds(self) -> str:
        still = "of what still reads as a frame"
        random, swaps = f"random errors pass, {still},", "that change places"
        return {
            "none": super().odds(),
            "xor8": f"XOR-8 lets 1 in 256 {random} and any two bytes {swaps}",
            "sum8": f"A sum of 8 bits lets 1 in 256 {random} and any bytes {swaps}",
            "crc8": f"CRC-8 lets 1 in 256 {random} but detects every burst of up to 8 bits",
            "crc16": f"CRC-16 lets 1 in 65,536 {random} but detects every error of up to 3 bits and every "
            "burst of up to 16",
        }[self.frame.check]

    def unended(self, data: bytes) -> tuple[str, str] | None:
        if self.frame.end.encode() in data or not is_printable(data):
            return None
        what = f"no frame ever ends: there is no {self.frame.end!r} in it"
        return what, 'set frame.end to what the sender ends its lines with, "\\n", "\\r" or "\\r\\n"'


def _ends(form: TextForm) -> str:
    scale = 10**form.decimals
    return f"from {form.low / scale:g} to {form.high / scale:g}"


def is_printable(data: bytes) -> bool:
    """Whether bytes are text, but for a few."""
    return sum(32 <= byte < 127 or byte in (9, 10, 13) for byte in data) > 0.95 * len(data)
