"""What every frame style must be able to do, and what is alike in all of them.

A style is one object in one file of this folder: it makes commands and stops, keeps frames apart on a stream,
reads them, and explains them. What the link file says of it, how long its frames are and what it cannot give
is in its form (``plan.form.frames``), because the rules of the link file need that before any frame is made.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from typing import ClassVar, NamedTuple

from nuvrik.core.frames.writer import OUT_SLOTS, OUT_TEXT, Writer
from nuvrik.core.levels import NO_READING, NOBODY
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import layout_tag
from nuvrik.plan.tables.writer import writer_table
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.events import Event, Reader
from nuvrik.wire.kinds import HELLO
from nuvrik.wire.packing import Field, Packer
from nuvrik.wire.sealed import ANY_PAIR, Framing, SealedReader, sealed

Wrapper = Callable[[bytes], bytes]
CommandOnWire = Callable[[Sequence[Value], int], bytes]

HEX_MARK = b"#"
"""Begins a line of hex digits, which is how frames of other kinds travel beside commands that are text."""


class Part(NamedTuple):
    """A run of bits in a body, the lowest at ``start`` (bit 0 is the lowest of byte 0)."""

    start: int
    bits: int
    name: str
    meaning: str


class Row(NamedTuple):
    """Where something sits in a command: first byte, first bit in it, bits, name, and how it is written."""

    byte: int
    bit: int
    bits: int
    name: str
    meaning: str


class Mark(NamedTuple):
    """Some bytes of a frame as it came over the wire, and what they are."""

    raw: bytes
    what: str


class Maker(ABC):
    """Makes the frames of one sender. ``echo`` is the sequence of the telemetry heard last, where a delay
    guard has it travel in every command."""

    echo = 0

    def __init__(self, link: Link) -> None:
        self.packer = Packer(link)
        self.tag = layout_tag(link)
        self._style, self._pair = link.frame.style, link.frame.pair

    @abstractmethod
    def text(self, values: Sequence[Value]) -> bytes:
        """The body of a command. Raises Unsaid for values that the style has no way of saying."""

    @abstractmethod
    def stop(self, seq: int) -> bytes:
        """The body of a stop; b"" where the style knows none."""

    def command(self, values: Sequence[Value], seq: int) -> bytes:
        """The body of a command. ValueError for values that are out of range or cannot be said."""
        # Packed and thrown away: that is the one place where every value is held against its range.
        self.packer.pack(values)
        try:
            return self.text(values)
        except Unsaid:
            raise ValueError(f"style {self._style} has no way of saying no reading") from None

    def message(self, kind: int, seq: int, payload: bytes, *, anyone: bool = False) -> bytes:
        """The body of a frame of any kind around a payload made elsewhere: a line of hex digits."""
        return HEX_MARK + self._sealed(kind, seq, payload, anyone).hex().encode("ascii")

    def on_wire(self, wrapped: Wrapper, *, stream: bool) -> CommandOnWire:
        """What makes a command as it travels; b"" for values that the style cannot say, so that the machine
        hears silence instead of a guess."""

        # In a packet a body travels as it is.
        wrap = wrapped if stream else bytes

        def made(values: Sequence[Value], seq: int) -> bytes:
            if None in values:
                try:
                    return wrap(self.text(values))
                except Unsaid:
                    return b""
            return wrap(self.command(values, seq))

        return made

    def _sealed(self, kind: int, seq: int, payload: bytes, anyone: bool) -> bytes:
        return sealed(kind, ANY_PAIR if anyone and kind == HELLO else self._pair, self.tag, seq, payload)


class PlainMaker(Maker):
    """Makes commands and stops that are no sealed bodies, text, keys or slots, as ``core.frames.writer``
    writes them."""

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        self._writer = Writer(writer_table(link, stream=False))
        self._nothing = [NO_READING] * len(link.channels)

    def text(self, values: Sequence[Value]) -> bytes:
        """A command; b"" where every key there is would lead further away. Raises Unsaid for *no reading* of
        what there is no way to leave out."""
        self._writer.last[:] = self._nothing
        said = self._writer.command([NO_READING if one is None else one for one in values])
        if self._writer.unsaid != NOBODY:
            raise Unsaid
        return self._made(len(values)) if said else b""

    def stop(self, seq: int) -> bytes:
        table = self._writer.table
        if table.way_out == OUT_SLOTS or (table.way_out == OUT_TEXT and not table.text.stop):
            return b""
        return self._made(0) if self._writer.stop() else b""

    def _made(self, slots: int) -> bytes:
        writer = self._writer
        if writer.table.way_out == OUT_SLOTS:
            return b"".join(slot.to_bytes(2, "big") for slot in writer.slots[:slots])
        return bytes(writer.sender.wire[: writer.sender.count])


class Style(ABC):
    """One frame style for one link."""

    framing: ClassVar[Framing] = Framing()
    """How sealed frames are kept apart on a stream, in styles that have nothing else."""
    said_where: ClassVar[str]
    """How places in the table of a frame are to be read, for people."""

    def __init__(self, link: Link) -> None:
        self.link = link

    @abstractmethod
    def maker(self) -> Maker:
        """What makes frames for one sender."""

    @abstractmethod
    def reader(self, accepts: frozenset[int], sealed: SealedReader) -> Reader:
        """What reads frames for one receiver; ``sealed`` reads what has head and check."""

    @abstractmethod
    def wrapped(self, body: bytes) -> bytes:
        """A body kept apart from the next on a stream."""

    @abstractmethod
    def parts(self, maker: Maker, values: Sequence[Value], seq: int, body: bytes) -> list[Part]:
        """What each bit of a command is."""

    @abstractmethod
    def rows(self) -> list[Row]:
        """Where everything sits in a command; in text, at its longest."""

    @abstractmethod
    def marks(self, event: Event) -> list[Mark]:
        """Every byte of what came marked with what it is, as far as can be told."""

    @abstractmethod
    def finely(self, name: str) -> str:
        """How finely a channel is written, in words that follow others; "" where there is nothing to say."""

    def odds(self) -> str:
        """What the mathematics of its check says of random errors, as a sentence without its full stop."""
        return "Without a check, every damaged frame passes that still reads as one"

    def unended(self, data: bytes) -> tuple[str, str] | None:
        """What is probably wrong where its own frames are in ``data`` but do not end, and what to do."""
        return None

    @property
    def fields(self) -> tuple[Field, ...]:
        """The channels as they are packed."""
        return Packer(self.link).fields
