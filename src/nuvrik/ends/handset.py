"""The handset: raw readings in, frames out; and, on a two-way link, what comes back.

The rules (readings, what controls become, arm and stop, whose turn it is) are ``core.hand.handset``. Around
them stand ``hands``, which has the names of controls and what programs set in their place, ``sending``, which
makes frames, ``hearing``, which takes what comes back, and ``asking``, what was asked for."""

from collections.abc import Callable, Collection
from secrets import token_bytes

from nuvrik.core.hand import handset as core
from nuvrik.core.hand.arming import UNREAD
from nuvrik.core.levels import NO_READING, NOBODY, TIMER_MAX
from nuvrik.core.machine.states import ARMED, State
from nuvrik.core.requests.asking import QUESTION_NONE
from nuvrik.core.session import HandsetSession
from nuvrik.ends.asking import Asked, Asker, Identity
from nuvrik.ends.authenticated import Authentic, tell
from nuvrik.ends.hands import Hands
from nuvrik.ends.hearing import Hearing
from nuvrik.ends.sending import sending
from nuvrik.ends.sensors import Reading
from nuvrik.failsafe.why import NOTHING, Code, Why, in_words
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.handset import handset_table
from nuvrik.plan.tables.machine import desk_table
from nuvrik.wire.codes import Value
from nuvrik.wire.events import Event, Frame
from nuvrik.wire.kinds import TELEMETRY
from nuvrik.wire.messages import Answer
from nuvrik.wire.values import value_to_show


