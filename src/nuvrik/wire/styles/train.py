"""Style ``train``: a train of pulses, a slot of time for each channel, in microseconds.

On the wire a slot is the time from the start of one pulse to the start of the next; ``pulses.train`` makes
marks and spaces of slots, and slots of marks and spaces. In bytes, as a timer captures them, a slot is 16
bits, high byte first; on a stream of bytes 0xFFFF stands for the gap between two trains, which no slot is.
"""

from collections.abc import Sequence

from nuvrik.core.frames import train
from nuvrik.core.frames.sealed import ACCEPTED
from nuvrik.plan.form.frame_actions import TrainFrame
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.styles import train_table
from nuvrik.wire.codes import Value
from nuvrik.wire.events import Event, Frame, Reader, RefusedFrame
from nuvrik.wire.kinds import COMMAND
from nuvrik.wire.sealed import SealedReader
from nuvrik.wire.styles.style import Maker, Mark, Part, PlainMaker, Row, Style
from nuvrik.wire.words import value_text

GAP = b"\xff\xff"
SLOT_BYTES = 2


class TrainReader:
    """Trains to commands: ``core.frames.train`` reads them."""

    end = GAP
    last: int | None = None

    def __init__(self, link: Link) -> None:
        self._train, self._values = train.TrainReader(train_table(link)), [0] * len(link.channels)
        self.most = SLOT_BYTES * len(link.channels)

    def forget(self) -> None:
        """Nothing is known from earlier trains."""

    def opened(self, piece: bytes) -> bytes:
        """Slots are not inside anything."""
        return piece

    def judge(self, body: bytes | bytearray, raw: bytes, at: int) -> Event:
        """The event of one train."""
        slots = in_slots(bytes(body))
        self._train.count = len(slots)
        self._train.slots[: len(slots)] = slots
        if len(body) % SLOT_BYTES or self._train.end(self._values) != ACCEPTED:
            return RefusedFrame(at, "bad_field", raw)
        return Frame(at, COMMAND, None, tuple(self._values), raw)


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
        return PlainMaker(self.link)

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
