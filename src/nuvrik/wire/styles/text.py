"""Commands as text, for boards that already speak some: what ``line`` and ``columns`` have in common.

Frames of other kinds travel beside them as a line of ``#`` and the sealed body in hex digits, so
that nothing of their protection is lost and a terminal still shows them as text.
"""

import re
from abc import abstractmethod
from collections.abc import Callable, Collection, Mapping, Sequence
from functools import lru_cache
from typing import cast

from nuvrik.core.text import FormTable, number_of_value, value_of_number
from nuvrik.plan.form.frame_base import CHECK_DIGITS, MAX_BODY, MAX_TEXT
from nuvrik.plan.form.frame_texts import TextForm
from nuvrik.plan.form.frames import Text
from nuvrik.plan.form.models import Link
from nuvrik.wire.checks import CHECKS
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.events import REASONS, Event, Frame, Reader, RefusedFrame
from nuvrik.wire.kinds import COMMAND, STOP
from nuvrik.wire.sealed import SealedReader
from nuvrik.wire.styles.style import HEX_MARK, Maker, Mark, Part, Row, Style
from nuvrik.wire.words import message_text, value_text

CHECK_MARK = b"*"
NUMBER = re.compile(rb"([+-]?0*[0-9]{1,7})(?:\.([0-9]{1,4}))?").fullmatch
"""A sign, up to 7 digits besides the zeros in front of them, and decimals."""
HEX_DIGITS = re.compile(rb"(?:[0-9A-Fa-f]{2})*").fullmatch
MOST_KNOWN = 1 << 12
"""A field with more numbers than this is read number by number."""

# See wire/sealed.py: events are made by the hundred thousand.
_new = tuple.__new__


def number_of(value: int, form: TextForm) -> int:
    """The number that stands for a value in text, in units of its last decimal."""
    # A form has all that core's table of it has.
    return number_of_value(cast(FormTable, form), value)


def value_of(number: int, form: TextForm) -> int | None:
    """The value that a number stands for; None if it is beyond the range."""
    if not min(form.low, form.high) <= number <= max(form.low, form.high):
        return None
    return value_of_number(cast(FormTable, form), number)


def written(number: int, form: TextForm, width: int) -> str:
    """A number as text: sign, digits padded with zeros, and a point if there are decimals."""
    digits = str(abs(number)).rjust(form.decimals + 1, "0")
    if form.decimals:
        digits = digits[: -form.decimals] + "." + digits[-form.decimals :]
    sign = "-" if number < 0 else "+" if form.signed and width else ""
    return sign + digits.rjust(width - len(sign), "0")


class TextMaker(Maker):
    """Makes the text of commands and stops."""

    def __init__(self, link: Link, frame: Text) -> None:
        super().__init__(link)
        self._frame = frame
        self._forms = frame.forms(link.channels)
        self._modulo = [channel.kind == "count" for channel in link.channels.values()]

    def texts(self, values: Sequence[Value]) -> list[str]:
        """The text of each value. Raises Unsaid for *no reading* where there is no way to write it."""
        frame, texts = self._frame, []
        for value, form, counts in zip(values, self._forms, self._modulo, strict=True):
            if value is None:
                if not (frame.says_no_reading and form.empty):
                    raise Unsaid
                texts.append("")
                continue
            whole = value & form.high if counts else value
            texts.append(written(number_of(whole, form), form, frame.width(form)))
        return texts

    def text(self, values: Sequence[Value]) -> bytes:
        frame = self._frame
        return with_check((frame.tag + frame.between.join(self.texts(values))).encode(), frame)

    def stop(self, seq: int) -> bytes:
        return with_check(self._frame.stop.encode(), self._frame) if self._frame.stop else b""


def with_check(text: bytes, frame: Text) -> bytes:
    """A text with its check behind it, if the style has one."""
    if frame.check == "none":
        return text
    return text + CHECK_MARK + b"%0*X" % (CHECK_DIGITS[frame.check], CHECKS[frame.check](text))


