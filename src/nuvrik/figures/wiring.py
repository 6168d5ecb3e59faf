"""The builder's sheet: every pin of a board, where its wire goes, what is on it, what is fitted beside it."""

import textwrap
from collections.abc import Sequence
from itertools import groupby
from pathlib import Path
from typing import Any, Protocol

from nuvrik.figures.style import FIELD_COLOURS, GREY, INK, PALE, SERIES, pyplot, save
from nuvrik.plan.form.models import Link

ROW = 0.42
BOARD_LEFT, BOARD_RIGHT = 0.3, 2.3
DEVICE_LEFT, DEVICE_RIGHT = 7.4, 12.5
FOOT = 2.1


class WireLike(Protocol):
    """What a wire has to say of itself."""

    @property
    def pin(self) -> str:
        """The pin, as it is printed on the board."""

    @property
    def to(self) -> str:
        """What it goes to: a name, and which input of it."""

    @property
    def carries(self) -> str:
        """What is on it."""

    @property
    def needs(self) -> str:
        """What is fitted beside it, "" for nothing."""

    @property
    def pulled(self) -> bool:
        """Whether that is a resistor."""


def draw_wiring(link: Link, board: str, end: str, wires: Sequence[WireLike], path: Path) -> None:
    """Draw the wires of one end, fit to print and to hold beside the board."""
    plt = pyplot()
    groups = [(name, list(ones)) for name, ones in groupby(wires, key=lambda one: one.to.split(",")[0])]
    high = ROW * (len(wires) + 0.5 * len(groups)) + FOOT + 1.1
    figure, axis = plt.subplots(figsize=(12.8, max(8.0, high)))
    figure.subplots_adjust(0, 0, 1, 1)
    top = max(8.0, high) - 1.1
    axis.text(0.3, top + 0.6, link.name, fontsize=22, fontweight="bold", va="center")
    axis.text(12.5, top + 0.6, f"wires of the {end}", fontsize=14, color=GREY, ha="right", va="center")
    y = top - 0.2
    first = y
    for place, (name, ones) in enumerate(groups):
        _draw_device(axis, link, name, ones, y, FIELD_COLOURS[place % len(FIELD_COLOURS)])
        y -= ROW * (len(ones) + 0.5)
    _draw_board(axis, board, first + 0.3, y + 0.35)
    _draw_rules(axis, link, end, wires)
    axis.set_xlim(0, 12.8)
    axis.set_ylim(0, top + 1.1)
    axis.axis("off")
    save(figure, path)
    plt.close(figure)


def _draw_board(axis: Any, board: str, top: float, bottom: float) -> None:
    from matplotlib.patches import FancyBboxPatch

    axis.add_patch(
        FancyBboxPatch(
            (BOARD_LEFT, bottom),
            BOARD_RIGHT - BOARD_LEFT,
            top - bottom,
            boxstyle="round,pad=0,rounding_size=0.12",
            facecolor=PALE,
            edgecolor=INK,
            linewidth=1.6,
            zorder=0,
        )
    )
    middle = (BOARD_LEFT + BOARD_RIGHT) / 2 - 0.35
    # A board with few wires is no higher than they are; then its name stands across it.
    tall = top - bottom > 0.13 * len(board)
    axis.text(
        middle,
        (top + bottom) / 2,
        board,
        fontsize=15 if tall else 10,
        rotation=90 if tall else 0,
        ha="center",
        va="center",
    )


