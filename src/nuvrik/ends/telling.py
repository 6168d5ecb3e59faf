"""What the machine says unasked: its state and its sensors' readings, each at its interval."""

from functools import cached_property

from nuvrik.ends.moving import Moving
from nuvrik.ends.sensors import Sensors
from nuvrik.ends.told import Told
from nuvrik.failsafe.table import STATES, State
from nuvrik.levels import LONG_AGO
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import payload_room
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import TELEMETRY
from nuvrik.wire.messages import Telemetry, TelemetryForm


class Telling:
    """Makes the frames of one machine. Times are milliseconds that only grow."""

    def __init__(self, link: Link, *, stream: bool) -> None:
        self._link, self._stream = link, stream
        guard_ms = link.failsafe.delay_guard_ms
        # The state is told at least as often as the most frequent item is due, whether its sensor works or
        # not, and often enough for a delay guard: by that a handset knows that the machine is there.
        intervals = [item.every_ms for item in link.telemetry.values()]
        intervals += [guard_ms // 3] if guard_ms is not None else []
        self._tell_ms = min(intervals, default=0)
        self._told = Told(guard_ms) if guard_ms is not None else None
        self.sensors = Sensors(link)
        self._seq = 0
        self._said = 0, False
        self._last_told_ms = LONG_AGO

    def sealed(self, kind: int, payload: bytes) -> bytes:
        """A frame as it travels, with the next sequence number."""
        seq = self._seq
        self._seq = seq + 1 & 0xFF
        return self._encoder.on_wire(self._encoder.sealed(kind, seq, payload))

    def due(self, now_ms: int, state: State, accepted: int | None, moving: Moving) -> bytes:
        """The telemetry that is due now, b"" if none is; ``accepted`` is the last command's sequence."""
        if not self._link.telemetry:
            return b""
        room = 8 * (self.room - 2 - (len(self._link.telemetry) + 7) // 8)
        items = self.sensors.due(now_ms, moving.demands, moving.outputs, room)
        say = STATES.index(state), moving.hold_ends
        if not items and say == self._said and now_ms - self._last_told_ms < self._tell_ms:
            return b""  # a change of state, or a hold about to end, is news by itself
        self._said = say
        if self._told is not None:
            self._told.note(self._seq, now_ms)
        self._last_told_ms = now_ms
        return self.sealed(TELEMETRY, self._form.pack(Telemetry(say[0], accepted, items, say[1])))

    def recent(self, seq: int, now_ms: int) -> bool:
        """Whether telemetry of that sequence was sent no longer ago than the delay guard allows."""
        return self._told is not None and self._told.recent(seq, now_ms)

    @cached_property
    def room(self) -> int:
        """How many bytes of payload a frame may carry."""
        return payload_room(self._link.medium, self._link.frame)

    # Made when they are first needed: a rehearsal makes thousands of machines that never say anything.

    @cached_property
    def _encoder(self) -> Encoder:
        return Encoder(self._link, stream=self._stream)

    @cached_property
    def _form(self) -> TelemetryForm:
        return TelemetryForm(self._link)
