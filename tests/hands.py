"""Controls and sources of core by themselves, told what they are told in a handset."""

from nuvrik.core.hand.hands import Hands
from nuvrik.core.hand.sources import Sources, SourcesTable
from nuvrik.core.levels import NO_READING, TIMER_MAX
from nuvrik.plan.tables.handset import hands_table, source_table
from nuvrik.plan.tables.made import made

MOST = 65_535


class OneControl:
    """One control, read at times that only grow."""

    def __init__(self, model) -> None:
        self.hands = Hands(hands_table({"it": model}, {"it": 0}))
        self.hands.begin()
        self._now_ms = 0

    def read(self, raw: int, now_ms: int = 0) -> None:
        if self.hands.keys:
            self.hands.pass_time(now_ms - self._now_ms)
        else:
            # Time passes, and no reading is taken for too old: that is for whoever looks at the clock.
            self.hands.waited_ms = min(self.hands.waited_ms + now_ms - self._now_ms, TIMER_MAX)
        self._now_ms = now_ms
        self.hands.read(0, max(-MOST, min(MOST, raw)))

    def withdraw(self) -> None:
        self.hands.withdraw(0)

    @property
    def value(self) -> int | None:
        value = self.hands.value(0)
        return None if value == NO_READING else value

    @property
    def latched(self) -> bool:
        return self.hands.latched(0)

    @property
    def presses(self) -> int:
        return self.hands.presses(0)


class OneSource:
    """Where one channel's value comes from; ``values`` are those of its controls."""

    def __init__(self, model, controls: list[str], band: int, *, place: bool = False) -> None:
        self._names = controls
        self.values: dict[str, int | None] = dict.fromkeys(controls)
        places = {name: at for at, name in enumerate(controls)}
        table = source_table(model, places, 0, band, place=place)
        ready = [0] * len(table.origins)
        self._sources = Sources(made(SourcesTable, sources=[table], ready=ready))

    def value_of(self, control: int) -> int:
        value = self.values[self._names[control]]
        return NO_READING if value is None else value

    def refresh(self) -> None:
        self._sources.refresh(_Fixed(self))

    def value(self) -> int | None:
        value = self._sources.value(0, _Fixed(self))
        return None if value == NO_READING else value


class _Fixed:
    """Hands whose controls say what they are told to."""

    def __init__(self, source: OneSource) -> None:
        self.value = source.value_of
