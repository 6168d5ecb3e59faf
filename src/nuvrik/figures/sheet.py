"""The driver's sheet: every control drawn, with what it does, how to start, and how to stop."""

import textwrap
from collections.abc import Callable
from pathlib import Path
from typing import Any

from nuvrik.budget.stop import stop_bound
from nuvrik.figures.style import GREY, INK, PALE, SERIES, STATE_COLOURS, pyplot, save
from nuvrik.plan.controls import (
    AxisControl,
    ButtonControl,
    KeyControl,
    MadeControl,
    NudgeControl,
    ReadControl,
    RockerControl,
    SelectorControl,
    SliderControl,
)
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.words import effects

COLUMNS = 4
CARD_WIDTH, CARD_HEIGHT = 3.0, 1.55
ABOVE, BELOW = 0.85, 1.85


def draw_sheet(link: Link, path: Path) -> None:
    """Draw the sheet of a link, landscape, fit to print."""
    plt = pyplot()
    # Buttons that stand in a rocker, a nudge or a selector are drawn in it; every other one is drawn itself.
    made = {
        part
        for control in link.controls.values()
        if isinstance(control, MadeControl)
        for part in control.parts.values()
    }
    shown = [name for name in link.controls if name not in made]
    rows = -(-len(shown) // COLUMNS)
    # As high as what is on it, so that circles are round and no paper is wasted.
    high = rows * CARD_HEIGHT + ABOVE + BELOW
    figure, axis = plt.subplots(figsize=(12.8, 12.8 * high / (COLUMNS * CARD_WIDTH + 0.1)))
    figure.subplots_adjust(0, 0, 1, 1)
    axis.set_aspect("equal")
    top = rows * CARD_HEIGHT
    for place, name in enumerate(shown):
        left = place % COLUMNS * CARD_WIDTH
        _draw_card(axis, link, name, left, top - (place // COLUMNS + 1) * CARD_HEIGHT)
    _draw_rules(axis, link)
    axis.text(0, top + 0.42, link.name, fontsize=22, fontweight="bold", va="center")
    axis.text(
        COLUMNS * CARD_WIDTH, top + 0.42, "driver's sheet", fontsize=14, color=GREY, ha="right", va="center"
    )
    axis.set_xlim(-0.05, COLUMNS * CARD_WIDTH + 0.05)
    axis.set_ylim(-BELOW, top + ABOVE)
    axis.axis("off")
    save(figure, path)
    plt.close(figure)


def _draw_card(axis: Any, link: Link, name: str, left: float, bottom: float) -> None:
    from matplotlib.patches import FancyBboxPatch

    control = link.controls[name]
    stop = name == link.failsafe.stop
    edge = STATE_COLOURS["FAILSAFE"] if stop else PALE
    axis.add_patch(
        FancyBboxPatch(
            (left + 0.06, bottom + 0.08),
            CARD_WIDTH - 0.12,
            CARD_HEIGHT - 0.16,
            boxstyle="round,pad=0,rounding_size=0.08",
            facecolor="white",
            edgecolor=edge,
            linewidth=2 if stop else 1.4,
        )
    )
    _glyph(control)(axis, left + 0.55, bottom + CARD_HEIGHT / 2, SERIES[1] if stop else SERIES[0])
    axis.text(left + 1.05, bottom + CARD_HEIGHT - 0.32, name, fontsize=11.5, fontweight="bold", va="center")
    lines = [line for effect in effects(link, name) for line in textwrap.wrap(effect, 27)]
    lines += [line for hint in control.hints for line in textwrap.wrap(hint, 29)]
    for place, line in enumerate(lines[:5]):
        axis.text(
            left + 1.05, bottom + CARD_HEIGHT - 0.58 - 0.2 * place, line, fontsize=8.8, va="center", color=INK
        )


def _glyph(control: ReadControl | MadeControl) -> Callable[[Any, float, float, str], None]:
    for model, draw in _GLYPHS.items():
        if isinstance(control, model):
            return draw
    raise AssertionError(control.kind)


def _draw_stick(axis: Any, x: float, y: float, colour: str) -> None:
    for sign in (1, -1):
        axis.annotate(
            "",
            (x, y + 0.5 * sign),
            (x, y + 0.12 * sign),
            arrowprops={"arrowstyle": "-|>", "color": GREY, "linewidth": 1.2},
        )
        axis.text(
            x + 0.13, y + 0.4 * sign, "+" if sign > 0 else "\u2212", fontsize=10, color=GREY, va="center"
        )
    _disc(axis, x, y, 0.16, colour)


def _draw_slider(axis: Any, x: float, y: float, colour: str) -> None:
    axis.plot([x, x], [y - 0.48, y + 0.48], color=GREY, linewidth=3, solid_capstyle="round")
    axis.plot([x - 0.16, x + 0.16], [y - 0.15, y - 0.15], color=colour, linewidth=7, solid_capstyle="round")


def _draw_button(axis: Any, x: float, y: float, colour: str) -> None:
    _disc(axis, x, y, 0.27, PALE)
    _disc(axis, x, y, 0.19, colour)


def _draw_key(axis: Any, x: float, y: float, colour: str) -> None:
    from matplotlib.patches import FancyBboxPatch

    axis.add_patch(
        FancyBboxPatch(
            (x - 0.2, y - 0.2),
            0.4,
            0.4,
            boxstyle="round,pad=0.02,rounding_size=0.07",
            facecolor=PALE,
            edgecolor=colour,
            linewidth=2,
        )
    )


def _draw_pair(axis: Any, x: float, y: float, colour: str) -> None:
    for sign in (1, -1):
        _disc(axis, x, y + 0.26 * sign, 0.18, colour if sign > 0 else SERIES[2])
        axis.text(
            x,
            y + 0.26 * sign,
            "+" if sign > 0 else "\u2212",
            color="white",
            ha="center",
            va="center",
            fontsize=12,
        )


def _draw_row(axis: Any, x: float, y: float, colour: str) -> None:
    for place in range(3):
        _disc(axis, x - 0.26 + 0.26 * place, y, 0.11, colour if place == 1 else GREY)


def _disc(axis: Any, x: float, y: float, radius: float, colour: str) -> None:
    from matplotlib.patches import Circle

    axis.add_patch(Circle((x, y), radius, facecolor=colour, edgecolor="white", linewidth=1))


_GLYPHS: dict[type, Callable[[Any, float, float, str], None]] = {
    AxisControl: _draw_stick,
    SliderControl: _draw_slider,
    ButtonControl: _draw_button,
    KeyControl: _draw_key,
    RockerControl: _draw_pair,
    NudgeControl: _draw_pair,
    SelectorControl: _draw_row,
}


def _draw_rules(axis: Any, link: Link) -> None:
    rules = link.failsafe
    arm = link.arm_control
    start = ["Let go of everything.", f"Switch {arm} off, then on." if arm else "It arms itself at rest."]
    stop = [f"Press {rules.stop}: it stops at once." if rules.stop else "There is no stop control."]
    if isinstance(link.controls.get(rules.stop or ""), ButtonControl):
        stop.append("(No reading of it counts as pressed.)")
    stop += [f"Or switch {arm} off: it runs down."] if arm else []
    again = {
        "rearm": "arm again",
        "at_rest": "let go of the sticks first",
        "resume": "it goes on AT ONCE",
    }
    lost = [
        f"After {rules.timeout_ms} ms of silence it runs down;",
        f"at rest within {stop_bound(link).worst_ms:.0f} ms.",
        f"When it is back: {again[rules.recover]}.",
    ]
    if isinstance(link.medium, InfraredMedium):
        held = [n for n, o in link.outputs.items() if getattr(o, "on_loss", "") == "hold"]
        lost = [
            "A key whose code stops coming counts as released;",
            f"at rest within {stop_bound(link).worst_ms:.0f} ms.",
        ]
        if link.arm_channel:
            lost.append(f"Arm goes off after {link.medium.disarm_after_ms / 1000:g} s without a code;")
            lost.append(f"then {', '.join(held)} stay as they are." if held else "then everything is off.")
    pinned = [
        f"{name}: {', '.join(pulled)}"
        for name, output in link.outputs.items()
        if (pulled := [str(one.number) for one in output.on_pins if one.pull == "low"])
    ]
    pulls = textwrap.wrap("; ".join(pinned), 44)[:4] or ["(no pins named)"]
    columns = (
        ("To start", start),
        ("To stop", stop),
        ("If the link is lost", lost),
        ("Pull-downs on these pins", pulls),
    )
    for place, (title, lines) in enumerate(columns):
        left = place * CARD_WIDTH + 0.1
        axis.text(left, -0.35, title, fontsize=12, fontweight="bold", color=SERIES[1])
        for row, line in enumerate(lines):
            axis.text(left, -0.68 - 0.27 * row, line, fontsize=9.2)
