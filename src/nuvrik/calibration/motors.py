"""From a log of duty against speed: where a motor starts, and the curve that makes it even."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

CURVE_PLACES = (0.0, 0.1, 0.25, 0.5, 0.75, 1.0)
"""Where a fitted curve gets its points: closest near the start, where it bends most."""


UNSEEN = 0.1
"""Of full duty: over so wide a gap a start is a guess."""


class MotorFit(NamedTuple):
    """A fit of ``speed = top * ((duty - start) / (1 - start)) ** bend`` beyond ``start``.

    ``start_duty`` is the fraction of full duty that gets it going, ``from_duty`` where the fitted line
    meets zero speed; ``curve`` holds points [level, share of the duty above start] that make speed
    proportional to level; ``spread`` is the root mean square of what the fit leaves over, as a fraction of
    ``top``; ``doubts`` say why one should not be sure.
    """

    start_duty: float
    curve: list[list[float]]
    from_duty: float
    bend: float
    top: float
    spread: float
    doubts: list[str] = []  # noqa: RUF012

    def speed_at(self, duty: float) -> float:
        """The fitted speed at a duty (fraction of full) while it turns."""
        above = max(0.0, (duty - self.from_duty) / (1 - self.from_duty))
        return float(self.top * above**self.bend)


def fit_motor(duty: Sequence[float], speed: Sequence[float]) -> MotorFit:
    """Fit a log of duties (fractions of full, either sign) and the speeds they gave.

    Raises ValueError, in plain words, where the log cannot tell.
    """
    from scipy.optimize import curve_fit

    duties, speeds = np.abs(np.asarray(duty, dtype=float)), np.abs(np.asarray(speed, dtype=float))
    if len(duties) < 8 or np.ptp(duties) < 0.3:
        raise ValueError("the log needs at least 8 readings, spread over a third of the duty or more")
    top = float(speeds.max())
    moving = speeds > 0.01 * top
    if top == 0 or moving.sum() < 5:
        raise ValueError("the motor hardly moved in this log: raise the duty further")
    if moving.all() and duties.min() > 0.1:
        raise ValueError("the log never goes down to where the motor stands still: begin at duty 0")
    first = float(duties[moving].min())

    def model(given: NDArray[np.float64], start: float, bend: float, most: float) -> NDArray[np.float64]:
        above = np.clip((given - start) / (1 - start), 0.0, None)
        return most * np.power(above, bend, where=above > 0, out=np.zeros_like(above))

    guess, bounds = (0.9 * first, 1.0, top), ([0.0, 0.3, 0.3 * top], [0.95 * first + 0.01, 3.0, 3.0 * top])
    (start, bend, most), _ = curve_fit(model, duties[moving], speeds[moving], p0=guess, bounds=bounds)
    spread = float(np.sqrt(np.mean((model(duties[moving], start, bend, most) - speeds[moving]) ** 2))) / top
    # What gets it going (stiction) may be more than what keeps it turning: the least duty in the log
    # above every one at which it stood still.
    stood = float(duties[~moving & (duties < duties.max())].max(initial=0.0))
    begins = min(float(duties[duties > stood].min()) if stood >= start else float(start), 0.95)
    # The duty that gives each share of the top speed, as a share of what is left above the start.
    needed = [start + (1 - start) * place ** (1 / bend) for place in CURVE_PLACES]
    shares = [
        max(0.0, (duty - begins) / (1 - begins)) if place else 0.0
        for place, duty in zip(CURVE_PLACES, needed, strict=True)
    ]
    curve = [[place, round(float(share), 3)] for place, share in zip(CURVE_PLACES, shares, strict=True)]
    doubts = []
    if first - stood > UNSEEN:
        gap = f"{stood:.2f} of full, where it stood, and {first:.2f}, where it turned"
        seen = f"nothing was measured between {gap}"
        doubts.append(f"{seen}: sweep it with start_duty = 0 in the file")
    # Rounded upwards: at a hair below where it began to turn it stands.
    begins = float(np.ceil(1000 * begins) / 1000)
    return MotorFit(begins, curve, float(start), float(bend), float(most), spread, doubts)


class Load(NamedTuple):
    """A motor's log under one load, and what was found in it."""

    name: str
    duties: list[float]
    speeds: list[float]
    fit: MotorFit


def worst_load(loads: Sequence[Load]) -> Load:
    """The load under which a motor starts last; of two, the one under which it is slower. What gets it going
    there gets it going everywhere."""
    return max(loads, key=lambda load: (load.fit.start_duty, -load.fit.top))
