"""The machine: frames in, demands out, and never a moving motor that nobody asked for."""

from collections import Counter

from nuvrik.failsafe.table import State
from nuvrik.failsafe.watch import LinkWatch
from nuvrik.levels import Clock, level_of
from nuvrik.mixing.mix import Mix
from nuvrik.mixing.motor import Demand, Motor
from nuvrik.plan.models import Link
from nuvrik.plan.wiring import motion_channels, output_weights
from nuvrik.wire.decoder import Decoder, Event, Frame
from nuvrik.wire.frames import COMMAND
from nuvrik.wire.packing import Values


class Machine:
    """The receiving end of a link, with the motors.

    Give :meth:`feed` whatever arrives and call :meth:`tick` every ``tick_ms``; ``now_ms`` is any
    millisecond clock, of which the lowest 16 bits are used. ``state`` says who may move, ``why``
    what holds the machine back, ``demands`` what each output does now. ``counts`` counts accepted
    frames as ``frames`` and every reject by its reason.

    ``stream`` overrides what the medium says about framing: True for a stream of bytes, False for
    datagrams, of which :meth:`feed` takes one at a time.
    """

    def __init__(self, link: Link, *, stream: bool | None = None) -> None:
        self.link = link
        names = list(link.channels)
        weights = output_weights(link)
        self._decoder = Decoder(link)
        stream = not link.medium.datagrams if stream is None else stream
        self._decode = self._decoder.feed if stream else self._decoder.feed_datagram
        self._watch = LinkWatch(link.failsafe)
        self._arm = names.index(link.arm_channel) if link.arm_channel else None
        # The channels that must have a reading, and be at rest before anything may start.
        moving = motion_channels(weights)
        self._motion = [
            (place, link.channels[name].source or name, link.channels[name].optional)
            for place, name in enumerate(names)
            if name in moving
        ]
        self._band = level_of(link.failsafe.neutral_band)
        self._mix = Mix(weights, names)
        self._motors = [Motor(name, model) for name, model in link.outputs.items()]
        self._still = [0] * len(self._motors)
        self._targets = self._still
        self._clock = Clock()
        self._ticked_ms: int | None = None
        self.demands: list[Demand] = [motor.demand for motor in self._motors]
        self.counts: Counter[str] = Counter()

    @property
    def state(self) -> State:
        """WAITING, STANDBY, ARMED, FAILSAFE or STOPPED."""
        return self._watch.state

    @property
    def why(self) -> str:
        """What holds the machine back, in plain words; "" while nothing does."""
        return self._watch.why

    @property
    def safe(self) -> bool:
        """Whether no output is being driven."""
        return all(demand.safe for demand in self.demands)

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have arrived, and give the events in them.

        A timeout that has passed is judged before the bytes are looked at.
        """
        self._judge_time(now_ms)
        events = self._decode(data)
        for event in events:
            if isinstance(event, Frame):
                self.counts["frames"] += 1
                if event.kind == COMMAND:
                    self._command(event.values)
                else:
                    self._watch.stop()
                    # Here and not at the next tick: the state may have moved on by then.
                    for motor in self._motors:
                        motor.halt()
            else:
                self.counts[event.reason] += 1
        return events

    def tick(self, now_ms: int) -> list[Demand]:
        """One turn of the machine's loop: what each output is to do, all decided together. The
        list is the same object as at the last tick while nothing has changed."""
        self._judge_time(now_ms)
        total_ms = self._clock.total_ms
        dt_ms = 0 if self._ticked_ms is None else total_ms - self._ticked_ms
        self._ticked_ms = total_ms
        targets = self._targets if self._watch.state is State.ARMED else self._still
        demands = [motor.tick(target, dt_ms) for motor, target in zip(self._motors, targets, strict=True)]
        if demands != self.demands:  # the same list while nothing changes, so that callers can tell
            self.demands = demands
        return self.demands

    def expire(self) -> None:
        """Count the link as silent. For a loop that was blocked for longer than the 16-bit clock
        can tell, and for a port that is gone."""
        self._watch.pass_time(self._clock.jump())
        self._decoder.forget()

    def _judge_time(self, now_ms: int) -> None:
        if self._watch.pass_time(self._clock.read(now_ms)):
            self._decoder.forget()

    def _command(self, values: Values) -> None:
        arm = self._arm is not None and bool(values[self._arm])
        moved = None
        for place, name, optional in self._motion:
            value = values[place]
            if value is None:
                if optional:
                    continue
                self._targets = self._still
                self._watch.bare(arm=arm, missing=name)
                return
            if moved is None and not -self._band <= value <= self._band:
                moved = name
        self._watch.drive(arm=arm, moved=moved)
        if self._watch.state is State.ARMED:
            self._targets = self._mix.demands(values)
