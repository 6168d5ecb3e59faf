"""The machine: frames in, demands out, and never a moving motor that nobody asked for."""

from collections import Counter
from collections.abc import Callable
from secrets import token_bytes

from nuvrik.core.frames.sealed import ACCEPTED, BAD_FIELD
from nuvrik.core.levels import NO_READING, NOBODY
from nuvrik.core.machine.states import FAILSAFE, STANDBY, STOPPED, WAITING, State
from nuvrik.core.machine.watch import ARMED as IS_ARMED
from nuvrik.core.machine.watch import GIVE_UP
from nuvrik.ends.authenticated import AuthenticSender, machine_session
from nuvrik.ends.desk import BOOTS, Desk
from nuvrik.ends.motions import Hook
from nuvrik.ends.moving import Moving
from nuvrik.ends.quick import QuickEnd, QuickSender
from nuvrik.failsafe.watch import LinkWatch
from nuvrik.failsafe.why import Code, Why, in_words
from nuvrik.levels import level_of
from nuvrik.plan.form.channels import source_name
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import CallRequest
from nuvrik.plan.outputs.demand import FOLLOW, Demand, Mode
from nuvrik.plan.tables.ends import end_table
from nuvrik.plan.telemetry import Raw
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import COMMAND, ECHO, HELLO, REQUEST, STOP
from nuvrik.wire.messages import STARTS, Anybody, Jog, Question
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

    Give ``feed`` whatever arrives and call ``tick`` every ``tick_ms``; ``now_ms`` is any
    millisecond clock, of which the lowest 16 bits are used. ``state`` says who may move, ``why``
    what holds the machine back, ``demands`` what each output does now. ``counts`` counts accepted
    frames as ``accepted`` and every refused one by its reason.

    ``stream`` overrides what the medium says about framing: True for a stream of bytes, False for
    datagrams, of which ``feed`` takes one at a time. ``boot`` is a number that differs from boot to
    boot, counted or random; only links with requests need it. ``start`` is why it has started, a word of
    ``wire.messages.STARTS``. ``random`` gives so many random bytes, for links with a key.

    >>> machine = Machine(nuvrik.load("tug.toml"))
    >>> machine.feed(b"noise", 0)[0].reason
    'too_short'
    >>> [(demand.output, demand.value) for demand in machine.tick(20)]
    [('port_screw', 0), ('starboard_screw', 0)]
    >>> machine.state.value, str(machine.why)
    ('WAITING', 'waiting for a first frame')
    """

    def __init__(
        self,
        link: Link,
        *,
        stream: bool | None = None,
        boot: int = 0,
        start: str = "",
        random: Callable[[int], bytes] = token_bytes,
    ) -> None:
        self.link = link
        stream = not link.medium.datagrams if stream is None else stream
        session = machine_session(link) if link.authenticated else None
        self._decoder = Decoder(link, session=session)
        self._decode = self._decoder.taker(stream=stream)
        encoder = Encoder(link, stream=stream)
        sender = AuthenticSender(encoder, link.frame.pair) if link.authenticated else QuickSender(encoder)
        self._end = QuickEnd(end_table(link, stream=stream), self._decoder, sender)
        self.core = self._end.machine
        self._moving = Moving(link, self.core.outputs)
        self._desk = Desk(link, self.core)
        self._end.begin(boot & 0xFFFF, boot % BOOTS >> 16, STARTS.index(start))
        if session is not None:
            self._end.session = session
            session.nonce[:] = random(len(session.nonce))
            self._end.drawn()
        self._watch = LinkWatch(self.core.watch)
        self._items = {name: (place, item) for place, (name, item) in enumerate(link.telemetry.items())}
        if link.failsafe.delay_guard_ms is not None:
            self._decoder.guard(self._end.telling.recent)
        self._ticked_since = False
        self._looks = self._end.table.inputs.used
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
        return in_words(self.reason, self.reason_names, self.link.failsafe.good_frames)

    @property
    def reason_names(self) -> list[str]:
        """What the place in its reason counts: items of telemetry, or channels by what feeds them."""
        if self.reason.code in (Code.STOP_SWITCH, Code.LOW_BATTERY):
            return list(self.link.telemetry)
        return [source_name(channel) or name for name, channel in self.link.channels.items()]

    @property
    def demands(self) -> list[Demand]:
        """What each output is told now. The list is the same object while nothing has changed."""
        return self._moving.demands

    @property
    def safe(self) -> bool:
        """Whether no output is being driven."""
        return self._moving.safe

    @property
    def pins_seen(self) -> list[tuple[float, int, float]]:
        """What the pins of an emulated chip have done: how many microseconds ago, which pin, and to how much
        of full. Nothing where there are no pins."""
        return []

    @property
    def off_for_us(self) -> float | None:
        """How long no pin has let a motor turn, where the pins of a chip can be looked at; None where not."""
        return None

    @property
    def mode(self) -> Mode:
        """What the state lets outputs do."""
        return Mode(self.core.mode())

    @property
    def remembered(self) -> tuple[int, int, bool]:
        """What else than its state decides what it does next: the run of good frames, whether arm has been
        seen off, and whether there is a last sequence number."""
        numbered = not self.link.authenticated and self._decoder.last is not None
        return self.core.watch.run, self.core.watch.off_seen, numbered

    def reasons(self, *, whole: bool = True) -> dict[str, str]:
        """For each output, one line of why it does what it does at this moment; unless that is to be the
        ``whole``, without why nothing may move, which is the same for all."""
        mode = self.mode
        why = f": {self.why}" if whole else ""
        held_back = "" if mode is FOLLOW else f"{NOT_ARMED[self.state]}{why}; "
        return self._moving.reasons(mode, held_back)

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have arrived, and give the events in them.

        A timeout that has passed is judged before the bytes are looked at.
        """
        self._judge_time(now_ms)
        if self._decoder.tells_keys and len(data) > 1:
            # What a key means depends on whether the one before was followed.
            return [event for at in range(len(data)) for event in self._take(data[at : at + 1])]
        return self._take(data)

    def _take(self, data: bytes) -> list[Event]:
        """Bytes that have arrived by now."""
        self._settle()
        events = self._decode(data)
        for event in events:
            if isinstance(event, Frame):
                if isinstance(event.values, Question | Anybody):
                    # They are answered, and change nothing else.
                    continue
                self._count("accepted")
                if event.proves(self.link.authenticated):
                    self.core.hear()
                if event.kind == COMMAND:
                    self._command(event.values, event.seq)
                elif event.kind == STOP:
                    self._stop()
                else:
                    self._answer(event)
            else:
                self._count(event.reason)
        return events

    def skip(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have queued up while nobody read them: after a gap of ``timeout_ms`` or more in
        the loop. Only stops in them count; the rest was sent to somebody who was not listening, and is
        thrown away. Gives the stops."""
        self._judge_time(now_ms)
        stops: list[Event] = []
        self._decoder.skip(True)
        events = self._decode(data)
        self._decoder.skip(False)
        for event in events:
            if isinstance(event, Frame) and event.kind == STOP:
                self._count("accepted")
                self.core.hear()
                self._stop()
                stops.append(event)
            else:
                self._count("queued_up")
        self._decoder.forget()
        return stops

    def tick(self, now_ms: int) -> list[Demand]:
        """One turn of the machine's loop: what each output is to do, all decided together. The
        list is the same object as at the last tick while nothing has changed. What code of your own raises to
        end the program, such as SystemExit, comes out of here, in a tick that leaves every output at rest."""
        self._judge_time(now_ms)
        self._settle()
        self._ticked_since = True
        if self._desk.busy and self.core.mode() == FOLLOW:
            self._desk.step()
        if self._looks:
            self._end.look()
        self.core.turn()
        self._desk.notice()
        if self._desk.ended is not None:
            self._leave(self._desk.ended)
        return self._moving.collect()

    def _leave(self, error: BaseException) -> None:
        """The builder's own code has ended the program: it ends once every output is at rest."""
        if self.state is not STOPPED:
            self._stop()
        if self._moving.safe:
            self._desk.ended = None
            raise error

    def sense(self, now_ms: int, **readings: Raw) -> None:
        """Take raw readings of the machine's sensors, to be sent as telemetry: whole numbers, three of them
        for a vector, None for nothing there.

        Raises KeyError for an item that the link file does not have, TypeError for a reading that is no
        such number.
        """
        self._judge_time(now_ms)
        telling = self._end.telling
        for name, raw in readings.items():
            if name not in self._items:
                known = ", ".join(self._items) or "none"
                raise KeyError(f"no telemetry is called {name}; this link has: {known}")
            place, item = self._items[name]
            for axis, one in enumerate(item.numbers(raw)):
                if item.parts > 1:
                    telling.take_axis(place, axis, one)
                else:
                    telling.take(place, one)

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
        return self._end.out.made if self._end.send() else b""

    def answer(self) -> bytes:
        """An answer that waits, b"" for none: for a port on which whoever asks need not be the other end."""
        self._settle()
        return self._end.out.made if self._end.answer() else b""

    def _answer(self, event: Frame) -> None:
        desk, values = self._desk, event.values
        if event.kind == HELLO:
            desk.hello(values)
            self._notice()
        elif event.kind == ECHO:
            desk.echo(values)
        elif event.kind == REQUEST and isinstance(values, Jog):
            self.core.jog(*values)
        elif event.kind == REQUEST:
            desk.ask(values)

    def _stop(self) -> None:
        self.core.stop()
        self._moving.collect()
        self._notice()

    def stop(self) -> None:
        """Stop, as a stop frame does: at once, and until it is armed again. For the program around it."""
        self._stop()

    def limit(self, output: str, most: float) -> None:
        """From the builder's own code: leave an output that turns no more than ``most`` of full scale either
        way, 0 to 1, from the next tick on and until it is said again; of several that are said between two
        ticks the least counts. Once 0 has been left, and then more, it counts again when its channels have
        rested. A hold is left alone. KeyError for an output that there is not, TypeError and ValueError for
        one that stands in a place or is off or on, and for a number that is no such part."""
        places = {name: place for place, name in enumerate(self.link.outputs)}
        if output not in places:
            raise KeyError(f"no output is called {output}; this link has: {', '.join(places) or 'none'}")
        if isinstance(most, bool) or not isinstance(most, int | float):
            raise TypeError(f"{output} is to be limited to {most!r}; a limit is a number from 0 to 1")
        if not 0 <= most <= 1:
            raise ValueError(f"{output} is to be limited to {most!r}; a limit is from 0 to 1")
        if not self._end.cap(places[output], level_of(most)):
            kind = self.link.outputs[output].kind
            raise ValueError(f"{output} is a {kind} and does not turn: it has no way of being less")

    def own_stop(self, why: int) -> None:
        """From the builder's own code: stop, as a stop frame does, and say why with a number, 1 to 15.
        ValueError for any other."""
        if isinstance(why, bool) or not isinstance(why, int) or not 1 <= why <= 15:
            raise ValueError(f"a stop of your own is given a number from 1 to 15, not {why!r}")
        self._end.own_stop(why)
        self._moving.collect()
        self._notice()

    def halt(self) -> None:
        """Every output to rest at once, without a ramp: for a program that must leave at once."""
        self.core.outputs.halt()
        self._moving.collect()

    def _notice(self) -> None:
        """Look whether the builder's own code has been made to end."""
        if self._desk.notice():
            self._ticked_since = False

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

    def expire(self, now_ms: int) -> None:
        """Count the link as silent from ``now_ms`` on. For a loop that was blocked for longer than the 16-bit
        clock can tell, and for a port that is gone. The next tick counts its time from here, so that what
        turns still ramps down."""
        self._end.expire(now_ms & 0xFFFF)
        self._notice()

    def another(self, now_ms: int) -> None:
        """Somebody else is at the other end, after a long silence: the machine begins anew with them. One
        that was stopped stays so."""
        self.expire(now_ms)
        self.core.watch.happen(GIVE_UP, NOBODY, 0)

    def _judge_time(self, now_ms: int) -> None:
        self._decoder.pass_time(self.core.elapsed(now_ms & 0xFFFF))
        self._end.pass_time(now_ms & 0xFFFF)
        self._notice()

    def _count(self, what: str) -> None:
        self.counts[what] += 1
        self._end.count(ACCEPTED if what == "accepted" else BAD_FIELD)

    def _command(self, values: Values, seq: int | None) -> None:
        given = [NO_READING if value is None else value for value in values] if None in values else [*values]
        self.core.command(given)  # type: ignore[arg-type]
        if seq is not None:
            self.core.numbered(seq)
        self._notice()
        if self._decoder.tells_keys:
            self._decoder.told(followed=self.core.watch.state == IS_ARMED)