class Handset:
    """The sending end of a link.

    Call ``read`` whenever there are readings and ``send`` often (every few milliseconds);
    ``now_ms`` is any millisecond clock, of which the lowest 16 bits are used. ``stream`` overrides
    what the medium says about framing: True for a stream of bytes, False for datagrams. ``session`` is a
    random number, another each time a program starts; only links with requests need it. ``without`` names
    controls that nothing in this run supplies: a stop among them is not waited for (``press_stop`` is the
    program's own) until it is first named in a reading; a stop button that is named and has none counts as
    pressed.

    It starts disarmed: arm is sent off until the control that feeds it has been read off::

        handset = Handset(link)
        handset.read(0, left_stick=508, arm_button=0, stop_button=0)
        wire = handset.send(0)
    """

    def __init__(
        self,
        link: Link,
        *,
        stream: bool | None = None,
        session: int = 0,
        without: Collection[str] = (),
        random: Callable[[int], bytes] = token_bytes,
    ) -> None:
        self.link = link
        self._random = random
        stream = not link.medium.datagrams if stream is None else stream
        self.core = core.Handset(handset_table(link))
        self.core.begin()
        stop = link.failsafe.stop
        self.core.without_stop = stop is not None and stop in without
        self._hands = Hands(link, self.core)
        self._arming = self.core.arming
        self._with_key = Authentic(link, stream=stream) if link.authenticated else None
        self._session = self._with_key.session if self._with_key else None
        self._sending = self._with_key or sending(link, stream=stream)
        self._asker = Asker(link, session)
        self._hearing = Hearing(link, self._asker, stream=stream, session=self._session)
        self._total_ms = 0

    # ---- what hands and programs do ----

    def read(self, now_ms: int, **readings: int | None) -> None:
        """Take raw readings of any subset of the controls; None says that a control has none.

        Raises KeyError for a control that the link file does not have, TypeError for a reading that
        is not a whole number.
        """
        self._pass_time(now_ms)
        if self.core.without_stop and self.link.failsafe.stop in readings:
            # It is supplied after all; named, and without a reading, it is pressed.
            self.core.without_stop = False
        self._hands.read(readings)
        self.core.have_read()
        self._follow()
        self._asker.look(self.core.hands, may_move=self.may_move)

    def press_stop(self, now_ms: int, pressed: bool = True) -> None:
        """A stop of the program's own, where no control is there to be pressed: stop frames are sent while it
        is pressed and for at least ``timeout_ms`` and a period."""
        self._pass_time(now_ms)
        self.core.press_stop(pressed)
        self._follow()

    def change_hands(self, now_ms: int) -> None:
        """Somebody else drives from here on: arm is sent off until it has been read off, what was asked and
        not begun is forgotten, and what was pressed to say where places are to be counts no more."""
        self._pass_time(now_ms)
        self.core.change_hands()
        self._asker.forget()
        self._follow()

    def put(self, now_ms: int, name: str, value: float | None, for_ms: int | None = None) -> None:
        """Set a channel from a program, in place of its control: a level or a share as a fraction of full
        scale, anything else as a whole number (None: no reading, or no choice). After ``for_ms`` it is
        withdrawn: what turns goes to rest, a flag off, a place (a servo's) and a choice stay; None: until it
        is set again. KeyError for an unknown channel, and for the arm channel; TypeError and ValueError for a
        value that the channel cannot have, and for a time that is none."""
        if for_ms is not None:
            _whole_time("for_ms", for_ms)
        if name not in self.link.channels or name == self.link.arm_channel:
            known = ", ".join(channel for channel in self.link.channels if channel != self.link.arm_channel)
            raise KeyError(f"no channel {name} to set; this link has: {known}")
        until_ms = None if for_ms is None else self._pass_time(now_ms) + for_ms
        self._hands.put(name, value, until_ms)
        self._arming.begun = True

    def put_arm(self, on: bool) -> None:
        """Arm or disarm from a program, in place of the arm control. Like a control, it starts off. TypeError
        for anything but True, False, 1 and 0: what is not one of them means nobody knows what."""
        if not isinstance(on, int) or on not in (0, 1):
            raise TypeError(f"arm is {on!r}; it must be True or False")
        self.core.put_arm(bool(on))

    @property
    def may_move(self) -> bool:
        """Whether what moves something may be asked now: arm is sent on and, on a link with telemetry, the
        machine has said that it is ARMED."""
        return self.core.hands.live and (not self.link.telemetry or self.machine_state is ARMED)

    def jog(self, output: str, fraction: float, for_ms: int) -> bool:
        """Ask the machine, in place of the next command, to move one output a little, for up to 500 ms. What
        turns: -1 to 1 of full scale, brought down to what a jog may be. A place: so far from where it was
        told last, and back. False: nothing may move now, and nothing is asked. KeyError for an unknown
        output, TypeError and ValueError for a fraction or a time that is none."""
        place = {name: place for place, name in enumerate(self.link.outputs)}[output]
        _whole_time("for_ms", for_ms)
        if isinstance(fraction, bool) or not isinstance(fraction, int | float):
            raise TypeError(f"the fraction is {fraction!r}; it must be a number from -1 to 1")
        if not -1 <= fraction <= 1:
            raise ValueError(f"the fraction is {fraction!r}; it must be from -1 to 1")
        return self._asker.core.jog(place, level_of(fraction), min(for_ms, TIMER_MAX), self.may_move)

    def hands_off(self) -> None:
        """From now on what turns is sent at rest, and places and choices without a reading, wherever
        controls, nudges and selectors stand: what a jog wants about it."""
        self.core.hands_off = True

    def disarm(self) -> None:
        """From now on, whatever is read: what turns at rest, places without a reading, and arm off. For
        leaving in good order."""
        self.core.leave()
        self._follow()

    def expire(self, now_ms: int) -> None:
        """The loop has been held up for longer than a timer counts: nothing that was read before ``now_ms``
        holds any more. Every control is without a reading, what a program set for a time is withdrawn, and
        arm has to be read off, or to be put off and on, before it is sent on again."""
        self._total_ms += TIMER_MAX
        self.core.expire(now_ms & 0xFFFF)
        if self._session is not None:
            self._session.pass_time(TIMER_MAX)
        self._hands.end_puts(self._total_ms)
        self._hearing.now_ms = self._total_ms
        self._asker.pass_time(self._total_ms)
        # Of the machine too nothing is known any more: its next frame is accepted as it is.
        self._hearing.forget()
        self._asker.forget()
        self._follow()

    # ---- what is sent ----

    def send(self, now_ms: int) -> bytes:
        """The bytes that are due now, b"" if none are. Nothing is sent before the first reading, unless a
        program has set, asked or told something."""
        self._pass_time(now_ms)
        turn = self.core.turn()
        if turn == core.SENDS_NOTHING:
            return b""
        self._follow()
        if self._with_key is not None:
            searches = self._search(self._with_key, turn)
            if searches or self._with_key.session.overtaken or not self._with_key.session.may_send():
                return searches
        if turn == core.SENDS_STOP:
            return self._sending.stop()
        # A stop goes before everything, a question before a command: it is answered while frames go on.
        if self._asker.core.wants() and self.core.may_ask():
            what = self._asker.question(may_jog=self.core.hands.live)
            if what != QUESTION_NONE:
                return self._sending.question(self._asker.core, what)
        if self.core.command() == core.SENDS_NOTHING:
            return b""
        return self._sending.command(self._wanted(), self._hearing.seq)

    def _search(self, frames: Authentic, turn: int) -> bytes:
        """A question after the machine, where one is due."""
        session = frames.session
        if session.overtaken:
            session.look_at(self.core, turn == core.SENDS_STOP)
        if session.wants:
            session.asked[:] = self._random(len(session.asked))
            session.drawn()
        return frames.search(self.core.now_ms) if session.may_ask() else b""

    @property
    def frames_sent(self) -> int:
        """How many frames it has made: commands, stops and questions."""
        return self._sending.frames

    @property
    def wire_values(self) -> dict[str, Value]:
        """The value of every channel as the encoder takes it: levels and shares in units of 1/FULL. A look,
        not a send: it changes nothing."""
        return dict(zip(self.link.channels, self._wanted(), strict=True))

    @property
    def values(self) -> dict[str, float | None]:
        """The value of every channel as it would be sent now: levels and shares as fractions of full scale,
        None for *no reading*; anything else as a whole number."""
        channels = self.link.channels
        return {name: value_to_show(channels[name], value) for name, value in self.wire_values.items()}

    @property
    def control_names(self) -> list[str]:
        """The controls in the order in which core has them."""
        return self._hands.names

    @property
    def latched(self) -> list[str]:
        """The controls whose value is held although no hand holds it: toggles that are on, sticks that
        hold, nudges and selectors away from where they start."""
        return self._hands.latched

    @property
    def stopping(self) -> bool:
        """Whether only stop frames are being sent."""
        return self._arming.stopping

    @property
    def reason(self) -> Why:
        """What this end holds back: a code, and the place of a control."""
        rules, arming, table = self.core, self._arming, self.core.table
        if arming.parting:
            return Why(Code.LEAVING)
        if not arming.begun:
            return Why(Code.NOTHING_READ)
        if self._session is not None and self._session.overtaken:
            return Why(Code.OVERTAKEN)
        if self._session is not None and not self._session.known:
            return Why(Code.SEARCHING)
        if arming.stopping:
            if not rules.stop_pressed():
                return Why(Code.STOPPED)
            unread = rules.value(table.stop) == NO_READING
            return Why(Code.STOP_UNREAD if unread else Code.STOP_PRESSED, table.stop)
        if self._sending.unsaid != NOBODY:
            return Why(Code.NEVER_GIVEN, self._sending.unsaid)
        unready = rules.unready()
        if unready != NOBODY:
            return Why(Code.NEVER_AT_REST, unready)
        if table.arm == NOBODY or arming.allowed:
            return NOTHING
        if arming.put == UNREAD and table.arm_control != NOBODY:
            unread = rules.value(table.arm_control) == NO_READING
            return Why(Code.ARM_UNREAD if unread else Code.ARM_STILL_ON, table.arm_control)
        return Why(Code.ARM_STILL_ON)

    @property
    def why(self) -> str:
        """What this end holds back, in plain words; "" while it holds nothing back."""
        return in_words(self.reason, self.reason_names)

    @property
    def reason_names(self) -> list[str]:
        """What the place in its reason counts: the names of controls, or of channels."""
        never_given = self.reason.code is Code.NEVER_GIVEN
        return list(self.link.channels) if never_given else self._hands.names

    # ---- what comes back ----

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have come back from the machine, and give the events in them."""
        self._pass_time(now_ms)
        events = self._hearing.feed(data)
        if self._session is not None:
            self._meet(self._session, events)
        elif any(isinstance(event, Frame) and event.kind == TELEMETRY for event in events):
            self.core.hear()
        return events

    def _meet(self, session: HandsetSession, events: list[Event]) -> None:
        """What frames that nobody else can have made say of the machine."""
        for event in events:
            if not isinstance(event, Frame):
                continue
            self.core.hear()
            tell(session, event)
            if isinstance(event.values, Answer) and session.anew:
                self.core.change_hands()
                self._asker.forget()
                self._follow()

    @property
    def machine_state(self) -> State | None:
        """What the machine last said its state was, on a link with telemetry. None before, and None again
        once it has not been heard for ``timeout_ms`` or three intervals of telemetry, whichever is longer."""
        return self._hearing.state

    @property
    def machine_age_ms(self) -> int | None:
        """How long ago the machine last told its state, as of the last call; None if it never did."""
        return self._hearing.age_ms

    @property
    def hold_ends(self) -> bool:
        """Whether the machine says that it is about to let go of a load that it holds."""
        return self._hearing.hold_ends

    @property
    def own_stop(self) -> int:
        """The number that the machine's own code gave for the stop that holds it, 1 to 15; 0 for none."""
        return self._hearing.own_stop

    @property
    def machine_radio(self) -> str:
        """What was wrong with the machine's radio chip in the last 5 s, as it says itself; "" for nothing."""
        return self._hearing.radio

    @property
    def telemetry(self) -> dict[str, Reading]:
        """The latest of each item that has come back, with its age."""
        return self._hearing.telemetry()

    def age_ms(self, name: str) -> int | None:
        """How long ago an item of telemetry came, by the time of the last call; None if it never did."""
        reading = self.telemetry.get(name)
        return None if reading is None else reading.age_ms

    def cues(self, now_ms: int) -> list[str]:
        """The cues that are to sound now. A value that has not come for a while is silent."""
        self._pass_time(now_ms)
        return self._hearing.cues()

    # ---- what is asked for ----

    def request(self, name: str, **arguments: int | str) -> Asked:
        """Ask the machine to do something, once: numbers, and of a choice the option. What becomes of it
        shows in what is returned. What moves something is refused at once unless ``may_move``, and
        forgotten by a stop, by arm off, by a change of hands and by a gap, unless it has begun.

        Raises KeyError for a request that the link file does not have, TypeError and ValueError for
        arguments that it does not take.
        """
        return self._asker.ask(name, arguments, may_move=self.may_move)

    @property
    def asked_last(self) -> Asked | None:
        """What has been asked for last, by a button or otherwise, and what has become of it; None before."""
        return self._asker.last

    def greet(self) -> None:
        """Ask the machine who it is; ``identity`` holds the answer. Not where a link with a key has packets
        too small for one: see ``says_hello``."""
        if self.says_hello:
            self._asker.greet()

    @property
    def says_hello(self) -> bool:
        """Whether a machine with the link's key says who it is; True for a link without one."""
        return self._session is None or desk_table(self.link).says_hello

    @property
    def identity(self) -> Identity | None:
        """What the machine said of itself; None before it has. How it has fared comes a little later."""
        return self._asker.identity

    @property
    def met(self) -> bool:
        """Whether a machine with the link's key has answered; True for a link without one."""
        return self._session is None or self._session.known

    @property
    def known(self) -> bool:
        """Whether the machine has said all that ``identity`` has room for."""
        return self.identity is not None and self.identity.up_s is not None

    def echo(self, now_ms: int) -> None:
        """Send a few bytes there and back; ``round_trip_ms`` then says how long it took."""
        self._pass_time(now_ms)
        self._asker.core.echo()

    @property
    def round_trip_ms(self) -> int | None:
        """How long the last echo took, in ms; None until it is back."""
        return self._asker.round_trip_ms

    # ---- whose turn it is ----

    def _pass_time(self, now_ms: int) -> int:
        """Let it be ``now_ms``; gives the time on a clock that only grows."""
        now_ms &= 0xFFFF
        if self.core.started:
            dt_ms = (now_ms - self.core.now_ms) & 0xFFFF
            self._total_ms += dt_ms
            if self._session is not None:
                self._session.pass_time(dt_ms)
                self._hearing.pass_time(dt_ms)
        self.core.pass_time(now_ms)
        self._hearing.now_ms = self._total_ms
        self._asker.pass_time(self._total_ms)
        self._follow()
        return self._total_ms

    def _follow(self) -> None:
        """What was asked before and not begun may not be wanted any more."""
        if self.core.forgets():
            self._asker.forget()

    def _wanted(self) -> list[Value]:
        """What controls and programs say, with arm."""
        return self._hands.values(self._total_ms)


def _whole_time(name: str, given: int) -> None:
    """TypeError and ValueError for what is no time in whole milliseconds."""
    if isinstance(given, bool) or not isinstance(given, int):
        raise TypeError(f"{name} is {given!r}; it must be a whole number of milliseconds")
    if given < 0:
        raise ValueError(f"{name} is {given}; it must not be below 0")
