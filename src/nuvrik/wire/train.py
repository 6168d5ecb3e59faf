"""Commands as a train of pulses: a slot of time for each channel, in microseconds.

On the wire a slot is the time from the start of one pulse to the start of the next; ``pulses.train`` makes
marks and spaces of slots, and slots of marks and spaces. In bytes, as a timer captures them, a slot is 16
bits, high byte first; on a stream of bytes 0xFFFF stands for the gap between two trains, which no slot is.
"""

from collections.abc import Mapping, Sequence

from nuvrik.levels import clamp, div
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.frames import TextForm, TrainFrame
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import most_of
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.events import Event, Frame, RefusedFrame
from nuvrik.wire.kinds import COMMAND
from nuvrik.wire.text import number_of, value_of

GAP = b"\xff\xff"
SLOT_BYTES = 2


class Slot:
    """How one channel is written as a length of time."""

    def __init__(self, frame: TrainFrame, channel: AnyChannel) -> None:
        scaled = channel.kind in ("level", "share")
        self._form = TextForm(scaled, channel.kind == "share", frame.low_us, frame.high_us, 0, 0)
        self._low, self._span = frame.low_us, frame.high_us - frame.low_us
        self._most = most_of(channel)
        self._ends = sorted((frame.low_us, frame.high_us))

    def length(self, value: Value) -> int:
        """Microseconds. Raises Unsaid for *no reading*: there is no slot for that."""
        if value is None:
            raise Unsaid
        if self._form.scaled:
            return number_of(value, self._form)
        return self._low + div(value * self._span, self._most)

    def value(self, length: int) -> int:
        """The value of a slot, the nearest end's where it is a little beyond."""
        length = clamp(length, *self._ends)
        if self._form.scaled:
            value = value_of(length, self._form)
            assert value is not None
            return value
        return div((length - self._low) * self._most, self._span)


def slots_of(frame: TrainFrame, channels: Mapping[str, AnyChannel]) -> list[Slot]:
    """The slots of a train, in declared order."""
    return [Slot(frame, channel) for channel in channels.values()]


class TrainCommands:
    """Makes trains, as bytes."""

    def __init__(self, frame: TrainFrame, channels: Mapping[str, AnyChannel]) -> None:
        self._slots = slots_of(frame, channels)

    def command(self, values: Sequence[Value]) -> bytes:
        """A slot for each value."""
        lengths = [slot.length(value) for slot, value in zip(self._slots, values, strict=True)]
        return in_bytes(lengths)

    def stop(self) -> bytes:
        """There is no train that only stops; b""."""
        return b""


class TrainReader:
    """Trains to commands."""

    end = GAP
    last: int | None = None

    def __init__(self, frame: TrainFrame, link: Link) -> None:
        self._slots = slots_of(frame, link.channels)
        self._shortest, self._longest = frame.shortest_us, frame.longest_us
        self.most = SLOT_BYTES * len(self._slots)

    def forget(self) -> None:
        """Nothing is known from earlier trains."""

    def opened(self, piece: bytes) -> bytes:
        """Slots are not inside anything."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one train: as many slots as there are channels, none of them further out than the
        margin, or it is none."""
        if len(body) != self.most:
            return RefusedFrame(at, "bad_field", raw)
        lengths = in_slots(bytes(body))
        if not all(self._shortest <= length <= self._longest for length in lengths):
            return RefusedFrame(at, "bad_field", raw)
        values = tuple(slot.value(length) for slot, length in zip(self._slots, lengths, strict=True))
        return Frame(at, COMMAND, None, values, raw)


def in_bytes(lengths: Sequence[int]) -> bytes:
    """Slots as bytes."""
    return b"".join(length.to_bytes(SLOT_BYTES, "big") for length in lengths)


def in_slots(data: bytes) -> list[int]:
    """Bytes as slots."""
    return [int.from_bytes(data[at : at + 2], "big") for at in range(0, len(data) - 1, SLOT_BYTES)]
