"""Values to frames, in any style, and how they go onto a medium."""

from binascii import crc_hqx
from collections.abc import Callable, Sequence

from nuvrik.plan.form.frames import KeysFrame, PackedFrame, Sealed, SlipFrame, TrainFrame
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import body_bytes, layout_tag, longest_on_wire
from nuvrik.wire.cobs import CODES, stuff
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.keys import KeyCommands
from nuvrik.wire.kinds import COMMAND, HELLO, STOP
from nuvrik.wire.packing import Packer
from nuvrik.wire.sealed import ANY_PAIR, CHECK, SHORTEST_BODY, head, sealed
from nuvrik.wire.slip import END, escape
from nuvrik.wire.text import HEX_MARK, TextCommands
from nuvrik.wire.train import GAP, TrainCommands


class Encoder:
    """Makes the frames of one link. Sequence numbers are the caller's to count.

    ``stream`` overrides what the link's medium says about framing: True for a stream of bytes,
    False for datagrams; a radio link is tried over a wire that way.
    """

    def __init__(self, link: Link, *, stream: bool | None = None) -> None:
        self.packer = Packer(link)
        self.tag = layout_tag(link)
        self._frame = frame = link.frame
        self._stream = not link.medium.datagrams if stream is None else stream
        self._pair = frame.pair
        self._pack = self._guarded if link.guard_bytes else self.packer.pack
        self.echo = 0
        """The sequence of the telemetry heard last, where a delay guard has it travel in every command."""
        self._text: TextCommands | KeyCommands | TrainCommands | None = None
        self.command_on_wire: Callable[[Sequence[Value], int], bytes] = self._command_on_wire
        """A command frame as it travels; b"" where the style has no way of saying these values, so that
        the machine hears silence instead of a guess."""
        if isinstance(frame, Sealed):
            self._commands = [head(COMMAND, frame.pair, self.tag, seq) for seq in range(256)]
            if not self._stream:
                self.command_on_wire = self.command
        elif isinstance(frame, KeysFrame):
            self._text = KeyCommands(frame, link)
        elif isinstance(frame, TrainFrame):
            self._text = TrainCommands(frame, link.channels)
        else:
            self._text = TextCommands(frame, link.channels)
        if isinstance(frame, PackedFrame):
            self._lead = b"\0" if frame.lead_in else b""
            self._opener = self._lead + CODES[SHORTEST_BODY + self.packer.size]
            if self._stream:
                self.command_on_wire = self._packed_on_wire
        self._longest = body_bytes(frame, link.channels, link.guard_bytes)

    def _guarded(self, values: Sequence[Value]) -> bytes:
        return bytes((self.echo,)) + self.packer.pack(values)[1:]

    def command(self, values: Sequence[Value], seq: int) -> bytes:
        """The body of a command frame: one value a channel in declared order.

        Raises ValueError for a value out of range, for a wrong number of values, and for *no reading*
        in a style that cannot say it.
        """
        if not 0 <= seq <= 255:
            raise ValueError(f"seq is {seq}; it must be from 0 to 255")
        if self._text is None:
            covered = self._commands[seq] + self._pack(values)
            return covered + CHECK(crc_hqx(covered, self.tag))
        self._pack(values)  # for its ValueErrors
        try:
            return self._text.command(values)
        except Unsaid:
            raise ValueError(f"style {self._frame.style} has no way of saying no reading") from None

    def _command_on_wire(self, values: Sequence[Value], seq: int) -> bytes:
        if self._text is not None and None in values:
            try:
                return self.on_wire(self._text.command(values))
            except Unsaid:
                return b""
        return self.on_wire(self.command(values, seq))

    def _packed_on_wire(self, values: Sequence[Value], seq: int) -> bytes:
        """``on_wire(command(values, seq))`` in one go."""
        covered = self._commands[seq] + self._pack(values)
        check = CHECK(crc_hqx(covered, self.tag))
        if 0 in covered or 0 in check:
            return self._lead + stuff(covered + check) + b"\0"
        # Most frames: one run, one code, and no search for zeros.
        return b"".join((self._opener, covered, check, b"\0"))

    def stop(self, seq: int) -> bytes:
        """The body of a stop frame, which has no payload; b"" where the style knows none. ValueError for a
        sequence number that is none."""
        if not 0 <= seq <= 255:
            raise ValueError(f"seq is {seq}; it must be from 0 to 255")
        return sealed(STOP, self._pair, self.tag, seq, b"") if self._text is None else self._text.stop()

    def sealed(self, kind: int, seq: int, payload: bytes, *, anyone: bool = False) -> bytes:
        """The body of a frame of any kind around a payload made elsewhere; in a line of hex digits where
        the style is text. ``anyone``: a hello to whoever is there, whatever its pair number."""
        body = sealed(kind, ANY_PAIR if anyone and kind == HELLO else self._pair, self.tag, seq, payload)
        return body if self._text is None else HEX_MARK + body.hex().encode("ascii")

    def on_wire(self, body: bytes) -> bytes:
        """The body as it travels: kept apart from the next on a stream, as it is in a datagram."""
        frame = self._frame
        if not body or not self._stream:
            return body
        if isinstance(frame, PackedFrame):
            return self._lead + stuff(body) + b"\0"
        if isinstance(frame, SlipFrame):
            return (END if frame.lead_in else b"") + escape(body) + END
        if isinstance(frame, KeysFrame):
            return body + b"\n" if body.startswith(HEX_MARK) else body
        if isinstance(frame, TrainFrame):
            return body + GAP
        end = frame.end.encode()
        return (end if frame.lead_in else b"") + body + end

    @property
    def longest_body(self) -> int:
        """How long the body of a command is, at its longest."""
        return self._longest

    @property
    def longest_on_wire(self) -> int:
        """How long a command is as it travels, at its longest."""
        return longest_on_wire(self._frame, self._longest, stream=self._stream)
