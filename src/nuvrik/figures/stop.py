"""A stop as the pins of a chip show it: every pin that lets a motor turn, and which way, on one time axis."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from nuvrik.figures.style import GREY, INK, PALE, SERIES, STATE_COLOURS, pyplot, save
from nuvrik.plan.form.models import Link
from nuvrik.rehearsal.verdict import Run

BEFORE_MS, AFTER_MS = 160, 90
"""So much is shown before the last frame, and behind the bound."""

Row = tuple[int, str, bool]
"""A pin, what it is called, and whether it carries PWM."""


def draw_stop(link: Link, run: Run, rows: Sequence[Row], on: str, path: Path) -> None:
    """Draw what the pins did around the stop of one run, in milliseconds since the last frame was sent.
    ValueError for a run whose pins nobody saw, or that did not stop."""
    if run.pins is None or run.pins_us is None:
        raise ValueError(f"{run.fault}: no pin was seen to stop")
    plt = pyplot()
    figure, axes = plt.subplots(
        len(rows), 1, sharex=True, figsize=(12.8, max(4.0, 1.6 + 0.72 * len(rows))), squeeze=False
    )
    figure.subplots_adjust(left=0.17, right=0.975, top=0.86, bottom=0.12, hspace=0.28)
    first, last = -BEFORE_MS, run.bound_ms + AFTER_MS
    off_ms = run.pins_us / 1000
    colours = _colours(rows)
    for axis, (pin, name, powers) in zip(axes[:, 0], rows, strict=True):
        times, levels = _levels(run, pin, first, last)
        axis.step(times, levels, where="post", color=colours[name], linewidth=1.6)
        axis.fill_between(times, levels, step="post", color=colours[name], alpha=0.25 if powers else 0.12)
        axis.axvline(0, color=INK, linewidth=1)
        axis.axvline(off_ms, color=STATE_COLOURS["ARMED"], linewidth=1.6)
        axis.axvline(run.bound_ms, color=STATE_COLOURS["FAILSAFE"], linewidth=1.2, linestyle="--")
        axis.set(ylim=(-0.08, 1.12), xlim=(first, last), yticks=[])
        axis.set_ylabel(f"{name}\npin {pin}", rotation=0, ha="right", va="center", fontsize=9)
        axis.axhline(0, color=PALE, zorder=0)
    _say_moments(axes[0, 0], run, off_ms)
    axes[-1, 0].set_xlabel("milliseconds since the last frame was sent that was accepted")
    title = (
        f"{link.name}, {run.fault}: every motor off after {off_ms:.3f} ms; the bound is {run.bound_ms:.0f} ms"
    )
    figure.text(0.012, 0.965, title, fontsize=13, fontweight="bold", va="center")
    figure.text(0.012, 0.925, f"read from the pins of an emulated {on}", fontsize=10, color=GREY, va="center")
    save(figure, path)
    plt.close(figure)


def _colours(rows: Sequence[Row]) -> dict[str, str]:
    """The pins of an output share its colour."""
    outputs = list(dict.fromkeys(name.partition(" ")[0] for _, name, _ in rows))
    return {name: SERIES[outputs.index(name.partition(" ")[0]) % len(SERIES)] for _, name, _ in rows}


def _say_moments(axis: Any, run: Run, off_ms: float) -> None:
    for at, words, side in (
        (0, "last frame", "right"),
        (off_ms, "off", "right"),
        (run.bound_ms, "bound", "left"),
    ):
        place = ((-4 if side == "right" else 4), 4)
        axis.annotate(words, (at, 1.12), place, textcoords="offset points", ha=side, va="bottom", fontsize=9)


def _levels(run: Run, pin: int, first: float, last: float) -> tuple[list[float], list[float]]:
    """A pin's changes within the window: when, and to how much of full."""
    assert run.pins is not None
    level, times, levels = 0.0, [first], [0.0]
    for at_ms, which, share in run.pins.changes:
        since = at_ms - run.pins.sent_ms
        if which != pin or since > last:
            continue
        level = share
        if since <= first:
            levels[0] = level
        else:
            times.append(since)
            levels.append(level)
    return [*times, last], [*levels, level]
