"""A fast path, held to core by tests/test_handset_end.py. A machine's end as core has it, around CPython's
own decoder and encoder, which are several times faster than those that go byte by byte. A property in the
tests holds the two ways to each other."""

from nuvrik.core.frames.sender import Sender
from nuvrik.core.levels import TIMER_MAX
from nuvrik.core.loops.machine_end import EndTable, MachineEnd
from nuvrik.core.machine.inputs import Inputs
from nuvrik.core.machine.machine import Machine
from nuvrik.core.machine.pins import Again
from nuvrik.core.machine.telling import Telling
from nuvrik.wire.bits import put
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.frames import Encoder


class QuickSender(Sender):
    """Keeps what it is given, and lets an encoder make a frame of it. ``made`` is the last one as it
    travels."""

    def __init__(self, encoder: Encoder) -> None:
        self._encoder = encoder
        self.seq = self.at = self._kind = self._filled = 0
        self._fields: list[tuple[int, int]] = []
        self.made = b""

    def begin(self, kind: int) -> None:
        """A frame of a kind, with the next number."""
        self._kind, self._fields, self.at, self._filled = kind, [], 0, 0

    def bits(self, code: int, bits: int) -> None:
        """One code more in the payload."""
        if self.at > self._filled:
            self._fields.append((0, self.at - self._filled))
        self._fields.append((code, bits))
        self.at = self._filled = self.at + bits

    def seal(self) -> None:
        """The payload is whole."""
        encoder = self._encoder
        self.made = encoder.on_wire(encoder.sealed(self._kind, self.seq, put(self._fields)))
        self.seq = self.seq + 1 & 0xFF


class QuickEnd(MachineEnd):
    """The same end with another way in and another way out; frames arrive decoded."""

    def __init__(self, table: EndTable, decoder: Decoder, sender: QuickSender) -> None:
        self.table = table
        self.machine = Machine(table.machine)
        self.sealed = decoder  # type: ignore[assignment]  # it forgets and wears alike
        self.telling = Telling(table.telling)
        self.sender = self.out = sender
        self.inputs = Inputs(table.inputs)
        self.again = Again()
        self.pins, self.skips, self.calls, self.told = [], False, False, False
        self.start = self.up_part = self.up_s = self.accepted = self.refused = self.noted = 0
        self.radio_ms = TIMER_MAX

    def forget(self) -> None:
        """Whatever was heard before counts no more."""
        self.sealed.forget()
