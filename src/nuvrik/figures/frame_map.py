"""One frame, byte by byte and bit by bit."""

from pathlib import Path
from typing import Any

from nuvrik.figures.style import FIELD_COLOURS, GREY, INK, PALE, pyplot, save
from nuvrik.plan.form.models import Link
from nuvrik.wire.codes import Value
from nuvrik.wire.frames import Encoder
from nuvrik.wire.styles.style import Part

LETTER_WIDTH = 0.22
"""Of a small letter, in bits' boxes."""

HEAD_COLOUR, CHECK_COLOUR = "#d5dde2", "#c3ccd3"


def draw_frame(link: Link, values: list[Value], seq: int, path: Path) -> None:
    """Draw a command frame: a box a byte, its bits inside, coloured by what they are."""
    plt = pyplot()
    body, parts = Encoder(link).parts(values, seq)
    colours = _colours(link, parts)
    owner = {bit: part for part in parts for bit in range(part.start, part.start + part.bits)}
    per_row = 5 if len(body) > 7 else len(body)
    rows = -(-len(body) // per_row)
    figure, axis = plt.subplots(figsize=(12.8, 1.9 + 1.75 * rows), layout="constrained")
    for index, byte in enumerate(body):
        _draw_byte(axis, index % per_row * 9.2, -(index // per_row) * 3.1, index, byte, owner, colours)
    _draw_key(axis, parts, colours, -rows * 3.1 + 1.0, per_row * 9.2)
    wire = Encoder(link).on_wire(body)
    stream = "" if link.medium.datagrams else f"; stuffed and delimited on the line: {wire.hex(' ').upper()}"
    axis.set_title(f"one command frame of {link.name}: {len(body)} bytes{stream}", fontsize=12)
    axis.set_xlim(-0.4, per_row * 9.2 - 0.4)
    axis.set_ylim(-rows * 3.1 + 1.0 - 0.8 * -(-len(parts) // 3), 2.2)
    axis.axis("off")
    save(figure, path)
    plt.close(figure)


def _colours(link: Link, parts: list[Part]) -> dict[str, str]:
    """Head and check in greys, each channel in a colour of its own, padding the palest."""
    colours = {name: FIELD_COLOURS[i % len(FIELD_COLOURS)] for i, name in enumerate(link.channels)}
    fixed = {"padding": PALE, "check": CHECK_COLOUR}
    return {part.name: colours.get(part.name) or fixed.get(part.name, HEAD_COLOUR) for part in parts}


def _draw_byte(
    axis: Any,
    left: float,
    bottom: float,
    index: int,
    byte: int,
    owner: dict[int, Part],
    colours: dict[str, str],
) -> None:
    axis.text(left, bottom + 1.55, f"byte {index}", fontsize=9, color=GREY)
    axis.text(
        left + 8, bottom + 1.55, f"{byte:02X}", fontsize=11, fontweight="bold", ha="right", family="monospace"
    )
    for bit in range(8):
        part = owner[8 * index + bit]
        # The highest bit on the left, as bytes are written.
        spot = left + 7 - bit
        axis.add_patch(_box(spot, bottom, colours[part.name]))
        axis.text(
            spot + 0.5, bottom + 0.68, str(byte >> bit & 1), ha="center", va="center", family="monospace"
        )
    seen: list[Part] = []
    for bit in range(7, -1, -1):
        part = owner[8 * index + bit]
        if part in seen:
            continue
        seen.append(part)
        here = [b for b in range(8) if owner[8 * index + b] == part]
        middle = left + 7.5 - (here[0] + here[-1]) / 2
        # What does not fit under its bits is found in the key by its colour.
        label = part.name if len(part.name) * LETTER_WIDTH <= len(here) + 0.4 else ""
        axis.text(middle, bottom - 0.12, label, ha="center", va="top", fontsize=8, color=INK)


def _box(left: float, bottom: float, colour: str, height: float = 1.15) -> Any:
    from matplotlib.patches import Rectangle

    return Rectangle((left, bottom + 0.12), 1, height, facecolor=colour, edgecolor="white", linewidth=1.2)


def _draw_key(axis: Any, parts: list[Part], colours: dict[str, str], top: float, width: float) -> None:
    down = -(-len(parts) // 3)
    for place, part in enumerate(parts):
        column, row = divmod(place, down)
        left, y = column * width / 3, top - 0.8 * row
        axis.add_patch(_box(left, y - 0.45, colours[part.name], height=0.66))
        axis.text(left + 1.4, y, part.name, va="center", fontsize=10, fontweight="bold")
        bits = f"{part.bits} bit{'s' * (part.bits > 1)}"
        axis.text(left + 5.6, y, f"{part.meaning}  ({bits})", va="center", fontsize=10, color=GREY)
