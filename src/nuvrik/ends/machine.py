"""The machine: frames in, demands out, and never a moving motor that nobody asked for."""

from collections import Counter

from nuvrik.ends.desk import Desk
from nuvrik.ends.motions import Hook
from nuvrik.ends.moving import Moving
from nuvrik.ends.telling import Telling
from nuvrik.failsafe.commands import Commands
from nuvrik.failsafe.table import ARMED, FAILSAFE, STANDBY, STOPPED, WAITING, State
from nuvrik.failsafe.watch import LinkWatch
from nuvrik.failsafe.why import Why, in_words
from nuvrik.levels import Clock
from nuvrik.mixing.demand import FOLLOW, HELD, LOST, SAFE, Demand, Mode
from nuvrik.plan.form.backward import CallRequest
from nuvrik.plan.form.channels import source_name
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import layout_tag
from nuvrik.plan.tables import command_uses, watch_table
from nuvrik.version import VERSION
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.items import Raw
from nuvrik.wire.kinds import COMMAND, ECHO, HELLO, REQUEST, STOP
from nuvrik.wire.messages import Identity, Jog
from nuvrik.wire.outcomes import Outcome
from nuvrik.wire.packing import Values

NOT_ARMED = {
    WAITING: "not armed",
    STANDBY: "not armed",
    FAILSAFE: "failsafe",
    STOPPED: "stopped",
}
"""How a reason begins in each state in which outputs do not follow."""


