"""The data of ``nuvrik demo``, made by tools/make_demo_data.py."""

from importlib.resources import files

JAM_MS = (14_000, 15_600)
"""When the radio is jammed in the demo."""

DEMO_LOSS = {"loss": 0.03, "burst_loss": 0.04, "burst_frames": 4.0}
"""How bad the demo's radio is outside the jam."""

DATA = ("harbour.csv", "sweep.csv", "screw.csv")
"""A pilot's crossing, a sweep of both sticks, and a screw's duty against its speed."""


def demo_text(name: str) -> str:
    """One of DATA, as text."""
    return (files(__name__) / name).read_text("utf-8")
