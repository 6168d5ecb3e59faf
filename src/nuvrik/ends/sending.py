"""The handset's frames, each with the next sequence number. Stops, questions and commands share one
sequence."""

from nuvrik.core.asking import Asking
from nuvrik.ends.quick import QuickSender
from nuvrik.plan.form.models import Link
from nuvrik.wire.codes import Value
from nuvrik.wire.frames import Encoder


class Sending:
    """Makes the frames of one handset, and counts them."""

    def __init__(self, link: Link, *, stream: bool) -> None:
        self._encoder = Encoder(link, stream=stream)
        self._questions = QuickSender(self._encoder)
        self._rest: list[Value] = [0] * len(link.channels)
        self._guarded = bool(link.guard_bytes)
        self._command_on_wire = self._encoder.command_on_wire
        self.seq = 0
        self.frames = 0
        """How many have been made."""

    def stop(self) -> bytes:
        """A stop; in a style that knows none, everything at rest and arm off."""
        seq = self._next()
        return self._encoder.on_wire(self._encoder.stop(seq)) or self._encoder.command_on_wire(
            self._rest, seq
        )

    def question(self, asking: Asking, what: int) -> bytes:
        """What is asked in place of a command."""
        self._questions.seq = self._next()
        asking.write(what, self._questions)
        return self._questions.made

    def command(self, values: list[Value], echo: int) -> bytes:
        """A command; ``echo`` is the sequence of the telemetry heard last, for a delay guard."""
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