class Machine:
    """The receiving end of a link, with the motors.

    Give :meth:`feed` whatever arrives and call :meth:`tick` every ``tick_ms``; ``now_ms`` is any
    millisecond clock, of which the lowest 16 bits are used. ``state`` says who may move, ``why``
    what holds the machine back, ``demands`` what each output does now. ``counts`` counts accepted
    frames as ``accepted`` and every refused one by its reason.

    ``stream`` overrides what the medium says about framing: True for a stream of bytes, False for
    datagrams, of which :meth:`feed` takes one at a time. ``boot`` is a number that differs from boot to
    boot, counted or random; only links with requests need it.
    """

    def __init__(self, link: Link, *, stream: bool | None = None, boot: int = 0) -> None:
        self.link = link
        stream = not link.medium.datagrams if stream is None else stream
        self._decoder = Decoder(link)
        self._decode = self._decoder.taker(stream=stream)
        self._watch = LinkWatch(watch_table(link.failsafe))
        self._timeout_ms = link.failsafe.timeout_ms
        self._commands = Commands(command_uses(link))
        self._moving = Moving(link, self._commands.band)
        self._desk = Desk(link, self._moving.outputs, boot)
        self._telling = Telling(link, stream=stream)
        if link.failsafe.delay_guard_ms is not None:
            self._decoder.guard(self._recent)
        self._accepted: int | None = None
        self._heard_ms: int | None = None
        self._resting = False
        self._holding = False
        self._ticked_since = False
        self._clock = Clock()
        self._ticked_ms: int | None = None
        self.counts: Counter[str] = Counter()

    @property
    def state(self) -> State:
        """WAITING, STANDBY, ARMED, FAILSAFE or STOPPED."""
        return self._watch.state

    @property
    def reason(self) -> Why:
        """What holds the machine back: a code, the place of a channel, a count."""
        return self._watch.why

    @property
    def why(self) -> str:
        """What holds the machine back, in plain words; "" while nothing does."""
        names = [source_name(channel) or name for name, channel in self.link.channels.items()]
        return in_words(self._watch.why, names, self.link.failsafe.good_frames)

    @property
    def demands(self) -> list[Demand]:
        """What each output is told now. The list is the same object while nothing has changed."""
        return self._moving.demands

    @property
    def safe(self) -> bool:
        """Whether no output is being driven."""
        return self._moving.safe

    @property
    def mode(self) -> Mode:
        """What the state lets outputs do."""
        state = self._watch.state
        if state is ARMED:
            return FOLLOW
        return LOST if state is FAILSAFE else HELD if self._holding else SAFE

    def reasons(self) -> dict[str, str]:
        """For each output, one line of why it does what it does at this moment."""
        mode = self.mode
        held_back = "" if mode is FOLLOW else f"{NOT_ARMED[self.state]}: {self.why}; "
        return self._moving.reasons(mode, held_back)

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have arrived, and give the events in them.

        A timeout that has passed is judged before the bytes are looked at.
        """
        if self._decoder.tells_keys and len(data) > 1:
            # What a key means depends on whether the one before was followed.
            return [event for at in range(len(data)) for event in self.feed(data[at : at + 1], now_ms)]
        self._judge_time(now_ms)
        self._settle()
        events = self._decode(data)
        for event in events:
            if isinstance(event, Frame):
                self.counts["accepted"] += 1
                self._heard_ms = self._clock.total_ms
                if event.kind == COMMAND:
                    self._accepted = event.seq
                    self._command(event.values)
                    if self._decoder.tells_keys:
                        self._decoder.told(followed=self._watch.state is ARMED)
                elif event.kind == STOP:
                    self._stop()
                else:
                    self._answer(event)
            else:
                self.counts[event.reason] += 1
        return events

    def skip(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have queued up while nobody read them: after a gap of ``timeout_ms`` or more in
        the loop. Only stops in them count; the rest was sent to somebody who was not listening, and is
        thrown away. Gives the stops."""
        self._judge_time(now_ms)
        stops: list[Event] = []
        for event in self._decode(data):
            if isinstance(event, Frame) and event.kind == STOP:
                self.counts["accepted"] += 1
                self._stop()
                stops.append(event)
            else:
                self.counts["queued_up"] += 1
        self._decoder.forget()
        return stops

    def tick(self, now_ms: int) -> list[Demand]:
        """One turn of the machine's loop: what each output is to do, all decided together. The
        list is the same object as at the last tick while nothing has changed."""
        self._judge_time(now_ms)
        self._settle()
        total_ms = self._clock.total_ms
        dt_ms = 0 if self._ticked_ms is None else total_ms - self._ticked_ms
        self._ticked_ms = total_ms
        self._ticked_since = True
        self._watch.ticked()
        return self._moving.tick(total_ms, dt_ms, self.mode, self._desk)

    def sense(self, now_ms: int, **readings: Raw) -> None:
        """Take raw readings of the machine's sensors, to be sent as telemetry: whole numbers, three of them
        for a vector, None for nothing there.

        Raises KeyError for an item that the link file does not have, TypeError for a reading that is no
        such number.
        """
        now_ms = self._clock.read(now_ms)
        for name, raw in readings.items():
            self._telling.sensors.take(name, raw, now_ms)

    def on_request(self, name: str, hook: Hook) -> None:
        """Let your own code carry out a request of kind "call". KeyError if there is none of that name."""
        if not isinstance(self.link.requests.get(name), CallRequest):
            calls = [n for n, r in self.link.requests.items() if isinstance(r, CallRequest)]
            raise KeyError(
                f"no request of kind call is named {name}; there are: {', '.join(calls) or 'none'}"
            )
        self._desk.hooks[name] = hook

    def send(self, now_ms: int) -> bytes:
        """The bytes that are due now to the handset, b"" if none: answers first, then telemetry. At most one
        frame at a time, so call it once for each packet, or until it gives b"" on a stream."""
        self._judge_time(now_ms)
        self._settle()
        now_ms = self._clock.total_ms
        # Answers first: somebody waits for them, and telemetry loses nothing by coming a little later.
        if self._desk.waiting:
            return self._telling.sealed(*self._desk.waiting.popleft())
        return self._telling.due(now_ms, self._watch.state, self._accepted, self._moving)

    def _recent(self, seq: int) -> bool:
        """Whether telemetry of that sequence was sent no longer ago than the delay guard allows."""
        return self._telling.recent(seq, self._clock.total_ms)

    def _answer(self, event: Frame) -> None:
        desk = self._desk
        if event.kind == HELLO:
            refused = sum(self.counts.values()) - self.counts["accepted"]
            up_s = self._clock.total_ms // 1000
            tag = layout_tag(self.link)
            identity = Identity(tag, 0, up_s, self.counts["accepted"], refused, VERSION, self.link.name)
            desk.hello(event.values, identity, self._telling.room)
        elif event.kind == ECHO:
            desk.echo(event.values)
        elif event.kind == REQUEST and isinstance(event.values, Jog):
            # A jog is for a machine at rest: what a hand moves is not to be jogged as well.
            if self._watch.state is ARMED and self._resting:
                self._moving.begin_jog(event.values, self._clock.total_ms)
        elif event.kind == REQUEST:
            desk.ask(event.values, armed=self._watch.state is ARMED)

    def _stop(self) -> None:
        self._watch.stop()
        self._holding = False
        # Outputs first, then motions, then (see _settle) the user's own code. And here, not at the next
        # tick: the state may have moved on by then.
        self.halt()
        self._end_motions()

    def halt(self) -> None:
        """Every output to rest at once, without a ramp: for a program that must leave at once."""
        self._moving.halt()

    def _end_motions(self) -> None:
        """Whatever was asked for ends with the right to move, even if that is back before the next tick."""
        self._moving.jog = None
        if self._desk.busy:
            self._ticked_since = False
            self._desk.end(Outcome.ENDED)

    def _settle(self) -> None:
        """Let the user's own code clean up behind a motion that has ended. Not in the call that ended it:
        the caller is first to tell the outputs what has been decided, and such code may take its time, raise,
        or go on yielding."""
        if self._ticked_since and self._desk.leaving:
            self._desk.settle()

    def hook_run(self) -> str:
        """The request whose own code has run since this was last asked; "" if none has."""
        name, self._desk.last_hook = self._desk.last_hook, ""
        return name

    def disarm_and_hold(self) -> None:
        """A remote control has sent nothing for so long that arm goes off. That is ordinary: what
        is not to change without a hand (``on_loss = "hold"``) stays as it is, until the machine is armed
        again, told to switch off, or stopped."""
        self._holding = True

    def switch_off(self) -> None:
        """An off key has been pressed: what a lapse has left on goes off."""
        self._holding = False

    def expire(self, now_ms: int) -> None:
        """Count the link as silent from ``now_ms`` on. For a loop that was blocked for longer than the 16-bit
        clock can tell, and for a port that is gone. The next tick counts its time from here, so that what
        turns still ramps down."""
        self._watch.pass_time(self._clock.jump(now_ms))
        if self._ticked_ms is not None:
            self._ticked_ms = self._clock.total_ms
        self._fall_silent()

    def _judge_time(self, now_ms: int) -> None:
        total_ms = self._clock.read(now_ms)
        if self._watch.pass_time(total_ms):
            self._fall_silent()
        elif self._heard_ms is not None and total_ms - self._heard_ms >= self._timeout_ms:
            # Where no command comes no silence begins, and yet whoever asked something, and has gone since,
            # must not have the last word about what is new.
            self._heard_ms = None
            self._decoder.wear()

    def _fall_silent(self) -> None:
        self._decoder.forget()
        self._accepted = None
        self._end_motions()

    def _command(self, values: Values) -> None:
        command = self._commands.sort(values)
        self._watch.command(command)
        _, missing, moved = command
        self._resting = missing is None and moved is None
        if missing is not None:
            self._moving.let_rest()
            self._end_motions()
        elif self._watch.state is not ARMED:
            self._end_motions()
        else:
            self._holding = False
            if moved is not None:
                # A hand wins over a jog.
                self._moving.jog = None
            self._moving.follow(self._commands.entering(values))
