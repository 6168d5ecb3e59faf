"""Recordings made to order: a pilot who follows keyframes, with a hand that is not quite steady."""

import random
from collections.abc import Mapping, Sequence

from nuvrik.plan.models import AxisControl, ButtonControl, Link
from nuvrik.rehearsal.recording import Recording, Row

SAMPLE_MS = 20
TREMOR = 0.004
"""How far a hand strays, as a fraction of the control's travel: about 2 counts of 512."""

Keyframe = tuple[int, Mapping[str, float]]
"""A time in ms, and where some controls are by then: -1 to 1 for an axis, 0 or 1 for a button."""


def play(link: Link, keyframes: Sequence[Keyframe], duration_ms: int, seed: int) -> Recording:
    """A recording of someone who moves each axis in straight lines from keyframe to keyframe.

    Buttons change at their keyframe. Everything starts at rest.
    """
    rng = random.Random(seed)
    times = list(range(0, duration_ms + 1, SAMPLE_MS))
    tracks = {
        name: [(0, 0.0), *((t_ms, places[name]) for t_ms, places in keyframes if name in places)]
        for name in link.controls
    }
    rows: list[Row] = [
        {
            name: _raw(control, _place(tracks[name], t_ms, control), rng)
            for name, control in link.controls.items()
        }
        for t_ms in times
    ]
    return Recording(times, rows)


def practice(link: Link, seed: int, duration_ms: int = 20_000) -> Recording:
    """A pilot for any link: arms, moves every axis about in no particular pattern, comes to rest,
    disarms. The first move is never a small one."""
    rng = random.Random(seed)
    arm = link.channels[link.arm_channel].source if link.arm_channel else None
    axes = [name for name, control in link.controls.items() if isinstance(control, AxisControl)]
    keyframes: list[Keyframe] = []
    arm_at, go_at, rest_at = 1000, 1600, max(1700, duration_ms - 1200)
    if arm is not None:
        keyframes += _press(link.controls[arm], arm, arm_at, duration_ms - 400)
    for axis in axes:
        t_ms, first = go_at, True
        keyframes.append((t_ms, {axis: 0.0}))
        while t_ms + 1500 < rest_at:
            goal = (
                rng.uniform(0.5, 1) * rng.choice((-1, 1)) if first else rng.choice((0.0, rng.uniform(-1, 1)))
            )
            t_ms += rng.randrange(150, 500)
            keyframes.append((t_ms, {axis: goal}))
            t_ms += rng.randrange(300, 2000)
            keyframes.append((t_ms, {axis: goal}))
            first = False
        keyframes.append((rest_at, {axis: 0.0}))
    return play(link, sorted(keyframes, key=lambda frame: frame[0]), duration_ms, seed)


def _press(control: object, name: str, on_ms: int, off_ms: int) -> list[Keyframe]:
    """Switch a button on and off again: two presses of a toggle, one long press of any other."""
    if isinstance(control, ButtonControl) and control.toggle:
        held = control.debounce_ms + 4 * SAMPLE_MS
        return [
            (on_ms, {name: 1}),
            (on_ms + held, {name: 0}),
            (off_ms, {name: 1}),
            (off_ms + held, {name: 0}),
        ]
    return [(on_ms, {name: 1}), (off_ms, {name: 0})]


def _place(track: list[tuple[int, float]], t_ms: int, control: object) -> float:
    before = max((frame for frame in track if frame[0] <= t_ms), key=lambda frame: frame[0])
    after = next((frame for frame in track if frame[0] > t_ms), None)
    if after is None or isinstance(control, ButtonControl):
        # The last of several frames at one time is the one that counts.
        return [place for at, place in track if at == before[0]][-1]
    return before[1] + (after[1] - before[1]) * (t_ms - before[0]) / (after[0] - before[0])


def _raw(control: object, place: float, rng: random.Random) -> int:
    if isinstance(control, ButtonControl):
        return int(bool(place) == (control.active == "high"))
    assert isinstance(control, AxisControl)
    low, rest, high = control.raw
    wanted = rest + place * (high - rest if place > 0 else rest - low)
    strayed = wanted + rng.gauss(0, TREMOR) * abs(high - low) / 2
    return min(max(round(strayed), min(low, high)), max(low, high))
