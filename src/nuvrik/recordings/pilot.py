"""Recordings made to order: a pilot who follows keyframes, with a hand that is not quite steady."""

import random
from collections.abc import Mapping, Sequence

from nuvrik.levels import place_at
from nuvrik.plan.controls import AxisControl, ButtonControl, KeyControl, ReadControl, SliderControl
from nuvrik.plan.form.models import Link
from nuvrik.recordings.recording import Recording, Row

SAMPLE_MS = 20
"""One row a frame at 50 frames a second, which is what most of the scenarios send."""
TREMOR = 0.004
"""How far a hand strays, as a fraction of the control's travel: about 2 counts of 512."""

KEY_REPEAT_MS = 110
"""How often a held key arrives."""

Keyframe = tuple[int, Mapping[str, float]]
"""A time in ms, and where some controls are by then: -1 to 1 for an axis, 0 or 1 for a button."""


def play(
    link: Link, keyframes: Sequence[Keyframe], duration_ms: int, seed: int, tremor: float = TREMOR
) -> Recording:
    """A recording of someone who moves each stick in straight lines from keyframe to keyframe.

    Buttons and keys change at their keyframe. Everything starts at rest. ``tremor`` is how far the
    hand strays, as a fraction of travel.
    """
    rng = random.Random(seed)
    times = list(range(0, duration_ms + 1, SAMPLE_MS))
    hands = {
        name: _Hand(
            control, [(t_ms, places[name]) for t_ms, places in keyframes if name in places], rng, tremor
        )
        for name, control in link.controls.items()
        if isinstance(control, ReadControl)
    }
    rows: list[Row] = [{name: hand.raw(t_ms) for name, hand in hands.items()} for t_ms in times]
    return Recording(times, rows)


def practice(link: Link, seed: int, duration_ms: int = 20_000) -> Recording:
    """A pilot for any link: arms, moves everything about in no particular pattern, comes to rest,
    disarms. The first move is never a small one; sliders and presets are somewhere from the start."""
    rng = random.Random(seed)
    period_ms = link.period_ms
    arm = link.arm_control
    disarms = getattr(link.controls.get(arm or ""), "off_by", None)
    arm_at = arm_ms(link)
    go_at = arm_at + max(600, 6 * period_ms)
    rest_at, off_at = max(go_at + 100, duration_ms - 1200 - 2 * period_ms), duration_ms - 400 - 4 * period_ms
    keyframes: list[Keyframe] = []
    if arm is not None:
        keyframes += _press(link.controls[arm], arm, arm_at, off_at, period_ms)
    for name, control in link.controls.items():
        if name in (arm, link.failsafe.stop, disarms):
            continue
        if isinstance(control, AxisControl | SliderControl):
            keyframes += _wander(name, isinstance(control, SliderControl), go_at, rest_at, rng)
        elif isinstance(control, ButtonControl | KeyControl):
            keyframes += _finger(name, go_at, rest_at, rng, press_ms(control, period_ms))
    made = play(link, sorted(keyframes, key=lambda frame: frame[0]), duration_ms, seed)
    puts: list[tuple[int, str, float]] = []
    for name, channel in link.channels.items():
        if channel.sources:
            continue
        if name == link.arm_channel:
            puts += [(0, name, 0), (arm_at, name, 1), (off_at, name, 0)]
        elif channel.scaled:
            places = _wander(name, channel.kind == "share", go_at, rest_at, rng)
            puts += [(0, name, 0), *((t_ms, name, place[name]) for t_ms, place in places)]
    return made._replace(puts=tuple(sorted(puts)))


def _wander(name: str, one_sided: bool, go_ms: int, rest_ms: int, rng: random.Random) -> list[Keyframe]:
    """Here and there, now and then back to rest."""
    frames: list[Keyframe] = [(go_ms, {name: 0.0})]
    t_ms, first = go_ms, True
    while t_ms + 1500 < rest_ms:
        goal = rng.uniform(0.5, 1) * rng.choice((-1, 1)) if first else rng.choice((0.0, rng.uniform(-1, 1)))
        goal = abs(goal) or rng.uniform(0.3, 1) if one_sided else goal
        t_ms += rng.randrange(150, 500)
        frames.append((t_ms, {name: goal}))
        t_ms += rng.randrange(300, 2000)
        frames.append((t_ms, {name: goal}))
        first = False
    return [*frames, (rest_ms, {name: 0.0})]


