"""A capture: one of its frames byte by byte, and how long it was from one accepted frame to the next."""

from itertools import cycle
from pathlib import Path
from typing import Any

from nuvrik.figures.style import FIELD_COLOURS, GREY, INK, PALE, SERIES, pyplot, save
from nuvrik.inspection.statistics import LinkStats
from nuvrik.plan.form.models import Link
from nuvrik.wire.events import Frame
from nuvrik.wire.styles import style_of

PLAIN = {"facecolor": "white", "edgecolor": "none", "pad": 1.5}
"""Behind words that lines would cross."""


def draw_capture(link: Link, frame: Frame | None, stats: LinkStats, path: Path) -> None:
    """Draw the last command of a capture, and the histogram of gaps where it has times."""
    plt = pyplot()
    figure, (upper, lower) = plt.subplots(
        2, 1, figsize=(12.8, 8), layout="constrained", height_ratios=[1, 1.2]
    )
    _draw_marks(upper, link, frame)
    _draw_gaps(lower, stats)
    refused = sum(stats.refused.values())
    reasons = ", ".join(f"{count} {reason}" for reason, count in stats.refused.most_common())
    figure.suptitle(
        f"{link.name}: {stats.accepted} good frames, {stats.lost} lost, {refused} refused"
        + (f" ({reasons})" if reasons else ""),
        x=0.01,
        ha="left",
        fontweight="bold",
    )
    save(figure, path)
    plt.close(figure)


def _draw_marks(axis: Any, link: Link, frame: Frame | None) -> None:
    from matplotlib.patches import Rectangle

    axis.axis("off")
    if frame is None:
        axis.text(0.5, 0.5, "no command frame in it", ha="center", color=GREY)
        return
    axis.set_title("the last command, as it came")
    marks = style_of(link).marks(frame)
    total = sum(len(mark.raw) for mark in marks)
    left = 0.0
    for number, (mark, colour) in enumerate(zip(marks, cycle(FIELD_COLOURS))):
        width = len(mark.raw)
        axis.add_patch(Rectangle((left, 0), width, 1, facecolor=colour, edgecolor="white", linewidth=2))
        for place, byte in enumerate(mark.raw):
            axis.text(left + place + 0.5, 0.5, f"{byte:02X}", ha="center", va="center", family="monospace")
        axis.plot(
            [left + width / 2] * 2, [-0.05, -0.45 * (number + 1) + 0.1], color=PALE, linewidth=1, zorder=0
        )
        axis.text(
            left + width / 2,
            -0.45 * (number + 1),
            f" {mark.what}",
            va="center",
            fontsize=10,
            color=INK,
            bbox=PLAIN,
        )
        left += width
    axis.set_xlim(0, max(total * 1.35, 12))
    axis.set_ylim(-0.45 * len(marks) - 0.4, 1.1)


def _draw_gaps(axis: Any, stats: LinkStats) -> None:
    rows = stats.gap_rows()
    if not sum(count for _, count in rows):
        axis.axis("off")
        axis.text(0.5, 0.5, "the capture has no times, so nothing is known of gaps", ha="center", color=GREY)
        return
    axis.set_title("from one accepted frame to the next")
    bars = axis.bar([gap for gap, _ in rows], [count for _, count in rows], color=SERIES[0])
    axis.bar_label(bars, labels=[str(count) if count else "" for _, count in rows], fontsize=9)
    axis.set_yscale("symlog", linthresh=1)
    # Plain numbers: powers of ten are formulas, and those are not set here.
    axis.yaxis.set_major_formatter(lambda count, _: f"{count:,.0f}")
    axis.set_ylim(0, 4 * max(count for _, count in rows))
    axis.set_ylabel("how often")
    axis.tick_params(axis="x", labelsize=8)
    longest = stats.longest_silence_ms or 0.0
    axis.text(
        0.99,
        0.95,
        f"longest silence {longest:.0f} ms"
        + (f", jitter {stats.jitter_ms:.1f} ms" if stats.jitter_ms else ""),
        transform=axis.transAxes,
        ha="right",
        va="top",
        color=GREY,
    )
