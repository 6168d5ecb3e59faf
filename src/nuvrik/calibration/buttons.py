"""How long a button's contacts bounce, from readings of it."""

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from nuvrik.plan.controls import ButtonControl, MadeControl, ReadControl

APART_MS = 40
"""Changes closer together than this are one contact bouncing: nobody presses and lets go so quickly, and
published contacts bounce for 1 to 20 ms."""

ROUNDED_MS = 5
"""A proposal is a multiple of this, and more than was seen: the next press may bounce for longer."""

COARSE_MS = 10
"""Readings further apart than this would not show most bounces."""


class Pressed(NamedTuple):
    """What was seen of a button: how often it was pressed, its longest bounce in ms, how far apart its
    readings were, and what ``debounce_ms`` should be, None where that cannot be told."""

    name: str
    presses: int
    bounce_ms: int
    every_ms: float
    debounce_ms: int | None

    @property
    def words(self) -> str:
        """All of it for people to read."""
        times = "time" if self.presses == 1 else "times"
        if not self.presses:
            return "never pressed"
        if self.debounce_ms is None:
            too = f"read every {self.every_ms:.0f} ms, too seldom to see it bounce"
            return f"pressed {self.presses} {times}; {too}"
        return f"pressed {self.presses} {times}, bounced for up to {self.bounce_ms} ms"


def pressed(
    controls: Mapping[str, ReadControl | MadeControl],
    times_ms: Sequence[int],
    columns: Mapping[str, Sequence[int | None]],
    every_ms: Mapping[str, float] | None = None,
) -> list[Pressed]:
    """Look at every button in a recording. ``every_ms``: how far apart the readings of each were, where that
    is known better than from the rows, which may come more often."""
    return [
        _one(name, control, times_ms, columns[name], (every_ms or {}).get(name))
        for name, control in controls.items()
        if isinstance(control, ButtonControl) and name in columns
    ]


def _one(
    name: str,
    control: ButtonControl,
    times_ms: Sequence[int],
    readings: Sequence[int | None],
    known_ms: float | None,
) -> Pressed:
    read = [(t_ms, bool(value)) for t_ms, value in zip(times_ms, readings, strict=True) if value is not None]
    gaps = [after - before for (before, _), (after, _) in pairwise(read)]
    every_ms = float(min(gaps, default=0)) if known_ms is None else known_ms
    changes = [(t_ms, now) for (_, before), (t_ms, now) in pairwise(read) if before != now]
    down = control.active == "high"
    presses, bounce_ms, first_ms, last_ms = 0, 0, 0, -APART_MS
    state = not down
    for t_ms, now in changes:
        if t_ms - last_ms >= APART_MS:
            first_ms = t_ms
            presses += now == down and state != down
        state, last_ms = now, t_ms
        bounce_ms = max(bounce_ms, t_ms - first_ms)
    debounce_ms = None
    if presses and every_ms <= COARSE_MS:
        debounce_ms = ROUNDED_MS * (1 + -(-bounce_ms // ROUNDED_MS)) if bounce_ms else ROUNDED_MS
    return Pressed(name, presses, bounce_ms, every_ms, debounce_ms)
