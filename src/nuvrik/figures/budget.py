"""The sums drawn: a timeout against its two dangers, and the styles side by side."""

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from nuvrik.budget.compare import Row
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import stop_bound
from nuvrik.budget.trips import Way, hours_words, mean_hours
from nuvrik.figures.style import GREY, INK, SERIES, pyplot, save
from nuvrik.plan.form.models import Link

TYPICAL = Conditions(loss=0.05, burst_loss=0.05, burst_frames=5)
"""What is drawn where nothing is said about the medium."""
MOST_HOURS = 1e7


def draw_timeouts(link: Link, conditions: Conditions, path: Path) -> None:
    """Mean time between false trips, and worst stop, over the timeout; the chosen one marked."""
    plt = pyplot()
    figure, axis = plt.subplots(figsize=(12.8, 7), layout="constrained")
    timeouts_on(axis, link, conditions)
    save(figure, path)
    plt.close(figure)


def timeouts_on(axis: Any, link: Link, conditions: Conditions) -> None:
    """The same, on axes that are there."""
    lossy = conditions.loss or conditions.burst_loss
    shown = conditions if lossy else TYPICAL
    period, way, chosen = link.period_ms, Way.of(link), link.failsafe.timeout_ms
    timeouts = list(range(2 * period, max(2 * chosen, 20 * period) + 1, max(1, period // 4)))
    hours = [min(mean_hours(shown, way, timeout), MOST_HOURS) for timeout in timeouts]
    rest = stop_bound(link).worst_ms - chosen
    axis.plot(timeouts, hours, color=SERIES[0], linewidth=2)
    axis.set_yscale("log")
    axis.set_ylabel("mean time between false trips", color=SERIES[0])
    ticks = {1 / 3600: "1 s", 1 / 60: "1 min", 1: "1 h", 24: "1 day", 8766: "1 year", 8766 * 100: "100 years"}
    low, high = min(hours), max(hours)
    kept = {at: words for at, words in ticks.items() if low / 2 <= at <= high * 2}
    axis.set_yticks(list(kept), list(kept.values()))
    axis.minorticks_off()
    other = axis.twinx()
    other.plot(timeouts, [timeout + rest for timeout in timeouts], color=SERIES[1], linewidth=2)
    other.set_ylabel("worst stop, ms", color=SERIES[1])
    other.set_ylim(0)
    other.spines["right"].set_visible(True)
    axis.axvline(chosen, color=GREY, linestyle="--", linewidth=1)
    at = mean_hours(shown, way, chosen)
    often = "never trips falsely" if math.isinf(at) else f"one false trip in {hours_words(at)}"
    axis.annotate(
        f"chosen: {chosen} ms\n{often}\nstops within {chosen + rest:.0f} ms",
        (chosen, 1),
        xycoords=("data", "axes fraction"),
        xytext=(8, -10),
        textcoords="offset points",
        va="top",
        color=INK,
    )
    axis.set_xlabel("timeout, ms")
    how = f"{100 * shown.loss:g} % lost one by one"
    if shown.burst_loss:
        how += f", {100 * shown.burst_loss:g} % in bursts of {shown.burst_frames:.3g}"
    axis.set_title(f"{link.name}: too short trips too often, too long stops too late ({how})")


def draw_comparison(link: Link, rows: Sequence[Row], path: Path) -> None:
    """Bytes, airtime, what goes undetected and what a lost byte costs, a bar a style."""
    plt = pyplot()
    figure, axes = plt.subplots(2, 2, figsize=(12.8, 7.5), layout="constrained", sharey=True)
    figure.suptitle(
        f"{link.name}: the same channels in every style", x=0.01, ha="left", fontweight="bold", color=INK
    )
    names = [row.style for row in rows][::-1]
    parts: tuple[tuple[str, list[float], str], ...] = (
        ("bytes on the wire", [row.wire_bytes for row in rows], "{:.0f}"),
        ("airtime, ms", [row.airtime_ms for row in rows], "{:.2f}"),
        ("accepted of a million damaged frames", [row.undetected for row in rows], "{:.0f}"),
        ("frames that a lost byte costs, on average", [row.lost_mean for row in rows], "{:.2f}"),
    )
    for axis, (title, values, form), colour in zip(axes.flat, parts, SERIES, strict=False):
        bars = axis.barh(names, values[::-1], color=colour, height=0.6)
        axis.bar_label(bars, [form.format(value) for value in values[::-1]], padding=4, color=INK)
        axis.set_title(title)
        axis.margins(x=0.15)
    save(figure, path)
    plt.close(figure)