def _draw_device(axis: Any, link: Link, name: str, ones: list[Any], top: float, colour: str) -> None:
    from matplotlib.patches import FancyBboxPatch

    low = top - ROW * (len(ones) - 1) - 0.17
    axis.add_patch(
        FancyBboxPatch(
            (DEVICE_LEFT, low),
            DEVICE_RIGHT - DEVICE_LEFT,
            top + 0.17 - low,
            boxstyle="round,pad=0,rounding_size=0.06",
            facecolor=colour,
            edgecolor=GREY,
            linewidth=1,
        )
    )
    known = {**dict.fromkeys(link.controls, "control"), **dict.fromkeys(link.telemetry, "sensor")}
    known |= {output: model.kind for output, model in link.outputs.items()}
    # What carries the link is called what it is.
    words = [name, known[name]] if name in known else [name]
    said = ("\n" if len(ones) > 1 else ", ").join(words)
    middle = top - ROW * (len(ones) - 1) / 2
    axis.text(DEVICE_RIGHT - 0.15, middle, said, fontsize=10, ha="right", va="center")
    for row, wire in enumerate(ones):
        y = top - ROW * row
        axis.plot([BOARD_RIGHT, DEVICE_LEFT], [y, y], color=SERIES[0], linewidth=1.8, zorder=1)
        axis.plot([BOARD_RIGHT], [y], marker="o", color=INK, markersize=5)
        axis.text(BOARD_RIGHT - 0.15, y, wire.pin, fontsize=11, fontweight="bold", ha="right", va="center")
        axis.text(BOARD_RIGHT + 0.2, y + 0.1, wire.carries, fontsize=8.6, color=GREY, va="center")
        inlet = wire.to.partition(", ")[2] or wire.carries
        axis.text(DEVICE_LEFT + 0.15, y, inlet, fontsize=9.4, va="center")
        if wire.pulled:
            _draw_resistor(axis, y, wire.needs)
        elif wire.needs:
            axis.text(
                DEVICE_LEFT - 0.15,
                y + 0.1,
                wire.needs,
                fontsize=7.6,
                color=SERIES[1],
                ha="right",
                va="center",
            )


def _draw_resistor(axis: Any, y: float, needs: str) -> None:
    """A resistor that hangs on a wire."""
    from matplotlib.patches import Rectangle

    left = 5.1
    axis.plot([left, left], [y, y - 0.14], color=SERIES[1], linewidth=1.4)
    axis.plot([left, left + 0.12], [y - 0.14, y - 0.14], color=SERIES[1], linewidth=1.4)
    box = Rectangle((left + 0.12, y - 0.19), 0.42, 0.1, facecolor="white", edgecolor=SERIES[1], linewidth=1.4)
    axis.add_patch(box)
    axis.text(left + 0.64, y - 0.14, needs, fontsize=7.8, color=SERIES[1], va="center")


def _draw_rules(axis: Any, link: Link, end: str, wires: Sequence[WireLike]) -> None:
    """What holds for all wires together."""
    drawn = {name: one.current_ma for name, one in link.outputs.items() if one.current_ma}
    pulled = sum(wire.pulled for wire in wires)
    servos = sum(one.stands for one in link.outputs.values())
    ground = ["Join the grounds of board, drivers, sensors", "and supplies in one place."]
    rest = [
        f"{pulled} resistors of 10 k: a pin floats while the",
        "board starts, and they keep what turns still.",
    ]
    supply = ["Motors and servos have a supply of their own:", "a motor that starts pulls a board down."]
    if drawn:
        supply.append(f"All at once they draw {sum(drawn.values())} mA.")
    elif servos or end == "machine":
        supply.append("Say current_ma of each, and check adds it up.")
    radio = ["The radio takes 1.9 to 3.6 V and never 5 V,", "with 10 uF or more at the module."]
    has_radio = any(wire.to.startswith("the radio") for wire in wires)
    supply += radio if has_radio else []
    columns = [("Ground", ground), ("While it starts", rest), ("Supply", supply)]
    if end != "machine":
        columns = [
            ("Ground", ground),
            ("Contacts", ["Buttons go to ground; the board's own", "pull-up is on."]),
            *([("Supply", radio)] if has_radio else []),
        ]
    for place, (title, lines) in enumerate(columns):
        left = 0.3 + 4.2 * place
        axis.text(left, FOOT - 0.55, title, fontsize=12, fontweight="bold", color=SERIES[1])
        for row, line in enumerate(line for one in lines for line in textwrap.wrap(one, 52)):
            axis.text(left, FOOT - 0.9 - 0.27 * row, line, fontsize=9.2)