def arm_ms(link: Link) -> int:
    """When a pilot presses arm: after a second, or once a slower link must have seen arm off."""
    rules, turn_ms = link.failsafe, max(link.period_ms, link.tick_ms)
    return max(1000, rules.timeout_ms + (rules.good_frames + 3) * turn_ms)


def press_ms(control: object, period_ms: int) -> int:
    """How long a press lasts at least: as a hand's does, and long enough to be read twice, a debounce
    apart, by a loop that turns once a period."""
    return max(100, 2 * period_ms + getattr(control, "debounce_ms", 0) + SAMPLE_MS)


def _finger(name: str, go_ms: int, rest_ms: int, rng: random.Random, least_ms: int) -> list[Keyframe]:
    """Pressed now and then, an even number of times, so that a toggle ends as it began."""
    frames: list[Keyframe] = []
    t_ms = go_ms + rng.randrange(200, 1500)
    while t_ms + 3500 < rest_ms:
        for _ in range(2):
            frames += [(t_ms, {name: 1}), (t_ms + max(least_ms, rng.randrange(150, 900)), {name: 0})]
            t_ms += rng.randrange(1000, 1700) + max(0, 2 * least_ms - 400)
        t_ms += rng.randrange(0, 2500)
    return frames


def _press(control: object, name: str, on_ms: int, off_ms: int, period_ms: int) -> list[Keyframe]:
    """Switch something on and off again: two presses of a toggle, one long press of any other."""
    if isinstance(control, ButtonControl | KeyControl) and control.toggle:
        held = press_ms(control, period_ms)
        return [
            (on_ms, {name: 1}),
            (on_ms + held, {name: 0}),
            (off_ms, {name: 1}),
            (off_ms + held, {name: 0}),
        ]
    return [(on_ms, {name: 1}), (off_ms, {name: 0})]


def arming(link: Link, hold_ms: int) -> tuple[Recording, int]:
    """Someone who touches nothing but the arm control: off, then on for ``hold_ms``. Gives the recording
    and the time in ms from which the machine may be expected to be armed."""
    arm = link.arm_control
    rules, period_ms = link.failsafe, link.period_ms
    on_ms = rules.timeout_ms + (rules.good_frames + 5) * max(period_ms, link.tick_ms) + 200
    ready_ms = on_ms + 200 + 10 * period_ms
    keyframes = _press(link.controls[arm], arm, on_ms, ready_ms + hold_ms, period_ms) if arm else []
    made = play(link, keyframes, ready_ms + hold_ms, seed=0, tremor=0.0)
    if link.arm_channel and not arm:
        # No control arms this link, a program does.
        made = made._replace(puts=((0, link.arm_channel, 0), (on_ms, link.arm_channel, 1)))
    return made, ready_ms


class _Hand:
    """What moves one control: its track of places, and the readings that come of it."""

    def __init__(
        self, control: ReadControl, track: list[tuple[int, float]], rng: random.Random, tremor: float
    ) -> None:
        self._control, self._rng, self._tremor = control, rng, tremor
        self._track = [(0, 0.0), *track]
        self._next = 1
        self._arrivals, self._arrived_ms = 0, -KEY_REPEAT_MS

    def raw(self, t_ms: int) -> int:
        """The reading at a time; times must not go back."""
        while self._next < len(self._track) and self._track[self._next][0] <= t_ms:
            self._next += 1
        place, control = self._track[self._next - 1][1], self._control
        if isinstance(control, ButtonControl):
            return control.on if place else control.off
        if isinstance(control, KeyControl):
            if place and t_ms - self._arrived_ms >= KEY_REPEAT_MS:
                self._arrivals, self._arrived_ms = self._arrivals + 1, t_ms
            return self._arrivals
        if self._next < len(self._track):
            (before_ms, _), (after_ms, after) = self._track[self._next - 1 : self._next + 1]
            place += (after - place) * (t_ms - before_ms) / (after_ms - before_ms)
        low, _, high = control.points
        strayed = place_at(control.points, place) + self._rng.gauss(0, self._tremor) * abs(high - low) / 2
        return min(max(round(strayed), min(low, high)), max(low, high))
