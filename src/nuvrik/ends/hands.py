"""The controls of a handset by name, and what a program sets in their place."""

from collections.abc import Mapping

from nuvrik.core.hand.controls import Moved, MovedTable, bent_level
from nuvrik.core.hand.hands import IS_KEY, IS_MOVED
from nuvrik.core.hand.handset import Handset
from nuvrik.core.levels import NO_READING
from nuvrik.plan.form.base import MAX_RAW_SPAN
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import staying_channels
from nuvrik.wire.codes import Value
from nuvrik.wire.values import value_to_send

Put = tuple[Value, int | None]
"""What a program has set a channel to, and until when."""


class QuickMoved(Moved):
    """The same axis or slider, faster: the level of a reading is worked out once. A test holds it to the
    rules as they are."""

    def __init__(self, table: MovedTable) -> None:
        super().__init__(table)
        self._known: dict[int, int] = {}

    def read(self, raw: int, dt_ms: int) -> None:
        """A reading, ``dt_ms`` after the one before."""
        if not self.table.plain:
            super().read(raw, dt_ms)
            return
        level = self._known.get(raw)
        if level is None:
            level = NO_READING if raw in self.table.ignore else bent_level(self.table, raw)
            self._known[raw] = level
        self.value = level


class Hands:
    """The controls of one handset, around the rules of ``core``."""

    def __init__(self, link: Link, handset: Handset) -> None:
        self._handset, self._hands = handset, handset.hands
        self._hands.moved = [QuickMoved(one) for one in self._hands.table.moved]
        self._channels = link.channels
        self.names = list(link.controls)
        """The controls, by place."""
        self._read = {name: place for place, name in enumerate(self.names) if self._kind(place) <= IS_KEY}
        self._stay = staying_channels(link)
        self._puts: dict[str, Put] = {}

    def _kind(self, place: int) -> int:
        return self._hands.table.controls[place].kind

    @property
    def latched(self) -> list[str]:
        """The controls whose value is held although no hand holds it."""
        return [name for place, name in enumerate(self.names) if self._hands.latched(place)]

    def read(self, readings: Mapping[str, int | None]) -> None:
        """Take raw readings; None says that a control has none. KeyError and TypeError as for the handset."""
        for name, raw in readings.items():
            place = self._read.get(name)
            if place is None:
                known = ", ".join(self._read) or "none"
                raise KeyError(f"no control is called {name}; this link has: {known}")
            if raw is None:
                self._hands.withdraw(place)
            elif isinstance(raw, int):
                self._read_raw(place, int(raw))
            else:
                raise TypeError(f"{name}: a reading is a whole number or None, not {raw!r}")

    def _read_raw(self, place: int, raw: int) -> None:
        if not -MAX_RAW_SPAN <= raw <= MAX_RAW_SPAN:
            # Further out than any range: of a key's count another number; else the end of it, unless that
            # number, as it is, stands for none.
            if self._kind(place) == IS_KEY:
                raw &= 0xFFFF
            else:
                raw = MAX_RAW_SPAN if raw > 0 else -MAX_RAW_SPAN
                if self._ignores(place, raw):
                    raw += 1 if raw < 0 else -1
        self._handset.read(place, raw)

    def _ignores(self, place: int, raw: int) -> bool:
        control = self._hands.table.controls[place]
        return control.kind == IS_MOVED and raw in self._hands.table.moved[control.at].ignore

    def put(self, name: str, value: float | None, until_ms: int | None) -> None:
        """Set a channel from a program. TypeError and ValueError for a value that it cannot have."""
        self._puts[name] = value_to_send(name, self._channels[name], value), until_ms
        if self._channels[name].kind == "count":
            # It travels as it was sent last, whoever lets go of it.
            self._handset.values[list(self._channels).index(name)] = self._puts[name][0] or 0

    def end_puts(self, now_ms: int) -> None:
        """What has been set for a time counts no longer."""
        self._puts = {
            name: (value, None if until_ms is None else min(until_ms, now_ms))
            for name, (value, until_ms) in self._puts.items()
        }

    def values(self, now_ms: int) -> list[Value]:
        """What controls and programs say, for every channel, and arm."""
        handset, given = self._handset, self._handset.values
        handset.fill()
        values: list[Value] = given[:]  # type: ignore[assignment]
        if NO_READING in given:
            values = [None if value == NO_READING else value for value in given]
        if self._puts and not handset.arming.parting:
            for place, name in enumerate(self._channels):
                if name in self._puts:
                    values[place] = self._put_value(name, now_ms)
        return values

    def _put_value(self, name: str, now_ms: int) -> Value:
        value, until_ms = self._puts[name]
        over = until_ms is not None and now_ms >= until_ms
        return 0 if over and name not in self._stay else value
