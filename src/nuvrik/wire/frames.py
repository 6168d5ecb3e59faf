"""Values to frames, in any style, and how they go onto a medium."""

from collections.abc import Sequence

from nuvrik.plan.form.models import Link
from nuvrik.wire.codes import Value
from nuvrik.wire.styles import style_of
from nuvrik.wire.styles.style import Part


class Encoder:
    """Makes the frames of one link. Sequence numbers are the caller's to count.

    ``stream`` overrides what the link's medium says about framing: True for a stream of bytes,
    False for datagrams; a radio link is tried over a wire that way.

    >>> tug = nuvrik.load("tug.toml")
    >>> Encoder(tug).command(nuvrik.to_wire(tug, throttle=0.5), seq=7).hex()
    '105ad50700020045f6'
    """

    def __init__(self, link: Link, *, stream: bool | None = None) -> None:
        self.style = style_of(link)
        self._frame, self._maker = link.frame, self.style.maker()
        self._stream = not link.medium.datagrams if stream is None else stream
        self.packer, self.tag = self._maker.packer, self._maker.tag
        self.command_on_wire = self._maker.on_wire(self.style.wrapped, stream=self._stream)
        """A command frame as it travels; b"" where the style has no way of saying these values, so that
        the machine hears silence instead of a guess."""
        self.longest_body = link.frame.command_bytes(link.channels, link.guard_bytes)
        """How long the body of a command is, at its longest."""

    @property
    def echo(self) -> int:
        """The sequence of the telemetry heard last, where a delay guard has it travel in every command."""
        return self._maker.echo

    @echo.setter
    def echo(self, seq: int) -> None:
        self._maker.echo = seq

    def command(self, values: Sequence[Value], seq: int) -> bytes:
        """The body of a command frame: one value a channel in declared order.

        Raises ValueError for a value out of range, for a wrong number of values, and for *no reading*
        in a style that cannot say it.
        """
        return self._maker.command(values, _sound(seq))

    def stop(self, seq: int) -> bytes:
        """The body of a stop frame, which has no payload; b"" where the style knows none. ValueError for a
        sequence number that is none."""
        return self._maker.stop(_sound(seq))

    def sealed(self, kind: int, seq: int, payload: bytes, *, anyone: bool = False) -> bytes:
        """The body of a frame of any kind around a payload made elsewhere; in a line of hex digits where
        the style is text. ``anyone``: a hello to whoever is there, whatever its pair number."""
        return self._maker.message(kind, seq, payload, anyone=anyone)

    def on_wire(self, body: bytes) -> bytes:
        """The body as it travels: kept apart from the next on a stream, as it is in a datagram."""
        # Nothing to say is nothing to send: an empty frame would be silent, but it would take airtime.
        return self.style.wrapped(body) if body and self._stream else body

    def parts(self, values: Sequence[Value], seq: int) -> tuple[bytes, list[Part]]:
        """The body of a command, and what each of its bits is. ValueError as for ``command``."""
        body = self.command(values, seq)
        return body, self.style.parts(self._maker, values, seq, body)

    @property
    def longest_on_wire(self) -> int:
        """How long a command is as it travels, at its longest."""
        return self._frame.wire_bytes(self.longest_body, stream=self._stream)


def _sound(seq: int) -> int:
    if not 0 <= seq <= 255:
        raise ValueError(f"seq is {seq}; it must be from 0 to 255")
    return seq
