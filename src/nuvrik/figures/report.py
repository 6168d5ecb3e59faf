"""The rehearsal as one page: everything in one HTML file, figures inside it, nothing fetched."""

import base64
import tempfile
from collections.abc import Sequence
from importlib.resources import files
from pathlib import Path
from typing import Any

from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import stop_bound
from nuvrik.core.machine.states import Happening, State
from nuvrik.failsafe.words import cell_words
from nuvrik.figures.budget import draw_timeouts
from nuvrik.figures.session import draw_run
from nuvrik.figures.style import GREY, INK, SERIES, pyplot, save
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import layout_tag
from nuvrik.ports.files import write_file
from nuvrik.rehearsal.fault import GROUPS
from nuvrik.rehearsal.faults import FAULTS, faults_for
from nuvrik.rehearsal.page import summary
from nuvrik.rehearsal.verdict import Run, rehearse
from nuvrik.version import VERSION_WORDS


def write_report(link: Link, file: Path, runs: Sequence[Run], conditions: Conditions, path: Path) -> None:
    """Write it. The timeline is of a run that failed, or else of the loss that took longest to stop."""
    from jinja2 import Environment

    template = (files("nuvrik.figures") / "report.html.jinja").read_text("utf-8")
    made = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(template)
    write_file(path, made.render(_contents(link, file, runs, conditions)))


def _contents(link: Link, file: Path, runs: Sequence[Run], conditions: Conditions) -> dict[str, Any]:
    names = list(dict.fromkeys(run.fault for run in runs))
    failed = [run for run in runs if run.verdict == "fail"]
    bound = stop_bound(link)
    stops = [run.stop_ms for run in runs if run.stop_ms is not None and run.bound_ms == bound.worst_ms]
    shown = _shown(link, runs, conditions)
    rules = link.failsafe
    beam = isinstance(link.medium, InfraredMedium)
    return {
        "name": link.name,
        "file": file.name,
        "tag": f"{layout_tag(link):04X}",
        "version": VERSION_WORDS,
        "runs": len(runs),
        "faults": len(names),
        "conditions": conditions.in_words(),
        "ok": not failed,
        "failed": failed,
        "worst": f"{max(stops):.0f}" if stops else "-",
        "bound": f"{bound.worst_ms:.0f}",
        "bound_words": bound.in_words(),
        "others": _others(runs, bound.worst_ms),
        "stops": _inline(lambda target: draw_stops(runs, target)),
        "groups": [group for group in (_group(name, names, runs) for name in GROUPS) if group["rows"]],
        "skipped": ", ".join(name for name in FAULTS if name not in faults_for(link)),
        "shown": shown,
        "timeline": _inline(lambda target: draw_run(link, shown, None, target)),
        "timeouts": "" if beam else _inline(lambda target: draw_timeouts(link, conditions, target)),
        "states": [str(state) for state in State],
        "table": [(str(event), [cell_words(event, state) for state in State]) for event in Happening],
        "good_frames": rules.good_frames,
        "timeout": rules.timeout_ms,
        "recover": rules.recover,
    }


def _others(runs: Sequence[Run], usual_ms: float) -> str:
    """The faults with a bound of their own: how long their worst stop took, and that bound."""
    mine: dict[str, tuple[float, float]] = {}
    for run in runs:
        if run.stop_ms is not None and run.bound_ms > usual_ms:
            worst_ms, _ = mine.get(run.fault, (0.0, 0.0))
            mine[run.fault] = max(worst_ms, run.stop_ms), run.bound_ms
    return ", ".join(f"{name} {worst:.0f} of {bound:.0f} ms" for name, (worst, bound) in mine.items())


def _group(group: str, names: Sequence[str], runs: Sequence[Run]) -> dict[str, Any]:
    rows = []
    for name in names:
        if FAULTS[name].group != group:
            continue
        mine = [run for run in runs if run.fault == name]
        _, _, must, verdict, median, worst, bound = summary(name, mine)
        whys = "; ".join(dict.fromkeys(run.why for run in mine))
        rows.append(
            {
                "name": name,
                "imitates": FAULTS[name].imitates,
                "why": whys if len(whys) < 200 else whys[:200] + "...",
                "must": must,
                "verdict": verdict,
                "median": median,
                "worst": worst,
                "bound": bound,
            }
        )
    return {"name": group, "rows": rows}


def _shown(link: Link, runs: Sequence[Run], conditions: Conditions) -> Run:
    """The run to draw, once more with all that it saw."""
    failed = next((run for run in runs if run.verdict == "fail"), None)
    usual = [run for run in runs if run.stop_ms is not None and FAULTS[run.fault].group == "loss"]
    chosen = failed or max(usual or runs, key=lambda run: run.stop_ms or 0)
    return rehearse(link, FAULTS[chosen.fault], chosen.seed, None, conditions)


def draw_stops(runs: Sequence[Run], path: Path) -> None:
    """Every stop of every fault as a dot, as a share of its bound."""
    plt = pyplot()
    stops = [run for run in runs if run.stop_ms is not None]
    names = list(dict.fromkeys(run.fault for run in stops))[::-1]
    figure, axis = plt.subplots(figsize=(12, 1.6 + 0.28 * max(len(names), 8)), layout="constrained")
    for place, name in enumerate(names):
        mine = [run for run in stops if run.fault == name]
        shares = [100 * (run.stop_ms or 0) / run.bound_ms for run in mine]
        colours = ["#d9583b" if run.verdict == "fail" else SERIES[0] for run in mine]
        axis.scatter(shares, [place] * len(shares), c=colours, s=36, alpha=0.6, linewidths=0)
    axis.axvline(100, color=INK, linewidth=1.5)
    axis.text(100, len(names) - 0.4, "bound ", ha="right", va="bottom", color=INK, fontsize=9)
    axis.set_yticks(range(len(names)), names)
    axis.set_xlabel("stop time, % of the bound")
    longest = max((100 * (run.stop_ms or 0) / run.bound_ms for run in stops), default=0)
    axis.set_xlim(0, max(105, 1.05 * longest))
    axis.set_ylim(-0.6, max(len(names), 1) - 0.1)
    axis.grid(axis="y", color="#e6ebee")
    axis.tick_params(colors=GREY)
    save(figure, path)
    plt.close(figure)


def _inline(draw: Any) -> str:
    """A figure as base64."""
    with tempfile.TemporaryDirectory() as folder:
        target = Path(folder) / "figure.png"
        draw(target)
        return base64.b64encode(target.read_bytes()).decode("ascii")