class HexReader:
    """Lines of ``#`` and a sealed body in hex digits, and nothing else."""

    end = b"\n"
    most = MAX_TEXT

    def __init__(self, sealed: SealedReader) -> None:
        self._sealed = sealed
        self.forget = sealed.forget

    @property
    def last(self) -> int | None:
        """The last sequence number among the lines of hex digits."""
        return self._sealed.last

    def opened(self, piece: bytes) -> bytes:
        """Text is as it stands in its line."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one line."""
        if not body.startswith(HEX_MARK):
            return RefusedFrame(at, "wrong_kind", raw)
        digits = bytes(body[1:])
        if len(digits) > 2 * MAX_BODY:
            return RefusedFrame(at, "too_long", raw)
        if not HEX_DIGITS(digits):
            return RefusedFrame(at, "stuffing", raw)
        return self._sealed.judge(bytes.fromhex(digits.decode("ascii")), raw, at)


class TextReader(HexReader):
    """Commands and stops as text, and lines of hex digits."""

    def __init__(
        self,
        frame: Text,
        link: Link,
        split: Callable[[bytes], list[bytes]],
        sealed: SealedReader,
        accepts: Collection[int],
    ) -> None:
        super().__init__(sealed)
        self._split = split
        self.end = frame.end.encode()
        self._tag, self._stop = frame.tag.encode(), frame.stop.encode()
        self._commands, self._stops = COMMAND in accepts, STOP in accepts
        self._digits = CHECK_DIGITS[frame.check]
        self._check = CHECKS.get(frame.check)
        self._fields = [_Field(form, frame) for form in frame.forms(link.channels)]
        self._known = [field.known for field in self._fields]

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one line; in a packet, its end may be there or not."""
        piece = raw.removesuffix(self.end)
        if piece[:1] == HEX_MARK:
            return super().judge(piece, piece, at)
        text = piece
        # The check first: what is damaged may look like a stop, or like another kind.
        if self._check is not None:
            mark = len(piece) - self._digits - 1
            text = piece[: max(mark, 0)]
            if piece[mark:].upper() != CHECK_MARK + b"%0*X" % (self._digits, self._check(text)):
                return RefusedFrame(at, "check", piece)
        if text == self._stop and text:
            return Frame(at, STOP, None, (), piece) if self._stops else RefusedFrame(at, "wrong_kind", piece)
        if not (self._commands and text.startswith(self._tag)):
            return RefusedFrame(at, "wrong_kind", piece)
        fields = self._split(text[len(self._tag) :])
        if len(fields) != len(self._known):
            return RefusedFrame(at, "bad_field", piece)
        # Nearly every field is written as our own handset writes it, and found by one look-up.
        try:
            values = tuple([known[field] for known, field in zip(self._known, fields, strict=True)])
        except KeyError:
            # Written in another way than we do, or no number that can be.
            try:
                values = tuple([field.value(text) for field, text in zip(self._fields, fields, strict=True)])
            except ValueError:
                return RefusedFrame(at, "bad_field", piece)
        return _new(Frame, (at, COMMAND, None, values, piece))


class _Field:
    """How one field is read. ``known`` is what its ordinary texts mean."""

    def __init__(self, form: TextForm, frame: Text) -> None:
        self.form = form
        self._strip, self._blank = frame.spaces_ignored, frame.says_no_reading
        self.known = text_table(form, frame.width(form))

    def value(self, text: bytes) -> Value:
        """What a text means. ValueError where it means nothing."""
        form = self.form
        text = text.strip(b" ") if self._strip else text
        if not text and self._blank:
            return None if form.empty else 0
        found = NUMBER(text)
        decimals = (found[2] or b"") if found else b""
        if found is None or len(decimals) > form.decimals:
            raise ValueError(text)
        value = value_of(int(found[1] + decimals.ljust(form.decimals, b"0")), form)
        if value is None:
            raise ValueError(text)
        return value


@lru_cache(maxsize=32)
def text_table(form: TextForm, width: int) -> Mapping[bytes, Value]:
    """What each text means that a handset of the same link would write, for decoding by one look-up; empty
    where there are too many."""
    low, high = sorted((form.low, form.high))
    if high - low > MOST_KNOWN:
        return {}
    return {
        written(number, form, width).encode("ascii"): value_of(number, form)
        for number in range(low, high + 1)
    }


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
        return TextMaker(self.link, self.frame)

    def reader(self, accepts: frozenset[int], sealed: SealedReader) -> Reader:
        return TextReader(self.frame, self.link, self.split, sealed, accepts)

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
        assert isinstance(maker, TextMaker)
        texts = maker.texts(values)
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
