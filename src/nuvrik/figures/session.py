"""A whole run on one time axis: sticks, frames, who may move, what outputs are told."""

from pathlib import Path
from typing import Any

from nuvrik.core.hand.controls import Moved
from nuvrik.core.levels import NO_READING, TIMER_MAX
from nuvrik.figures.style import GREY, INK, PALE, SERIES, STATE_COLOURS, pyplot, save
from nuvrik.levels import fraction_of
from nuvrik.plan.controls import AxisControl, SliderControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import AnyOutput
from nuvrik.plan.outputs.demand import Demand
from nuvrik.recordings.pilot import practice
from nuvrik.recordings.recording import Recording
from nuvrik.rehearsal.verdict import PRACTICE_MS, Run
from nuvrik.rehearsal.world import Trace


def draw_session(
    link: Link,
    recording: Recording,
    trace: Trace,
    title: str,
    path: Path,
    jam_ms: tuple[int, int] | None = None,
    jam: str = "jammed",
) -> None:
    """Draw a rehearsal: what the hand did, what was accepted, the failsafe's state, what outputs are told."""
    plt = pyplot()
    figure, axes = plt.subplots(
        4, 1, figsize=(12.8, 8), sharex=True, height_ratios=(3, 0.9, 0.55, 3), layout="constrained"
    )
    figure.suptitle(title, x=0.01, ha="left", fontsize=13, fontweight="bold", color=INK)
    sticks, frames, states, duty = axes
    end_s = recording.duration_ms / 1000
    _draw_sticks(sticks, link, recording)
    _draw_frames(frames, trace)
    _draw_states(states, trace, end_s)
    _draw_duty(duty, link, trace, end_s)
    for axis in axes:
        if jam_ms:
            axis.axvspan(jam_ms[0] / 1000, jam_ms[1] / 1000, color="#d9583b", alpha=0.10, linewidth=0)
    if jam_ms:
        sticks.text(
            sum(jam_ms) / 2000,
            1.06,
            jam,
            ha="center",
            va="bottom",
            color=STATE_COLOURS["FAILSAFE"],
            fontsize=9,
        )
    duty.set_xlabel("seconds")
    duty.set_xlim(0, end_s)
    save(figure, path)
    plt.close(figure)


def draw_run(link: Link, run: Run, recording: Recording | None, path: Path) -> None:
    """Draw one rehearsal of one fault, with the time that it lasted marked."""
    recording = recording or practice(link, run.seed, PRACTICE_MS)
    marks = [round(t_ms) for t_ms, _ in run.trace.marks]
    end_ms = max(recording.duration_ms, *(round(m.t_ms) for m in run.trace.moments), 1)
    struck = (marks[0], marks[1] if len(marks) > 1 else end_ms) if marks else None
    stop = f"; at rest after {run.stop_ms:.0f} of {run.bound_ms:.0f} ms" if run.stop_ms is not None else ""
    title = f"{link.name}, {run.fault}, seed {run.seed}: {run.verdict}{stop}"
    draw_session(link, recording, run.trace, title, path, struck, run.fault)


def _draw_sticks(axis: Any, link: Link, recording: Recording) -> None:
    models = {n: c for n, c in link.controls.items() if isinstance(c, AxisControl | SliderControl)}
    controls = {name: Moved(model.table({})) for name, model in models.items()}
    times = [t_ms / 1000 for t_ms in recording.times_ms]
    for (name, control), colour in zip(controls.items(), SERIES, strict=False):
        places, before_ms = [], 0
        for t_ms, row in zip(recording.times_ms, recording.rows, strict=True):
            raw = row.get(name)
            if raw is not None:
                control.read(raw, min(t_ms - before_ms, TIMER_MAX))
                before_ms = t_ms
            none = raw is None or control.value == NO_READING
            places.append(None if none else fraction_of(control.value))
        axis.plot(times, places, color=colour, label=name, linewidth=1.6)
    axis.axhline(0, color=PALE, zorder=0)
    axis.set(
        title="what the hand does (after dead zone and expo)", ylim=(-1.05, 1.05), ylabel="of full scale"
    )
    _legend(axis, min(len(controls), len(SERIES)))


def _draw_frames(axis: Any, trace: Trace) -> None:
    rows = (
        ("sent", [t / 1000 for t in trace.sent], GREY),
        ("accepted", [t / 1000 for t in trace.accepted], SERIES[0]),
        ("refused", [t / 1000 for t, _ in trace.refused], STATE_COLOURS["FAILSAFE"]),
    )
    for place, (_, times, colour) in enumerate(rows):
        axis.eventplot([times], lineoffsets=-place, linelengths=0.7, linewidths=0.6, colors=[colour])
    axis.set(
        title=f"frames: {len(trace.sent)} sent, {len(trace.accepted)} accepted, {len(trace.refused)} refused"
    )
    axis.set_yticks([0, -1, -2], [name for name, _, _ in rows])
    axis.set_ylim(-2.5, 0.5)
    axis.spines["left"].set_visible(False)


def _draw_states(axis: Any, trace: Trace, end_s: float) -> None:
    # One bar a stretch of one state, however often its reason changes within it.
    stretches: list[tuple[str, float]] = []
    for moment in trace.moments:
        if not stretches or stretches[-1][0] != moment.state:
            stretches.append((str(moment.state), moment.t_ms / 1000))
    for (state, start), end in zip(stretches, [s for _, s in stretches[1:]] + [end_s], strict=True):
        axis.barh(0, end - start, left=start, height=1, color=STATE_COLOURS[state], linewidth=0)
        if end - start > 0.045 * end_s:
            dark = state in ("FAILSAFE", "STOPPED")
            axis.text(
                (start + end) / 2,
                0,
                state,
                ha="center",
                va="center",
                fontsize=8.5,
                color="white" if dark else INK,
            )
    axis.set(title="who may move", yticks=[], ylim=(-0.5, 0.5))
    axis.spines["left"].set_visible(False)


def _draw_duty(axis: Any, link: Link, trace: Trace, end_s: float) -> None:
    times = [moment.t_ms / 1000 for moment in trace.moments] + [end_s]
    moved = [name for name, output in link.outputs.items() if output.moves]
    for name, colour in zip(moved, SERIES, strict=False):
        place, output = list(link.outputs).index(name), link.outputs[name]
        shares = [_share(output, moment.demands[place]) for moment in trace.moments]
        axis.step(times, [*shares, shares[-1]], where="post", color=colour, label=name, linewidth=1.4)
    axis.axhline(0, color=PALE, zorder=0)
    axis.set(title="what the outputs are told", ylim=(-1.05, 1.05), ylabel="of their own full, forward +")
    _legend(axis, min(len(moved), len(SERIES)))


def _share(output: AnyOutput, demand: Demand) -> float | None:
    """Of its own full, forward positive; None for a servo without pulses, whose place nobody knows."""
    return None if output.stands and not demand.value else demand.fraction


def _legend(axis: Any, count: int) -> None:
    if count:
        axis.legend(
            loc="lower right", bbox_to_anchor=(1, 1), ncols=count, frameon=False, borderaxespad=0, fontsize=9
        )
