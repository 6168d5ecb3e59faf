"""What comes back, as the handset knows it."""

from typing import NamedTuple

from nuvrik.plan.form.models import Link
from nuvrik.plan.telemetry import ShaftItem, Value, value_words
from nuvrik.wire.messages import Telemetry

DEGREES_PER_TURN = 360


class Reading(NamedTuple):
    """One item of telemetry as the handset knows it.

    ``value`` is in ``unit``: volts, metres, turns or degrees, what the file says, a fraction of full scale
    for a demand of which it says nothing, True or False; None: nothing there. ``commanded`` says that nobody
    measured it: it is only what was told. ``speed`` is a shaft's, in that unit a second; ``at_ms`` the
    handset's time of its arrival, ``age_ms`` how long ago that was, and ``lost`` says that it is so old that
    it tells nothing of what is now.
    """

    value: Value
    unit: str
    commanded: bool
    at_ms: int
    speed: float | None = None
    age_ms: int = 0
    lost: bool = False

    @property
    def words(self) -> str:
        """All of it for a person to read."""
        if self.lost:
            return f"not heard for {self.age_ms} ms"
        speed = "" if self.speed is None else f", {self.speed:+.1f} a second"
        return value_words(self.value, self.unit) + speed + (" (commanded)" if self.commanded else "")


class Readings:
    """The handset's side: the latest of each item."""

    def __init__(self, link: Link) -> None:
        self._items = link.telemetry
        self._steps_per_rev = {
            name: getattr(link.outputs[item.of], "steps_per_rev", 1)
            for name, item in self._items.items()
            if isinstance(item, ShaftItem) and item.of is not None and not item.sensor
        }
        self.latest: dict[str, Reading] = {}
        self._counts: dict[str, int] = {}

    def take(self, telemetry: Telemetry, now_ms: int) -> None:
        """What has arrived."""
        for name, codes in telemetry.items.items():
            item = self._items[name]
            if isinstance(item, ShaftItem):
                self.latest[name] = self._shaft(name, item, codes[0], now_ms)
            else:
                value, unit = item.value(codes)
                self.latest[name] = Reading(value, unit, not item.measured, now_ms)

    def _shaft(self, name: str, item: ShaftItem, code: int, now_ms: int) -> Reading:
        """The count goes round at 2**bits: less than half of that is taken to have passed since the last."""
        per_rev = self._steps_per_rev.get(name, item.counts_per_rev)
        before = self.latest.get(name)
        half = 1 << (item.bits - 1)
        known = self._counts.get(name)
        moved = 0 if known is None else (code - known + half) % (2 * half) - half
        total = (code + half) % (2 * half) - half if known is None else known + moved
        self._counts[name] = total
        passed_ms = 0 if before is None else now_ms - before.at_ms
        scale = (DEGREES_PER_TURN if item.unit == "degrees" else 1) / per_rev
        speed = 1000 * moved * scale / passed_ms if passed_ms > 0 else None
        return Reading(total * scale, item.unit, not item.sensor, now_ms, speed)
