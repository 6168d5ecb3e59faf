"""Style ``keys``: one character or one number for each action, as a terminal or the plainest radio can send.

The machine's end keeps a value for each channel, all at rest and off at first; after a stop and after any
silence so again. A place has no reading until a key that is followed sets it or adds to it. Each key changes
some of them and is a command with all of them. So a key held down, or a program that repeats one, keeps the
link alive, and a key let go ends in silence.
"""

from collections.abc import Sequence

from nuvrik.core.frames.keys import Keys
from nuvrik.core.levels import NO_READING
from nuvrik.plan.form.frame_actions import KeysFrame
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.styles import keys_table
from nuvrik.wire.codes import Value
from nuvrik.wire.events import Event, Frame, Reader, RefusedFrame
from nuvrik.wire.kinds import COMMAND, STOP
from nuvrik.wire.sealed import SealedReader
from nuvrik.wire.styles.style import HEX_MARK, Maker, Mark, Part, PlainMaker, Row, Style
from nuvrik.wire.styles.text import LineReader


class KeyReader:
    """Keys to commands: ``core.frames.keys`` keeps the values."""

    end = b""
    most = 1
    last: int | None = None

    def __init__(self, link: Link) -> None:
        self._keys = Keys(keys_table(link))
        self._values = [0] * len(link.channels)

    def forget(self) -> None:
        """Everything at rest and off again; no place has a reading."""
        self._keys.forget()

    def told(self, *, followed: bool) -> None:
        """Whether the machine has followed the last command."""
        self._keys.told(followed)

    def opened(self, piece: bytes) -> bytes:
        """A byte is never inside anything."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one byte."""
        if not self._keys.known(body[0]):
            return RefusedFrame(at, "bad_field", raw)
        if self._keys.stops(body[0]):
            self._keys.forget()
            return Frame(at, STOP, None, (), raw)
        # A key is a command with every channel in it, so that the failsafe sees the whole and not a change.
        self._keys.press(body[0], self._values)
        return Frame(at, COMMAND, None, tuple(None if v == NO_READING else v for v in self._values), raw)


class KeysStyle(Style):
    """A byte for each action."""

    said_where = "text, at its longest"

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        assert isinstance(link.frame, KeysFrame)
        self._frame = link.frame

    def maker(self) -> Maker:
        return PlainMaker(self.link)

    def reader(self, accepts: frozenset[int], sealed: SealedReader) -> Reader:
        # Keys only go one way; what comes back are lines of hex digits.
        return KeyReader(self.link) if COMMAND in accepts else LineReader(self.link, sealed, accepts)

    def wrapped(self, body: bytes) -> bytes:
        return body + b"\n" if body.startswith(HEX_MARK) else body

    def parts(self, maker: Maker, values: Sequence[Value], seq: int, body: bytes) -> list[Part]:
        return [Part(0, 8 * len(body), "key", "the key that comes nearest to these values")]

    def rows(self) -> list[Row]:
        return [Row(0, 0, 8, "key", f"one of {len(self._frame.keys)}")]

    def marks(self, event: Event) -> list[Mark]:
        return [Mark(bytes(event.raw), "key" if isinstance(event, Frame) else "no key of this link")]

    def finely(self, name: str) -> str:
        return ""
