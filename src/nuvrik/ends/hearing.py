"""What a handset hears: the machine's state and telemetry, each with its age, answers, and cues."""

from functools import cached_property

from nuvrik.core.machine.states import STATES, State
from nuvrik.core.session import HandsetSession
from nuvrik.ends.asking import RADIO, Asker
from nuvrik.ends.cues import Beeper
from nuvrik.ends.sensors import Reading, Readings
from nuvrik.levels import LONG_AGO
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.handset_end import lost_ms
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.kinds import TELEMETRY, TO_HANDSET
from nuvrik.wire.messages import Answer


class Hearing:
    """Frames from the machine, on a link with anything that comes back. Times only grow; ``now_ms`` is
    set by the handset."""

    def __init__(
        self, link: Link, asker: Asker, *, stream: bool, session: HandsetSession | None = None
    ) -> None:
        self._link = link
        self._session = session
        self._asker = asker
        self._stream = stream
        self._readings = Readings(link)
        self._beepers = {name: Beeper(cue) for name, cue in link.cues.items()}
        self._timeout_ms = link.failsafe.timeout_ms
        self._lost_ms = lost_ms(link, [item.every_ms for item in link.telemetry.values()])
        self._state: State | None = None
        self._heard_ms = LONG_AGO
        self.now_ms = 0
        self.told_ms = LONG_AGO
        """When the last telemetry came."""
        self.seq = 0
        """Its sequence number."""
        self._hold_ends = False
        self._own_stop = 0
        self._radio = 0

    def feed(self, data: bytes) -> list[Event]:
        """Take bytes that have come back, and give the events in them."""
        now_ms = self.now_ms
        # After a silence the machine may have restarted, and its sequence with it.
        if now_ms - self._heard_ms >= self._timeout_ms:
            self._decoder.forget()
        events = self._decoder.taker(stream=self._stream)(data)
        for event in events:
            if not isinstance(event, Frame):
                continue
            self._heard_ms = now_ms
            if isinstance(event.values, Answer):
                self._asker.meet(event.values.nonce, self._session.mark if self._session else 0)
            elif event.kind == TELEMETRY:
                self.seq, self.told_ms = event.seq or 0, now_ms
                self._state = STATES[event.values.state]
                self._hold_ends = event.values.hold_ends
                self._own_stop = event.values.own_stop
                self._radio = event.values.radio
                self._readings.take(event.values, now_ms)
            else:
                self._asker.hear(event.values)
        return events

    def pass_time(self, dt_ms: int) -> None:
        """Let ``dt_ms`` go by, on a link with a key."""
        self._decoder.pass_time(dt_ms)

    @cached_property
    def _decoder(self) -> Decoder:
        return Decoder(self._link, TO_HANDSET, session=self._session)

    def forget(self) -> None:
        """Whatever comes next is taken as it is."""
        self._decoder.forget()

    @property
    def age_ms(self) -> int | None:
        """How long ago the machine last told its state; None if it never did."""
        return None if self._state is None else self.now_ms - self.told_ms

    @property
    def state(self) -> State | None:
        """The machine's state, as it last said; None if it never did, or has not been heard for
        ``timeout_ms`` or three intervals of its telemetry, whichever is longer."""
        age_ms = self.age_ms
        return None if age_ms is None or age_ms >= self._lost_ms else self._state

    @property
    def hold_ends(self) -> bool:
        """Whether the machine says that it is about to let go of a load."""
        return self._hold_ends and self.state is not None

    @property
    def own_stop(self) -> int:
        """The number that the machine's own code gave for the stop that holds it; 0 for none."""
        return self._own_stop if self.state is not None else 0

    @property
    def radio(self) -> str:
        """What was wrong with the machine's radio chip lately; "" for nothing."""
        return RADIO[self._radio] if self.state is not None else ""

    def telemetry(self) -> dict[str, Reading]:
        """The latest of each item, with its age."""
        return {name: self._aged(name, reading) for name, reading in self._readings.latest.items()}

    def _aged(self, name: str, reading: Reading) -> Reading:
        age_ms = self.now_ms - reading.at_ms
        lost = age_ms >= lost_ms(self._link, [self._link.telemetry[name].every_ms])
        return reading._replace(age_ms=age_ms, lost=lost)

    def cues(self) -> list[str]:
        """The cues that are to sound now. A value that has not come for a while is silent."""
        sounding = []
        latest = self._readings.latest
        for name, beeper in self._beepers.items():
            item = self._link.cues[name].source
            reading = self._aged(item, latest[item]) if item in latest else None
            known = reading.value if reading is not None and not reading.lost else None
            if beeper.due(known, self.now_ms):
                sounding.append(name)
        return sounding
