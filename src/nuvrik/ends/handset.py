"""The handset: raw readings in, frames out; and, on a two-way link, what comes back."""

from collections.abc import Collection

from nuvrik.ends.asking import Asked, Asker
from nuvrik.ends.hearing import Hearing
from nuvrik.ends.sensors import Reading
from nuvrik.failsafe.arming import Arming
from nuvrik.failsafe.table import State
from nuvrik.levels import FULL, Clock, clamp, div, level_of
from nuvrik.plan.channels import AnyChannel, source_name
from nuvrik.plan.models import Link
from nuvrik.plan.outputs import MotorOutput, StepperOutput
from nuvrik.plan.wiring import place_channels
from nuvrik.shaping.channels import build_source
from nuvrik.shaping.controls import Control, Key, Pressed, read_controls
from nuvrik.shaping.made import made_controls, off_keys
from nuvrik.wire.codes import Value, value_range
from nuvrik.wire.events import Event
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import REQUEST
from nuvrik.wire.messages import LEVEL_STEPS, MOST_TURNING, Identity, Jog, pack_jog


class Handset:
    """The sending end of a link.

    Call :meth:`read` whenever there are readings and :meth:`send` often (every few milliseconds);
    ``now_ms`` is any millisecond clock, of which the lowest 16 bits are used. ``stream`` overrides
    what the medium says about framing: True for a stream of bytes, False for datagrams. ``session`` is a
    random number, another each time a program starts; only links with requests need it. ``without`` names
    controls that nothing in this run supplies: a stop among them is not waited for (:meth:`press_stop` is the
    program's own), while any other stop button that has no reading counts as pressed.

    It starts disarmed: arm is sent off until the control that feeds it has been read off.
    """

    def __init__(
        self,
        link: Link,
        *,
        stream: bool | None = None,
        session: int = 0,
        without: Collection[str] = (),
    ) -> None:
        self.link = link
        period_ms, rules = link.period_ms, link.failsafe
        stream = not link.medium.datagrams if stream is None else stream
        self._asker = Asker(link, session)
        self._hearing = Hearing(link, self._asker, stream=stream)
        self._puts: dict[str, tuple[Value, int | None]] = {}
        self._arm_put: bool | None = None
        self._between = False
        self._controls = read_controls(link.controls)
        self._soonest_stale_ms = min((control.stale_ms for control in self._controls.values()), default=0)
        self._stale_from_ms = 0
        """Before this no reading can be too old."""
        self._made = made_controls(link.controls, self._controls)
        self._followers = [*off_keys(link.controls, self._controls), *self._made.values()]
        every: dict[str, Control] = {**self._controls, **self._made}
        self._places = place_channels(link)
        band = level_of(rules.neutral_band)
        self._sources = [
            build_source(model, every, band, place=name in self._places)
            for name, model in link.channels.items()
        ]
        self._several = [
            source
            for source, model in zip(self._sources, link.channels.values(), strict=True)
            if len(getattr(model, "origins", ())) > 1
        ]
        names = list(link.channels)
        self._arm = names.index(link.arm_channel) if link.arm_channel else None
        arm_control = source_name(link.channels[link.arm_channel]) if link.arm_channel else None
        self._arm_control = every[arm_control] if arm_control else None
        self._neutral: list[Value] = [0] * len(names)
        self._stop = every[rules.stop] if rules.stop and rules.stop not in without else None
        self._stop_put = False
        self._arming = Arming(rules.timeout_ms, period_ms)
        self._encoder = Encoder(link, stream=stream)
        self._guard_ms = rules.delay_guard_ms
        self._period_ms = period_ms
        self._seq = 0
        self._clock = Clock()
        self._looked_ms: int | None = None
        self._followed_ms = -1
        self._due_ms = 0
        self._begun = False
        self._hands_off = False
        self._request: bytes | None = None

    @property
    def values(self) -> dict[str, Value]:
        """The value of every channel as it would be sent now: levels and shares as integers, None
        for *no reading*; flags as 0 or 1. A look, not a send: it changes nothing."""
        now = self._wanted()
        if self._arm is not None:
            now = [*now[: self._arm], int(self._arming.sent), *now[self._arm + 1 :]]
        return dict(zip(self.link.channels, now, strict=True))

    @property
    def latched(self) -> list[str]:
        """The controls whose value is held although no hand holds it: toggles that are on, sticks that
        hold, nudges and selectors away from where they start."""
        return [
            control.name for control in (*self._controls.values(), *self._made.values()) if control.latched
        ]

    @property
    def stopping(self) -> bool:
        """Whether only stop frames are being sent."""
        return self._arming.stopping

    @property
    def why(self) -> str:
        """What this end holds back, in plain words; "" while it holds nothing back."""
        if self._arming.parting:
            return "leaving: arm is sent off"
        if not self._begun:
            return "no reading yet: nothing is sent"
        if self._arming.stopping:
            if self._stop is None or not self._stop_pressed:
                return "stop was pressed"
            missing = "has no reading, which counts as pressed" if self._stop.value is None else "is pressed"
            return f"{self._stop.name} {missing}"
        for source in self._several:
            if source.unready is not None:
                return f"{source.unready.name} has not been at rest since its readings began"
        if self._arm is None or self._arming.allowed:
            return ""
        if self._arm_put is None and self._arm_control is not None:
            missing = "has no reading" if self._arm_control.value is None else "is to be switched off first"
            return f"{self._arm_control.name} {missing}"
        return "arm is to be switched off first"

    def read(self, now_ms: int, **readings: int | None) -> None:
        """Take raw readings of any subset of the controls; None says that a control has none.

        Raises KeyError for a control that the link file does not have, TypeError for a reading that
        is not a whole number.
        """
        now_ms = self._pass_time(now_ms)
        for name, raw in readings.items():
            control = self._controls.get(name)
            if control is None:
                known = ", ".join(self._controls) or "none"
                raise KeyError(f"no control is called {name}; this link has: {known}")
            if raw is None:
                control.withdraw()
            elif isinstance(raw, int):
                control.read(raw, now_ms)
            else:
                raise TypeError(f"{name}: a reading is a whole number or None, not {raw!r}")
        self._have_read(now_ms)

    def hear_key(self, now_ms: int, name: str, *, fresh: bool) -> None:
        """Take the code of a key that has arrived, from something that can tell a fresh press from a key that
        is held. KeyError for anything but a key."""
        now_ms = self._pass_time(now_ms)
        control = self._controls[name]
        if not isinstance(control, Key):
            raise KeyError(f"{name} is not a key")
        control.arrive(now_ms, fresh=fresh)
        self._have_read(now_ms)

    def switch_arm_off(self, now_ms: int) -> None:
        """As if the arm control had been switched off: for a hand that has long not been heard of."""
        if isinstance(self._arm_control, Pressed):
            self._arm_control.switch_off()
        self._have_read(self._pass_time(now_ms))

    def _have_read(self, now_ms: int) -> None:
        """What follows from new readings."""
        self._begun = True
        self._refresh()
        self._look_at_stop(now_ms)
        self._followed_ms = -1  # there are new readings
        self._follow_arm(now_ms)
        self._followed_ms = now_ms

    def _refresh(self) -> None:
        """Let what is made of controls follow them."""
        for follower in self._followers:
            follower.refresh()
        for source in self._several:
            source.refresh()

    @property
    def _stop_pressed(self) -> bool:
        """A stop button without a reading counts as pressed: its wire may be broken. A key that does not come
        is released; it always has a value."""
        return self._stop_put or (
            self._stop is not None and (self._stop.value is None or self._stop.value != 0)
        )

    def _look_at_stop(self, now_ms: int) -> None:
        if self._arming.stop(self._begun and self._stop_pressed, now_ms):
            # What keeps arm on by itself falls, so that the way back is one press and not two.
            if isinstance(self._arm_control, Pressed):
                self._arm_control.switch_off()
            self._arm_put = None if self._arm_put is None else False

    def press_stop(self, now_ms: int, pressed: bool = True) -> None:
        """A stop of the program's own, where no control is there to be pressed: stop frames are sent while it
        is pressed and for at least ``timeout_ms`` and a period."""
        now_ms = self._pass_time(now_ms)
        self._begun = True
        self._stop_put = pressed
        self._look_at_stop(now_ms)

    def put(self, now_ms: int, name: str, value: Value, for_ms: int | None = None) -> None:
        """Set a channel from a program, in place of its control: a level or a share as an integer, a flag as
        0 or 1. After ``for_ms`` it is withdrawn: what moves goes to rest, a flag off, a place (a servo's)
        stays; None: until it is set again. KeyError for an unknown channel, and for the arm channel;
        TypeError and ValueError for a value that the channel cannot have."""
        if name not in self.link.channels or name == self.link.arm_channel:
            known = ", ".join(channel for channel in self.link.channels if channel != self.link.arm_channel)
            raise KeyError(f"no channel {name} to set; this link has: {known}")
        check_value(name, self.link.channels[name], value)
        until_ms = None if for_ms is None else self._pass_time(now_ms) + for_ms
        self._begun = True
        self._puts[name] = value, until_ms

    def put_arm(self, on: bool) -> None:
        """Arm or disarm from a program, in place of the arm control. Like a control, it starts off."""
        self._arm_put = on
        self._begun = True
        self._followed_ms = -1

    def feed(self, data: bytes, now_ms: int) -> list[Event]:
        """Take bytes that have come back from the machine, and give the events in them."""
        self._pass_time(now_ms)
        return self._hearing.feed(data)

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
    def telemetry(self) -> dict[str, Reading]:
        """The latest of each item that has come back, with its age."""
        return self._hearing.telemetry()

    def age_ms(self, name: str) -> int | None:
        """How long ago an item of telemetry came, by the time of the last call; None if it never did."""
        reading = self.telemetry.get(name)
        return None if reading is None else reading.age_ms

    def request(self, name: str, **arguments: int) -> Asked:
        """Ask the machine to do something, once. What becomes of it shows in what is returned.

        Raises KeyError for a request that the link file does not have, TypeError and ValueError for
        arguments that it does not take.
        """
        return self._asker.ask(name, arguments)

    def greet(self) -> None:
        """Ask the machine who it is; :attr:`identity` holds the answer."""
        self._asker.greet()

    @property
    def identity(self) -> Identity | None:
        """What the machine said of itself; None before it has."""
        return self._asker.identity

    def echo(self, now_ms: int) -> None:
        """Send a few bytes there and back; :attr:`round_trip_ms` then says how long it took."""
        self._asker.echo(self._pass_time(now_ms))

    @property
    def round_trip_ms(self) -> int | None:
        """How long the last echo took, in ms; None until it is back."""
        return self._asker.round_trip_ms

    def cues(self, now_ms: int) -> list[str]:
        """The cues that are to sound now. A value that has not come for a while is silent."""
        self._pass_time(now_ms)
        return self._hearing.cues()

    def jog(self, output: str, level: int, for_ms: int) -> None:
        """Ask the machine, in place of the next command, to move one output a little: ``level`` -FULL to
        FULL, brought down to what a jog may be, ``for_ms`` up to 500. KeyError for an unknown output."""
        place = {name: place for place, name in enumerate(self.link.outputs)}[output]
        turning = isinstance(self.link.outputs[output], MotorOutput | StepperOutput)
        most = div(MOST_TURNING * FULL, LEVEL_STEPS) if turning else FULL
        self._request = pack_jog(Jog(place, clamp(level, -most, most), for_ms))

    def hands_off(self) -> None:
        """From now on every channel but arm is sent at rest, wherever controls, nudges and selectors
        stand: what a jog wants about it."""
        self._hands_off = True

    def disarm(self) -> None:
        """From now on, whatever is read: sticks at rest and arm off. For leaving in good order."""
        self._arming.leave()
        self._begun = True
        self._followed_ms = -1

    def expire(self, now_ms: int) -> None:
        """The loop has been held up for longer than a timer counts: nothing that was read before ``now_ms``
        holds any more. Every control is without a reading, what a program set for a time is withdrawn, and
        arm has to be read off, or to be put off and on, before it is sent on again."""
        total_ms = self._clock.jump(now_ms)
        self._looked_ms = now_ms
        self._withdraw_stale(total_ms)
        self._puts = {
            name: (value, None if until_ms is None else min(until_ms, total_ms))
            for name, (value, until_ms) in self._puts.items()
        }
        self._arm_put = None
        self._arming.forget()
        self._followed_ms = -1
        self._follow_arm(total_ms)
        self._hearing.now_ms = total_ms
        self._hearing.forget()

    def send(self, now_ms: int) -> bytes:
        """The bytes that are due now, b"" if none are. Nothing is sent before the first reading, unless a
        program has set, asked or told something."""
        now_ms = self._pass_time(now_ms)
        if now_ms < self._due_ms:
            return b""
        self._due_ms += self._period_ms
        if self._due_ms <= now_ms:
            self._due_ms = now_ms + self._period_ms  # long overdue frames are not made up for
        seq = self._seq
        encoder = self._encoder
        if self._arming.stopping:
            self._look_at_stop(now_ms)
        if self._arming.stopping:
            self._seq = seq + 1 & 0xFF
            return encoder.on_wire(encoder.stop(seq)) or encoder.command_on_wire(self._neutral, seq)
        if self._asker.wants or self._request is not None:
            body = self._question(now_ms, seq)
            if body is not None:
                self._seq = seq + 1 & 0xFF
                return encoder.on_wire(body)
        if not self._begun:
            return b""
        if self._guard_ms is not None and now_ms - self._hearing.told_ms > self._guard_ms:
            # Nothing has come back by which the machine could tell that this is not old: it would refuse it.
            self._follow_arm(now_ms)
            return b""
        self._seq = seq + 1 & 0xFF
        encoder.echo = self._hearing.seq
        return encoder.command_on_wire(self._values_to_send(now_ms), seq)

    def _question(self, now_ms: int, seq: int) -> bytes | None:
        """What is to be asked in place of a command, if anything is and it may be."""
        # Never two in a row: commands keep the machine alive.
        self._between = not self._between
        if self._arming.parting or not self._between or not self.link.frame.carries_questions:
            return None
        asked = self._asker.due(now_ms)
        if asked is not None:
            return self._encoder.sealed(asked[0], seq, asked[1])
        if self._request is None or not (self._arm is None or self._arming.sent):
            return None
        request, self._request = self._request, None
        return self._encoder.sealed(REQUEST, seq, request)

    def _pass_time(self, now_ms: int) -> int:
        """The time on a clock that only grows, and every reading withdrawn that is too old by then."""
        if now_ms == self._looked_ms:
            return self._clock.total_ms  # read and sent in one turn of a loop
        self._looked_ms = now_ms
        now_ms = self._clock.read(now_ms)
        if now_ms >= self._stale_from_ms:
            self._withdraw_stale(now_ms)
        # What is read now will not be too old before that.
        self._stale_from_ms = min(self._stale_from_ms, now_ms + self._soonest_stale_ms)
        self._hearing.now_ms = now_ms
        return now_ms

    def _withdraw_stale(self, now_ms: int) -> None:
        for control in self._controls.values():
            if control.stale_at_ms <= now_ms and control.value is not None:
                control.withdraw()
        self._refresh()
        self._look_at_stop(now_ms)
        to_come = (control.stale_at_ms for control in self._controls.values() if control.stale_at_ms > now_ms)
        self._stale_from_ms = min(to_come, default=now_ms + self._soonest_stale_ms)

    def _wanted(self) -> list[Value]:
        """What the controls say, without arm."""
        if self._arming.parting or self._hands_off:
            return self._neutral[:]
        if not self._puts:
            return [source.value() for source in self._sources]
        return [
            self._put_value(name) if name in self._puts else source.value()
            for name, source in zip(self.link.channels, self._sources, strict=True)
        ]

    def _put_value(self, name: str) -> Value:
        value, until_ms = self._puts[name]
        over = until_ms is not None and self._clock.total_ms >= until_ms
        return 0 if over and name not in self._places else value

    def _values_to_send(self, now_ms: int) -> list[Value]:
        values = self._wanted()
        if self._arm is not None:
            self._follow_arm(now_ms)
            values[self._arm] = int(self._arming.sent)
        return values

    def _follow_arm(self, now_ms: int) -> None:
        """Decide whether arm is sent on, once for each reading and each frame."""
        if self._arm is None or now_ms == self._followed_ms:
            return
        if self._arm_put is not None:
            wanted: bool | None = self._arm_put
        elif self._arm_control is None or self._arm_control.value is None:
            wanted = None
        else:
            wanted = bool(self._sources[self._arm].value())
        self._arming.follow(wanted, now_ms)


def check_value(name: str, channel: AnyChannel, value: object) -> None:
    """TypeError or ValueError for what a channel cannot have as its value."""
    scaled = channel.kind in ("level", "share")
    low, high = value_range(channel.kind, len(getattr(channel, "options", ())) or 2)
    if value is None and scaled:
        return
    if not isinstance(value, int) or (scaled and isinstance(value, bool)):
        raise TypeError(f"{name}: a value is a whole number, not {value!r}")
    if channel.kind != "count" and not low <= value <= high:
        raise ValueError(f"{name} is {value}; it must be from {low} to {high}")
