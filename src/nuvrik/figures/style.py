"""One look for every figure, and the only place where Matplotlib is set up."""

import io
from pathlib import Path
from typing import Any

from nuvrik.ports.files import write_file

INK, GREY, PALE = "#1d2b36", "#6f7f8a", "#e6ebee"
SERIES = ("#0f6e84", "#c8641b", "#6a4c93", "#4d7c2a", "#b03060", "#8a6d00")
STATE_COLOURS = {
    "WAITING": "#c9d2d8",
    "STANDBY": "#f2cf66",
    "ARMED": "#7fb98a",
    "FAILSAFE": "#d9583b",
    "STOPPED": "#7b3f61",
}
FIELD_COLOURS = ("#bcdce3", "#f4d3b5", "#d9cbe8", "#cfe3bd", "#f0c9d8", "#ece2b0")


def pyplot() -> Any:
    """Matplotlib's pyplot, drawing to files and never to a screen."""
    import matplotlib

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt

    plt.rcParams.update(
        {
            "font.size": 10,
            "text.color": INK,
            "axes.edgecolor": GREY,
            "axes.labelcolor": INK,
            "axes.titlesize": 10,
            "axes.titleweight": "bold",
            "axes.titlelocation": "left",
            "axes.spines.top": False,
            "axes.spines.right": False,
            "xtick.color": GREY,
            "ytick.color": GREY,
            "figure.facecolor": "white",
            "savefig.dpi": 100,
            # A name with dollar signs in it is a name, not a formula.
            "text.parse_math": False,
        }
    )
    return plt


def save(figure: Any, path: Path) -> None:
    """Write a figure, in the form that the ending of its name says."""
    made = io.BytesIO()
    figure.savefig(made, format=path.suffix.removeprefix(".").lower() or "png")
    write_file(path, made.getvalue())
