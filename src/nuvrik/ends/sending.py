"""The handset's frames, each with the next sequence number. Stops, questions and commands share one
sequence.

Frames with head and check are made by CPython's own encoder, which is several times faster than core's; a
property in the tests holds the two to each other. Text, keys and trains are written by core itself."""

from typing import Protocol

from nuvrik.core.frames.writer import OUT_SLOTS, Writer
from nuvrik.core.levels import NO_READING, NOBODY
from nuvrik.core.requests.asking import Asking
from nuvrik.ends.quick import QuickSender
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.writer import writer_table
from nuvrik.wire.codes import Value
from nuvrik.wire.frames import Encoder
from nuvrik.wire.styles.train import GAP, in_bytes


class Sending(Protocol):
    """Makes the frames of one handset. ``frames``: how many have been made; ``unsaid``: the place of the
    channel for whose sake nothing can be sent, NOBODY for none."""

    frames: int

    @property
    def unsaid(self) -> int:
        """The place of a channel, NOBODY for none."""

    def stop(self) -> bytes:
        """A stop; in a style that knows none, everything at rest and arm off."""

    def question(self, asking: Asking, what: int) -> bytes:
        """What is asked in place of a command."""

    def command(self, values: list[Value], echo: int) -> bytes:
        """A command; ``echo`` is the sequence of the telemetry heard last, for a delay guard."""


def sending(link: Link, *, stream: bool) -> Sending:
    """What makes the frames of a link's handset that has no key."""
    return Headed(link, stream=stream) if link.frame.sealed else Plain(link, stream=stream)


class Headed:
    """Frames with head and check."""

    unsaid = NOBODY

    def __init__(self, link: Link, *, stream: bool) -> None:
        self._encoder = Encoder(link, stream=stream)
        self._questions = QuickSender(self._encoder)
        self._guarded = bool(link.guard_bytes)
        self._command_on_wire = self._encoder.command_on_wire
        self.seq = 0
        self.frames = 0

    def stop(self) -> bytes:
        """A stop."""
        return self._encoder.on_wire(self._encoder.stop(self._next()))

    def question(self, asking: Asking, what: int) -> bytes:
        """What is asked in place of a command."""
        self._questions.seq = self._next()
        asking.write(what, self._questions)
        return self._questions.made

    def command(self, values: list[Value], echo: int) -> bytes:
        """A command."""
        seq = self.seq
        self.seq = seq + 1 & 0xFF
        self.frames += 1
        if self._guarded:
            self._encoder.echo = echo
        return self._command_on_wire(values, seq)

    def _next(self) -> int:
        seq = self.seq
        self.seq = seq + 1 & 0xFF
        self.frames += 1
        return seq


class Plain:
    """Text, keys and trains."""

    def __init__(self, link: Link, *, stream: bool) -> None:
        self._writer = Writer(writer_table(link, stream=stream))
        self._slots = len(link.channels) if self._writer.table.way_out == OUT_SLOTS else 0
        self._gap = GAP if stream else b""
        self.frames = 0

    @property
    def unsaid(self) -> int:
        """The place of the channel that has never been given, NOBODY for none."""
        return self._writer.unsaid

    def stop(self) -> bytes:
        """A stop; in a style that knows none, everything at rest, arm off, and places as they are."""
        self.frames += 1
        return self._made(self._writer.stop())

    def question(self, asking: Asking, what: int) -> bytes:
        """What is asked in place of a command, as a line of hex digits."""
        self.frames += 1
        asking.write(what, self._writer.sender)
        return bytes(self._writer.sender.wire[: self._writer.sender.count])

    def command(self, values: list[Value], echo: int) -> bytes:
        """A command; b"" where the style has no way of saying it."""
        self.frames += 1
        self._writer.echo = echo
        return self._made(self._writer.command([NO_READING if one is None else one for one in values]))

    def _made(self, written: bool) -> bytes:
        if not written:
            return b""
        if self._slots:
            return in_bytes(self._writer.slots[: self._slots]) + self._gap
        return bytes(self._writer.sender.wire[: self._writer.sender.count])
