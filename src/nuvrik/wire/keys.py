"""One character or one number for each action: what a terminal program or the plainest radio can send.

The machine's end keeps a value for each channel, all at rest and off at first, after a stop and after
any silence; each key changes some of them and is a command with all of them. So a key held down, or a
program that repeats one, keeps the link alive, and a key let go ends in silence.
"""

from collections.abc import Mapping, Sequence

from nuvrik.levels import FULL, clamp, level_of
from nuvrik.plan.channels import AnyChannel
from nuvrik.plan.frames import KeyAction, KeysFrame
from nuvrik.plan.layout import most_of
from nuvrik.plan.models import Link
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.events import Event, Frame, Reject
from nuvrik.wire.kinds import COMMAND, STOP

State = tuple[int, ...]


class Step:
    """What one key does to the values of the channels."""

    def __init__(self, action: KeyAction, channels: Mapping[str, AnyChannel]) -> None:
        self.stop = action.stop
        self._changes: list[tuple[int, bool, int, int, int]] = []
        for place, (name, channel) in enumerate(channels.items()):
            scaled = channel.kind in ("level", "share")
            low = -FULL if channel.kind == "level" else 0
            high = FULL if scaled else most_of(channel)
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


class KeyReader:
    """Keys to commands."""

    end = b""
    most = 1
    last: int | None = None

    def __init__(self, frame: KeysFrame, link: Link) -> None:
        self._steps = _steps(frame, link.channels)
        self._rest: State = (0,) * len(link.channels)
        self._state = self._rest

    def forget(self) -> None:
        """Everything at rest and off again."""
        self._state = self._rest

    def opened(self, piece: bytes) -> bytes:
        """A byte is never inside anything."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one byte."""
        step = self._steps.get(body[0])
        if step is None:
            return Reject(at, "bad_field", raw)
        if step.stop:
            self.forget()
            return Frame(at, STOP, None, (), raw)
        self._state = step.after(self._state)
        return Frame(at, COMMAND, None, self._state, raw)


class KeyCommands:
    """Chooses, for the values wanted, the key that brings the machine's nearest to them."""

    def __init__(self, frame: KeysFrame, channels: Mapping[str, AnyChannel]) -> None:
        self._steps = _steps(frame, channels)
        self._stop = next(bytes((code,)) for code, step in self._steps.items() if step.stop)
        self._state: State = (0,) * len(channels)
        self._sent: dict[int, int] = {}
        self._turn = 0
        # A flag that is wrong weighs as much as a level that is wrong by full.
        self._weights = [
            1 if channel.kind in ("level", "share") else FULL // max(1, most_of(channel))
            for channel in channels.values()
        ]

    def command(self, values: Sequence[Value]) -> bytes:
        """The key to send; b"" if every key there is would lead further away. Raises Unsaid for *no
        reading*: there is no key for that."""
        wanted = [value for value in values if value is not None]
        if len(wanted) < len(values):
            raise Unsaid
        moves = {code: step.after(self._state) for code, step in self._steps.items() if not step.stop}
        # Of keys that lead equally near, the one not sent for longest: in turn they repeat every value that
        # is right, so that a key lost on the way is made good.
        nearest = min(
            moves, key=lambda code: (self._away(moves[code], wanted), self._sent.get(code, 0)), default=None
        )
        if nearest is None or self._away(moves[nearest], wanted) > self._away(self._state, wanted):
            return b""
        self._state = moves[nearest]
        self._turn += 1
        self._sent[nearest] = self._turn
        return bytes((nearest,))

    def stop(self) -> bytes:
        """The key that stops."""
        self._state = (0,) * len(self._state)
        return self._stop

    def _away(self, state: State, wanted: Sequence[int]) -> int:
        return sum(weight * abs(a - b) for weight, a, b in zip(self._weights, state, wanted, strict=True))
