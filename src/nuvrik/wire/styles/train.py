"""Style ``train``: a train of pulses, a slot of time for each channel, in microseconds.

On the wire a slot is the time from the start of one pulse to the start of the next; ``pulses.train`` makes
marks and spaces of slots, and slots of marks and spaces. In bytes, as a timer captures them, a slot is 16
bits, high byte first; on a stream of bytes 0xFFFF stands for the gap between two trains, which no slot is.
"""

from collections.abc import Sequence

from nuvrik.core.train import slot_of_value, value_of_slot
from nuvrik.plan.form.frame_actions import TrainFrame
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.styles import train_table
from nuvrik.wire.codes import Unsaid, Value
from nuvrik.wire.events import Event, Frame, Reader, RefusedFrame
from nuvrik.wire.kinds import COMMAND
from nuvrik.wire.sealed import SealedReader
from nuvrik.wire.styles.style import Maker, Mark, Part, Row, Style
from nuvrik.wire.words import value_text

GAP = b"\xff\xff"
SLOT_BYTES = 2


class TrainMaker(Maker):
    """Makes trains, as bytes."""

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        self._table = train_table(link)

    def text(self, values: Sequence[Value]) -> bytes:
        """A slot for each value. Raises Unsaid for *no reading*: there is no slot for that."""
        if None in values:
            raise Unsaid
        pairs = zip(self._table.channels, values, strict=True)
        return in_bytes([slot_of_value(self._table, channel, value or 0) for channel, value in pairs])

    def stop(self, seq: int) -> bytes:
        """There is no train that only stops; b""."""
        return b""


class TrainReader:
    """Trains to commands."""

    end = GAP
    last: int | None = None

    def __init__(self, link: Link) -> None:
        self._table = train_table(link)
        self.most = SLOT_BYTES * len(link.channels)

    def forget(self) -> None:
        """Nothing is known from earlier trains."""

    def opened(self, piece: bytes) -> bytes:
        """Slots are not inside anything."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one train: as many slots as there are channels, none of them further out than the
        margin, or it is none."""
        # A train has no check; its number of slots and their lengths are all that can be held against it.
        if len(body) != self.most:
            return RefusedFrame(at, "bad_field", raw)
        lengths = in_slots(bytes(body))
        table = self._table
        if not all(table.shortest_us <= length <= table.longest_us for length in lengths):
            return RefusedFrame(at, "bad_field", raw)
        pairs = zip(table.channels, lengths, strict=True)
        values = tuple(value_of_slot(table, channel, length) for channel, length in pairs)
        return Frame(at, COMMAND, None, values, raw)


def in_bytes(lengths: Sequence[int]) -> bytes:
    """Slots as bytes."""
    return b"".join(length.to_bytes(SLOT_BYTES, "big") for length in lengths)


def in_slots(data: bytes) -> list[int]:
    """Bytes as slots."""
    return [int.from_bytes(data[at : at + 2], "big") for at in range(0, len(data) - 1, SLOT_BYTES)]


class Train(Style):
    """Slots between gaps."""

    said_where = "a slot of time as 16 bits"

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        assert isinstance(link.frame, TrainFrame)
        self._frame = link.frame

    def maker(self) -> Maker:
        return TrainMaker(self.link)

    def reader(self, accepts: frozenset[int], sealed: SealedReader) -> Reader:
        return TrainReader(self.link)

    def wrapped(self, body: bytes) -> bytes:
        return body + GAP

    def parts(self, maker: Maker, values: Sequence[Value], seq: int, body: bytes) -> list[Part]:
        slots = zip(in_slots(body), values, self.fields, strict=True)
        return [
            Part(16 * n, 16, field.name, f"{us} us: {value_text(value, field)}")
            for n, (us, value, field) in enumerate(slots)
        ]

    def rows(self) -> list[Row]:
        meaning = f"{self._slot}, high byte first"
        return [Row(2 * n, 0, 16, name, meaning) for n, name in enumerate(self.link.channels)]

    def marks(self, event: Event) -> list[Mark]:
        raw = bytes(event.raw)
        if not isinstance(event, Frame):
            return [Mark(raw, "not as many slots as channels, or one that no channel can have")]
        slots = zip(in_slots(raw), event.values, self.fields, strict=True)
        return [
            Mark(raw[2 * n : 2 * n + 2], f"{field.name} {value_text(value, field)}, a slot of {us} us")
            for n, (us, value, field) in enumerate(slots)
        ]

    def finely(self, name: str) -> str:
        return f"; {self._slot}"

    @property
    def _slot(self) -> str:
        return f"a slot from {self._frame.low_us} to {self._frame.high_us} us"
