"""What a raw recording says about the controls in it: ends, rest, noise, and how sure that is.

The recording is of someone who moves every control to all its ends and then lets go. Nothing is
assumed about which way a control counts: the link file's order of low and high is kept.
"""

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nuvrik.plan.controls import AxisControl, MadeControl, ReadControl, SliderControl

Readings = NDArray[np.float64]

LET_GO_MS = 1500
"""The end of the recording in which all hands are off."""

LEAST_SAMPLES = 40
"""Less than a second of most handsets says nothing about an end or a rest."""

MARGIN = 1.5
"""The dead zone is this much wider than the noise and wander that were seen."""

TOGETHER = 0.9
"""Two controls whose movements correlate more than this probably share a wire or a hand."""


class Calibrated(NamedTuple):
    """What was found about one control. ``raw`` and ``dead_zone`` are as the link file wants them,
    None where too little could be seen; ``doubts`` say why one should not be sure."""

    name: str
    raw: list[int] | None
    dead_zone: float | None
    noise: float
    sure: Literal["sure", "fairly sure", "not sure"]
    doubts: list[str]


def calibrate(
    controls: Mapping[str, ReadControl | MadeControl],
    times_ms: Sequence[int],
    columns: Mapping[str, Sequence[int | None]],
) -> list[Calibrated]:
    """Look at every axis and slider in a recording."""
    times = np.asarray(times_ms, dtype=np.float64)
    found = []
    swept: dict[str, Readings] = {}
    for name, control in controls.items():
        if not isinstance(control, AxisControl | SliderControl) or name not in columns:
            continue
        readings = np.asarray([np.nan if v is None else v for v in columns[name]], dtype=np.float64)
        readings[np.isin(readings, control.ignore)] = np.nan
        found.append(_one(name, control, times, readings))
        swept[name] = readings
    return [_with_companions(result, swept) for result in found]


def _one(name: str, control: AxisControl | SliderControl, times: Readings, readings: Readings) -> Calibrated:
    known = ~np.isnan(readings)
    if known.sum() < LEAST_SAMPLES:
        return Calibrated(name, None, None, 0.0, "not sure", [f"only {int(known.sum())} readings of it"])
    doubts = []
    if known.mean() < 0.95:
        doubts.append(f"{100 * (1 - known.mean()):.0f} % of its readings are missing")
    let_go = known & (times >= times[-1] - LET_GO_MS)
    if let_go.sum() < 10:
        return Calibrated(name, None, None, 0.0, "not sure", ["no readings after it was let go"])
    tail = readings[let_go]
    rest = float(np.median(tail))
    noise = float(np.percentile(np.abs(tail - rest), 99))
    smooth = _without_spikes(readings[known])
    bottom, top = float(smooth.min()), float(smooth.max())
    span = top - bottom
    if span < max(8.0, 6 * noise):
        return Calibrated(
            name, None, None, noise, "not sure", [f"stuck: it stayed between {bottom:.0f} and {top:.0f}"]
        )
    # Inside the extremes by the noise, so that full can be reached at any time and not only once.
    ends = [round(bottom + noise), round(top - noise)]
    rising = control.raw[-1] > control.raw[0]
    low, high = ends if rising else ends[::-1]
    if isinstance(control, SliderControl):
        return _graded(Calibrated(name, [low, high], _zone(noise, span), noise, "sure", doubts))
    centre = min(max(round(rest), ends[0]), ends[1])
    halves = centre - ends[0], ends[1] - centre
    if min(halves) < 0.1 * span:
        doubts.append(
            f"one half is missing: hardly moved {'below' if halves[0] < halves[1] else 'above'} {centre}"
        )
    if noise > 0.05 * span:
        doubts.append("it was not let go: it still moved at the end")
    drift = abs(float(np.median(tail[: len(tail) // 2]) - np.median(tail[len(tail) // 2 :])))
    if drift > max(2.0, 2 * noise / 3):
        doubts.append(f"its rest drifts: by {drift:.0f} in the last {LET_GO_MS / 1000:g} s")
    before = readings[known & (times <= times[0] + LET_GO_MS / 3)]
    wander = abs(float(np.median(before)) - rest) if len(before) > 5 else 0.0
    wander = wander if wander < 0.15 * span else 0.0  # it was not at rest yet
    if wander > 4 * max(noise, 1.0):
        doubts.append(f"it came back to rest {wander:.0f} away from where it had been")
    zone = _zone(max(noise, wander, drift), min(h for h in halves if h > 0.1 * span) if max(halves) else span)
    return _graded(Calibrated(name, [low, centre, high], zone, noise, "sure", doubts))


def _zone(stray: float, half: float) -> float:
    """The dead zone that swallows what strays about rest: a fraction, rounded up to a hundredth."""
    return min(0.5, float(np.ceil(100 * MARGIN * (stray + 1) / half)) / 100)


def _graded(found: Calibrated) -> Calibrated:
    return found._replace(
        sure=("sure", "fairly sure")[bool(found.doubts)] if len(found.doubts) < 2 else "not sure"
    )


def _without_spikes(readings: Readings) -> Readings:
    """A running median of three: a single wild reading is no end of travel."""
    if len(readings) < 3:
        return readings
    return np.median(np.stack([readings[:-2], readings[1:-1], readings[2:]]), axis=0)


def _with_companions(found: Calibrated, swept: Mapping[str, Readings]) -> Calibrated:
    """Doubt a control that moved only when, and as, another did."""
    if found.raw is None:
        return found
    mine = np.diff(swept[found.name])
    for other, readings in swept.items():
        theirs = np.diff(readings)
        both = ~(np.isnan(mine) | np.isnan(theirs))
        if other == found.name or both.sum() < LEAST_SAMPLES or not (mine[both].std() and theirs[both].std()):
            continue
        correlation = float(np.corrcoef(mine[both], theirs[both])[0, 1])
        if abs(correlation) > TOGETHER:
            doubt = f"it moves together with {other} ({correlation:+.2f}): one wire, or swept by one hand?"
            return _graded(found._replace(doubts=[*found.doubts, doubt]))
    return found
