"""Commands as text, for boards that already speak some: fields in a line, or columns of fixed width.

Frames of other kinds travel beside them as a line of ``#`` and the sealed body in hex digits, so
that nothing of their protection is lost and a terminal still shows them as text.
"""

import re
from collections.abc import Collection, Mapping, Sequence
from functools import lru_cache
from itertools import pairwise

from nuvrik.levels import FULL, div
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.frames import CHECK_DIGITS, MAX_TEXT, ColumnsFrame, LineFrame, Text, TextForm
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import MAX_BODY, text_forms
from nuvrik.wire.checks import CHECKS
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.events import Event, Frame, RefusedFrame
from nuvrik.wire.kinds import COMMAND, STOP
from nuvrik.wire.sealed import SealedReader

HEX_MARK = b"#"
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
    if not form.scaled:
        return value
    span = form.high - form.low
    if form.one_sided:
        return form.low + div(value * span, FULL)
    return form.low + div((value + FULL) * span, 2 * FULL)


def value_of(number: int, form: TextForm) -> int | None:
    """The value that a number stands for; None if it is beyond the range."""
    if not min(form.low, form.high) <= number <= max(form.low, form.high):
        return None
    if not form.scaled:
        return number
    span = form.high - form.low
    if form.one_sided:
        return div((number - form.low) * FULL, span)
    return div((number - form.low) * 2 * FULL, span) - FULL


def written(number: int, form: TextForm, width: int) -> str:
    """A number as text: sign, digits padded with zeros, and a point if there are decimals."""
    digits = str(abs(number)).rjust(form.decimals + 1, "0")
    if form.decimals:
        digits = digits[: -form.decimals] + "." + digits[-form.decimals :]
    sign = "-" if number < 0 else "+" if form.signed and width else ""
    return sign + digits.rjust(width - len(sign), "0")


class TextCommands:
    """Makes the text of commands and stops."""

    def __init__(self, frame: Text, channels: Mapping[str, AnyChannel]) -> None:
        self._frame = frame
        self._forms = text_forms(frame, channels)
        self._columns = isinstance(frame, ColumnsFrame)
        self._separator = frame.separator if isinstance(frame, LineFrame) else ""
        self._blank = isinstance(frame, LineFrame) and frame.missing == "no_reading"
        self._modulo = [channel.kind == "count" for channel in channels.values()]

    def fields(self, values: Sequence[Value]) -> list[str]:
        """The text of each value. Raises Unsaid for *no reading* where there is no way to write it."""
        texts = []
        for value, form, counts in zip(values, self._forms, self._modulo, strict=True):
            if value is None and form.scaled:
                if not self._blank:
                    raise Unsaid
                texts.append("")
                continue
            whole = 0 if value is None else value & form.high if counts else value
            texts.append(written(number_of(whole, form), form, form.longest if self._columns else form.width))
        return texts

    def command(self, values: Sequence[Value]) -> bytes:
        """The text of a command, check included."""
        return with_check((self._frame.tag + self._separator.join(self.fields(values))).encode(), self._frame)

    def stop(self) -> bytes:
        """The text of a stop; b"" where the board knows none."""
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

    def __init__(self, frame: Text, link: Link, sealed: SealedReader, accepts: Collection[int]) -> None:
        super().__init__(sealed)
        self.end = frame.end.encode()
        self._tag, self._stop = frame.tag.encode(), frame.stop.encode()
        self._commands, self._stops = COMMAND in accepts, STOP in accepts
        self._digits = CHECK_DIGITS[frame.check]
        self._check = CHECKS.get(frame.check)
        self._fields = [_Field(form, frame) for form in text_forms(frame, link.channels)]
        self._known = [field.known for field in self._fields]
        if isinstance(frame, LineFrame):
            self._separator = frame.separator.encode()
            self._split = self._separated
        else:
            self._cuts = [0]
            for field in self._fields:
                self._cuts.append(self._cuts[-1] + field.form.longest)
            self._split = self._columned

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one line; in a packet, its end may be there or not."""
        piece = raw.removesuffix(self.end)
        if piece[:1] == HEX_MARK:
            return super().judge(piece, piece, at)
        text = piece
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
        try:
            values = tuple([known[field] for known, field in zip(self._known, fields, strict=True)])
        except KeyError:
            # Written in another way than we do, or no number that can be.
            try:
                values = tuple([field.value(text) for field, text in zip(self._fields, fields, strict=True)])
            except ValueError:
                return RefusedFrame(at, "bad_field", piece)
        return _new(Frame, (at, COMMAND, None, values, piece))

    def _separated(self, text: bytes) -> list[bytes]:
        return text.split(self._separator)

    def _columned(self, text: bytes) -> list[bytes]:
        cuts = self._cuts
        return [text[start:end] for start, end in pairwise(cuts)] if len(text) == cuts[-1] else []


class _Field:
    """How one field is read. ``known`` is what its ordinary texts mean."""

    def __init__(self, form: TextForm, frame: Text) -> None:
        self.form = form
        self._strip = isinstance(frame, LineFrame) and frame.spaces == "ignore"
        self._blank = isinstance(frame, LineFrame) and frame.missing == "no_reading"
        self.known = text_table(form, form.width if isinstance(frame, LineFrame) else form.longest)

    def value(self, text: bytes) -> Value:
        """What a text means. ValueError where it means nothing."""
        form = self.form
        text = text.strip(b" ") if self._strip else text
        if not text and self._blank:
            return None if form.scaled else 0
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
