"""Style ``keys``: one character or one number for each action, as a terminal or the plainest radio can send.

The machine's end keeps a value for each channel, all at rest and off at first; after a stop and after any
silence so again, but for places, which stay. Each key changes some of them and is a command with all of
them. So a key held down, or a program that repeats one, keeps the link alive, and a key let go ends in
silence.
"""

from collections.abc import Mapping, Sequence

from nuvrik.core.keys import Chooser
from nuvrik.core.levels import NOBODY
from nuvrik.levels import FULL, clamp, level_of
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.frame_actions import KeyAction, KeysFrame
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.writer import chooser_table
from nuvrik.plan.wiring import place_channels
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.events import Event, Frame, Reader, RefusedFrame
from nuvrik.wire.kinds import COMMAND, STOP
from nuvrik.wire.sealed import SealedReader
from nuvrik.wire.styles.style import HEX_MARK, Maker, Mark, Part, Row, Style
from nuvrik.wire.styles.text import HexReader

State = tuple[int, ...]


class Step:
    """What one key does to the values of the channels."""

    def __init__(self, action: KeyAction, channels: Mapping[str, AnyChannel]) -> None:
        self.stop = action.stop
        self._changes: list[tuple[int, bool, int, int, int]] = []
        for place, (name, channel) in enumerate(channels.items()):
            scaled = channel.scaled
            low = -FULL if channel.kind == "level" else 0
            high = FULL if scaled else channel.most
            for adds, given in ((False, action.set), (True, action.add)):
                if name in given:
                    value = level_of(given[name]) if scaled else int(given[name])
                    self._changes.append((place, adds, value, low, high))

    def after(self, state: State) -> State:
        """The values once the key has been pressed."""
        values = list(state)
        for place, adds, value, low, high in self._changes:
            values[place] = clamp(value + (values[place] if adds else 0), low, high)
        return tuple(values)


def _steps(frame: KeysFrame, channels: Mapping[str, AnyChannel]) -> dict[int, Step]:
    return {code: Step(action, channels) for code, action in frame.codes().items()}


class _Kept:
    """The values at one end: what lasts through a silence or a stop, and what does not.

    A place (what a servo goes to) is only moved by a key that the machine follows. Whatever the failsafe
    table swallows changes none, and the first key that is followed moves on from the place commanded last;
    everything else is at rest and off again after a silence.
    """

    def __init__(self, link: Link) -> None:
        places = place_channels(link)
        self._places = [place for place, name in enumerate(link.channels) if name in places]
        self.state: State = (0,) * len(link.channels)
        self._kept: State = self.state

    def follow(self) -> None:
        """What was commanded last is followed."""
        self._kept = self.state

    def swallow(self) -> None:
        """It is not: places are where they were."""
        if self._places:
            self.state = self._with_places(self.state)

    def forget(self) -> None:
        """Everything at rest and off again, but for places."""
        self.state = self._with_places((0,) * len(self.state))

    def _with_places(self, state: State) -> State:
        values = list(state)
        for place in self._places:
            values[place] = self._kept[place]
        return tuple(values)


class KeyReader:
    """Keys to commands."""

    end = b""
    most = 1
    last: int | None = None

    def __init__(self, frame: KeysFrame, link: Link) -> None:
        self._steps = _steps(frame, link.channels)
        self._values = _Kept(link)

    def forget(self) -> None:
        """Everything at rest and off again; places stay."""
        self._values.forget()

    def told(self, *, followed: bool) -> None:
        """Whether the machine has followed the last command."""
        if followed:
            self._values.follow()
        else:
            self._values.swallow()

    def opened(self, piece: bytes) -> bytes:
        """A byte is never inside anything."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one byte."""
        step = self._steps.get(body[0])
        if step is None:
            return RefusedFrame(at, "bad_field", raw)
        if step.stop:
            self.forget()
            return Frame(at, STOP, None, (), raw)
        # A key is a command with every channel in it, so that the failsafe sees the whole and not a change.
        self._values.state = step.after(self._values.state)
        return Frame(at, COMMAND, None, self._values.state, raw)


class KeyMaker(Maker):
    """Makes keys: ``core.keys`` chooses, for the values wanted, the one that brings the machine's nearest."""

    def __init__(self, link: Link, frame: KeysFrame) -> None:
        super().__init__(link)
        table = chooser_table(link)
        self._keys = table.keys.keys
        self._chooser = Chooser(table)

    def text(self, values: Sequence[Value]) -> bytes:
        """The key to send; b"" if every key there is would lead further away. Raises Unsaid for *no
        reading*: there is no key for that."""
        wanted = [value for value in values if value is not None]
        if len(wanted) < len(values):
            raise Unsaid
        return self._pressed(self._chooser.choose(wanted))

    def stop(self, seq: int) -> bytes:
        """The key that stops."""
        return self._pressed(self._chooser.stop())

    def _pressed(self, place: int) -> bytes:
        return b"" if place == NOBODY else bytes((self._keys[place].code,))


class Keys(Style):
    """A byte for each action."""

    said_where = "text, at its longest"

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        assert isinstance(link.frame, KeysFrame)
        self._frame = link.frame

    def maker(self) -> Maker:
        return KeyMaker(self.link, self._frame)

    def reader(self, accepts: frozenset[int], sealed: SealedReader) -> Reader:
        # Keys only go one way; what comes back are lines of hex digits.
        return KeyReader(self._frame, self.link) if COMMAND in accepts else HexReader(sealed)

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
