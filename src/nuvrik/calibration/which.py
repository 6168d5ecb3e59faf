"""Which stick is which: what of a source moved when a hand moved one control."""

from collections.abc import Iterable, Mapping

FAR = 0.25
"""A stick that was moved to an end went at least so far of all that its source has ever shown; what merely
trembles, or leans while another is moved, does not."""

LEAST = 16
"""Raw counts: less is noise."""


class Which:
    """What items of sources, named as in ``pad.left_y``, have read since the last ``settle``."""

    def __init__(self) -> None:
        self._order: list[str] = []
        self._rest: dict[str, int] = {}
        self._now: dict[str, int] = {}
        self._far: dict[str, int] = {}
        self._most: dict[str, int] = {}
        self._span: dict[str, int] = {}

    def take(self, readings: Mapping[str, int | None]) -> None:
        """New readings, by item."""
        for item, value in readings.items():
            if value is None:
                continue
            if item not in self._rest:
                self._order.append(item)
                self._rest[item] = value
            self._now[item] = value
            away = abs(value - self._rest[item])
            self._far[item] = max(self._far.get(item, 0), away)
            source, most = item.partition(".")[0], max(abs(value), away)
            self._most[item] = max(self._most.get(item, 0), most)
            self._span[source] = max(self._span.get(source, 0), most)

    def settle(self) -> None:
        """From now on, what has moved is what is no longer where it is now."""
        self._rest = dict(self._now)
        self._far = {}

    def back(self, item: str) -> bool:
        """Whether an item is back where it was, or nearly."""
        return abs(self._now[item] - self._rest[item]) <= self._far[item] // 4

    def moved(self, *, button: bool, without: Iterable[str] = ()) -> str | None:
        """The item that has moved most, as a button is pressed or as a stick is pushed; None for none yet. Of
        two names for one thing the first that the source gave counts."""
        taken = [(self._far.get(item), self._now.get(item)) for item in without]
        able = [
            item
            for item in self._order
            if self._moved(item, button) and (self._far[item], self._now[item]) not in taken
        ]
        share = {item: self._far[item] / self._span[item.partition(".")[0]] for item in able}
        best = max(share.values(), default=0)
        return next((item for item in able if share[item] >= 0.95 * best), None)

    def _moved(self, item: str, button: bool) -> bool:
        far = self._far.get(item, 0)
        if button:
            return self._most[item] == 1 and far == 1
        return far >= LEAST and far >= FAR * self._span[item.partition(".")[0]]
