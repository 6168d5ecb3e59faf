"""What calibration saw: each control's readings with the ends found, and a motor's duty against speed."""

from collections.abc import Mapping, Sequence
from pathlib import Path

from nuvrik.calibration.controls import LET_GO_MS, Calibrated
from nuvrik.calibration.motors import Load
from nuvrik.figures.style import GREY, INK, PALE, SERIES, STATE_COLOURS, pyplot, save


def draw_controls(
    found: Sequence[Calibrated],
    times_ms: Sequence[int],
    columns: Mapping[str, Sequence[int | None]],
    path: Path,
) -> None:
    """One row a control: its readings over time, ends, rest and dead zone on them."""
    plt = pyplot()
    figure, axes = plt.subplots(
        len(found),
        1,
        figsize=(12.8, max(4.0, 2.7 * len(found))),
        sharex=True,
        layout="constrained",
        squeeze=False,
    )
    times = [t_ms / 1000 for t_ms in times_ms]
    for axis, result, colour in zip(axes[:, 0], found, SERIES * 4, strict=False):
        readings = [float("nan") if v is None else v for v in columns[result.name]]
        axis.plot(times, readings, color=colour, linewidth=1.4)
        axis.axvspan(times[-1] - LET_GO_MS / 1000, times[-1], color=PALE, zorder=0)
        # Between the lines of rest and of an end, wherever these are.
        axis.text(0.985, 0.68, "let go", transform=axis.transAxes, ha="right", fontsize=9, color=GREY)
        title = f"{result.name}: {result.sure}"
        if result.raw is not None and result.dead_zone is not None:
            for reading, name in zip(
                result.raw, ("low", "rest", "high")[:: 3 - len(result.raw) or 1], strict=False
            ):
                axis.axhline(reading, color=INK, linewidth=0.8, linestyle=(0, (4, 3)))
                axis.text(times[0], reading, f"{name} {reading} ", fontsize=9, va="bottom")
            if len(result.raw) == 3:
                low, rest, high = result.raw
                zone = result.dead_zone * min(abs(high - rest), abs(rest - low))
                axis.axhspan(
                    rest - zone, rest + zone, color=STATE_COLOURS["STANDBY"], alpha=0.35, linewidth=0
                )
            title += f", dead zone {result.dead_zone:g}, noise {result.noise:.1f}"
        axis.set(title=title, ylabel="reading")
        axis.margins(x=0.01, y=0.12)
        for place, doubt in enumerate(result.doubts):
            axis.text(
                0.01,
                0.05 + 0.1 * place,
                doubt,
                transform=axis.transAxes,
                fontsize=9,
                color=STATE_COLOURS["FAILSAFE"],
            )
    axes[-1, 0].set_xlabel("seconds")
    save(figure, path)
    plt.close(figure)


def draw_motor(name: str, loads: Sequence[Load], worst: Load, path: Path) -> None:
    """Each load's log and fit, where the worst starts, and the duty curve beside them."""
    plt = pyplot()
    figure, (left, right) = plt.subplots(1, 2, figsize=(12.8, 6), layout="constrained", width_ratios=(3, 2))
    grid = [i / 200 for i in range(201)]
    for load, colour, marker in zip(loads, SERIES * 4, "os^Dv<>p*" * 4, strict=False):
        duties, speeds = [abs(d) for d in load.duties], [abs(s) for s in load.speeds]
        left.plot(duties, speeds, marker, color=colour, markersize=4, alpha=0.7)
        left.plot(
            grid,
            [load.fit.speed_at(d) for d in grid],
            color=colour,
            linewidth=2.2 if load is worst and len(loads) > 1 else 1.6,
            label=load.name if len(loads) > 1 else "fit",
        )
    start = worst.fit.start_duty
    left.axvline(start, color=INK, linewidth=0.9, linestyle=(0, (4, 3)))
    of = f" (under {worst.name})" if len(loads) > 1 else ""
    left.text(
        start - 0.01, max(one.fit.top for one in loads), f"start_duty {start:g}{of}", va="top", ha="right"
    )
    left.set(title=f"{name}: speed against duty", xlabel="duty, of full", ylabel="speed, as logged")
    left.margins(x=0.02)
    left.legend(frameon=False, loc="lower right")
    right.plot([0, 1], [0, 1], color=PALE, linewidth=1.2)
    right.plot(*zip(*worst.fit.curve, strict=True), "o-", color=SERIES[2], linewidth=1.6)
    right.set(
        title="duty_curve: level to share of duty above start",
        xlabel="level",
        ylabel="share of duty",
        aspect="equal",
    )
    save(figure, path)
    plt.close(figure)
