"""A fast path, held to core by tests/test_traces.py: whatever arrives to events, every frame that may be
believed, and of every other, why not.

This is the one stream decoder; what stands between two end markers is for the reader of the style. No byte
sequence whatever raises, and memory is bounded by the longest frame."""

from collections.abc import Callable, Iterable

from nuvrik.core.session import HandsetSession, MachineSession
from nuvrik.plan.form.frame_base import MAX_BODY
from nuvrik.plan.form.models import Link
from nuvrik.wire.authenticated import AuthenticBystander, AuthenticReader, Overheard
from nuvrik.wire.events import REASONS, Event, Frame, RefusedFrame
from nuvrik.wire.kinds import COMMAND, TELEMETRY, TO_MACHINE
from nuvrik.wire.sealed import BystanderReader, SealedReader
from nuvrik.wire.styles import style_of
from nuvrik.wire.styles.keys import KeyReader

__all__ = ["REASONS", "Decoder", "Event", "Frame", "RefusedFrame"]


class Decoder:
    """Decodes one link's frames, from a stream in pieces of any size, or datagram by datagram.

    ``accepts`` are the kinds that this end takes, by default a machine's. It keeps two things: the
    beginning of a frame not yet ended, and the last sequence number, which ``forget`` drops (after
    a timeout, the next is taken as it is). With ``any_pair`` it hears everybody's hello. ``session`` is what
    an end of a link with a key knows of the other, or what a bystander knows of both.

    >>> tug = nuvrik.load("tug.toml")
    >>> wire = nuvrik.Encoder(tug).command(nuvrik.to_wire(tug, throttle=0.5), seq=7)
    >>> frame = Decoder(tug).feed_datagram(wire)[0]
    >>> frame.seq, round(nuvrik.from_wire(tug, frame.values)["throttle"], 3)
    (7, 0.5)
    """

    def __init__(
        self,
        link: Link,
        accepts: Iterable[int] = TO_MACHINE,
        *,
        any_pair: bool = False,
        session: MachineSession | HandsetSession | Overheard | None = None,
    ) -> None:
        kinds = frozenset(accepts)
        both = {COMMAND, TELEMETRY} <= kinds
        style = style_of(link)
        if both and link.authenticated and session is None:
            session = Overheard(link)
        if isinstance(session, Overheard):
            self._sealed: SealedReader = AuthenticBystander(link, kinds, session, style.framing)
        elif session is not None:
            self._sealed = AuthenticReader(link, kinds, session, style.framing)
        else:
            sealed = BystanderReader if both else SealedReader
            self._sealed = sealed(link, kinds, any_pair=any_pair, framing=style.framing)
        self._reader = reader = style.reader(kinds, self._sealed)
        self._opened, self._judge = reader.opened, reader.judge
        self._end, self._most = reader.end, reader.most
        self.tells_keys = isinstance(reader, KeyReader)
        """Whether this end is to say of each command whether it was followed (``told``)."""
        self.forget = reader.forget
        """Drop the last sequence number and all else known from earlier frames."""
        self.wear = self._sealed.wear
        """Take any sequence number next but the last one again."""
        self._held = b""
        self._skipping = False
        self._at = 0
        self._datagrams = 0

    def guard(self, fresh: Callable[[int], bool]) -> None:
        """Refuse what is late: unless ``fresh`` of the guard byte of a command, or of what an authenticated
        frame was made from."""
        self._sealed.fresh = fresh

    def pass_time(self, dt_ms: int) -> None:
        """Let ``dt_ms`` go by: so many more tags may be worked out."""
        self._sealed.pass_time(dt_ms)

    def skip(self, skips: bool) -> None:
        """Whether what arrives was sent to somebody who was not listening."""
        self._sealed.skips = skips

    def told(self, *, followed: bool) -> None:
        """Whether the machine follows the command that was decoded last. Keys that step a place count only
        then."""
        if isinstance(self._reader, KeyReader):
            self._reader.told(followed=followed)

    @property
    def pair_heard(self) -> int | None:
        """The pair number of the last hello; None before one."""
        return self._sealed.pair_heard

    @property
    def last(self) -> int | None:
        """The last sequence number; None if there is none."""
        return self._reader.last

    def feed(self, data: bytes) -> list[Event]:
        """The events in the next piece of a stream. How the stream is cut makes no difference."""
        end, at, opened, judge = self._end, self._at, self._opened, self._judge
        if not end:
            self._at += len(data)
            return self._one_by_one(data, at)
        # Splitting is the fastest way that Python has of finding ends; a chip will go byte by byte.
        pieces = (self._held + data if self._held else data).split(end)
        held = pieces.pop()
        if self._skipping:
            if not pieces:
                self._keep_skipping(held, at)
                return []
            self._skipping = False
            at += len(pieces[0]) + len(end)
            del pieces[0]
        events: list[Event] = []
        most, step = self._most, len(end)
        for piece in pieces:
            length = len(piece)
            # A piece that is too long is refused whole: what is inside it may only look like a frame.
            if length > most:
                events.append(RefusedFrame(at, "too_long", piece[: most + 1]))
            elif length:
                body = opened(piece)
                if body is None:
                    events.append(RefusedFrame(at, "stuffing", piece))
                else:
                    events.append(judge(body, piece, at))
            at += length + step
        # The beginning of an end marker does not count towards a frame's length.
        if len(held) >= most + step:
            # Said once, at the byte that overflows; the rest is skipped up to the next end marker.
            events.append(RefusedFrame(at, "too_long", held[: most + 1]))
            self._skipping = True
            self._keep_skipping(held, at)
        else:
            self._held, self._at = held, at
        return events

    def _keep_skipping(self, held: bytes, at: int) -> None:
        """Drop what cannot be the beginning of an end marker."""
        kept = len(self._end) - 1
        self._held = held[len(held) - kept :] if kept else b""
        self._at = at + len(held) - len(self._held)

    def taker(self, *, stream: bool) -> Callable[[bytes], list[Event]]:
        """``feed``, or ``feed_datagram`` for a line that carries packets."""
        return self.feed if stream else self.feed_datagram

    def feed_datagram(self, body: bytes) -> list[Event]:
        """The events of one packet; none for an empty one."""
        if not body:
            return []
        at = self._datagrams
        self._datagrams += 1
        if not self._end:
            return self._one_by_one(body, at, step=0)
        if len(body) > MAX_BODY:
            return [RefusedFrame(at, "too_long", bytes(body[: MAX_BODY + 1]))]
        return [self._judge(body, bytes(body), at)]

    def _one_by_one(self, data: bytes, at: int, step: int = 1) -> list[Event]:
        """Where each byte is a frame of its own."""
        keys = [data[place : place + 1] for place in range(len(data))]
        return [self._judge(key, key, at + step * place) for place, key in enumerate(keys)]
