"""The handset's readings: what hands and programs say, and what is to travel because of it."""

from collections.abc import Collection, Mapping

from nuvrik.failsafe.why import Code, Why
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import place_channels
from nuvrik.shaping.channels import build_source
from nuvrik.shaping.controls import Control, Key, Pressed, read_controls
from nuvrik.shaping.made import Made, made_controls, off_keys
from nuvrik.wire.codes import Value
from nuvrik.wire.values import value_to_send

Put = tuple[Value, int | None]
"""What a program has set: the value, and the time from which it counts no more, None: for ever."""


class Hands:
    """The controls of one handset, each with its reading as long as that is fresh, and what a program has set
    in their place. Times are milliseconds that only grow. ``stop`` is the control that stops, None where this
    run has none.

    The order of things: :meth:`read` takes readings, :meth:`withdraw_stale` ends those that are too old, and
    after either :meth:`refresh` lets whatever is made of controls follow.
    """

    def __init__(self, link: Link, without: Collection[str]) -> None:
        self._channels = link.channels
        self._read = read_controls(link.controls)
        self._made = made_controls(link.controls, self._read)
        self._followers: list[Made] = [*off_keys(link.controls, self._read), *self._made.values()]
        self._every: dict[str, Control] = {**self._read, **self._made}
        self._places = place_channels(link)
        band = level_of(link.failsafe.rest_band)
        self.sources = [
            build_source(model, self._every, band, place=name in self._places)
            for name, model in link.channels.items()
        ]
        self._several = [source for source in self.sources if source.has_several]
        self._follow = bool(self._followers or self._several)
        rules = link.failsafe
        self.stop = self._every[rules.stop] if rules.stop and rules.stop not in without else None
        self.arm = self._every[link.arm_control] if link.arm_control else None
        self._puts: dict[str, Put] = {}
        self._soonest_ms = min((control.stale_ms for control in self._read.values()), default=0)
        self._stale_from_ms = 0
        """Before this no reading can be too old."""

    @property
    def latched(self) -> list[str]:
        """The controls whose value is held although no hand holds it."""
        return [control.name for control in self._every.values() if control.latched]

    def read(self, readings: Mapping[str, int | None], now_ms: int) -> None:
        """Take raw readings; None says that a control has none. KeyError and TypeError as for the handset."""
        for name, raw in readings.items():
            control = self._read.get(name)
            if control is None:
                known = ", ".join(self._read) or "none"
                raise KeyError(f"no control is called {name}; this link has: {known}")
            if raw is None:
                control.withdraw()
            elif isinstance(raw, int):
                control.read(raw, now_ms)
            else:
                raise TypeError(f"{name}: a reading is a whole number or None, not {raw!r}")

    def hear_key(self, name: str, now_ms: int, *, fresh: bool) -> None:
        """The code of a key has arrived. KeyError for anything but a key."""
        control = self._read[name]
        if not isinstance(control, Key):
            raise KeyError(f"{name} is not a key")
        control.arrive(now_ms, fresh=fresh)

    def refresh(self) -> None:
        """Let what is made of controls follow them."""
        if self._follow:
            for follower in self._followers:
                follower.refresh()
            for source in self._several:
                source.refresh()

    def may_be_stale(self, now_ms: int) -> bool:
        """Whether some reading may be too old by now; asked before it is looked for, because it seldom is."""
        stale = now_ms >= self._stale_from_ms
        # What is read now will not be too old before that.
        self._stale_from_ms = min(self._stale_from_ms, now_ms + self._soonest_ms)
        return stale

    def withdraw_stale(self, now_ms: int) -> None:
        """End every reading that is too old."""
        for control in self._read.values():
            if control.stale_at_ms <= now_ms and control.value is not None:
                control.withdraw()
        to_come = (control.stale_at_ms for control in self._read.values() if control.stale_at_ms > now_ms)
        self._stale_from_ms = min([now_ms + self._soonest_ms, *to_come])

    def put(self, name: str, value: float | None, until_ms: int | None) -> None:
        """Set a channel from a program. TypeError and ValueError for a value that it cannot have."""
        self._puts[name] = value_to_send(name, self._channels[name], value), until_ms

    def end_puts(self, now_ms: int) -> None:
        """What has been set for a time counts no longer."""
        self._puts = {
            name: (value, None if until_ms is None else min(until_ms, now_ms))
            for name, (value, until_ms) in self._puts.items()
        }

    def values(self, now_ms: int) -> list[Value]:
        """What controls and programs say, for every channel."""
        if not self._puts:
            return [source.value() for source in self.sources]
        return [
            self._put_value(name, now_ms) if name in self._puts else source.value()
            for name, source in zip(self._channels, self.sources, strict=True)
        ]

    def _put_value(self, name: str, now_ms: int) -> Value:
        value, until_ms = self._puts[name]
        over = until_ms is not None and now_ms >= until_ms
        return 0 if over and name not in self._places else value

    # ---- what arm and stop look at ----

    @property
    def stop_pressed(self) -> bool:
        """A stop button without a reading counts as pressed: its wire may be broken. A key that does not come
        is released; it always has a value."""
        return self.stop is not None and (self.stop.value is None or self.stop.value != 0)

    def arm_falls(self) -> None:
        """A toggle that arms goes off; whatever else arms is left as it is."""
        if isinstance(self.arm, Pressed):
            self.arm.switch_off()

    @property
    def never_at_rest(self) -> Why | None:
        """That a control of several for one channel has no say yet; None if none is so."""
        for source in self._several:
            if source.unready is not None:
                return Why(Code.NEVER_AT_REST, self.place_of(source.unready))
        return None

    def place_of(self, control: Control) -> int:
        """The place of a control among those of the link file."""
        return list(self._every).index(control.name)

    @property
    def names(self) -> list[str]:
        """Their names, by place."""
        return list(self._every)
