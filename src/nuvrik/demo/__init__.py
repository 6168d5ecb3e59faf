"""The data of ``nuvrik demo``: Marram's pilot crossing the harbour, made by tools/make_demo_data.py."""

from importlib.resources import files

JAM_MS = (14_000, 15_600)
"""When the radio is jammed in the demo."""

DEMO_LOSS = {"loss": 0.03, "burst_loss": 0.04, "burst_frames": 4.0}
"""How bad the demo's radio is outside the jam."""


def harbour_csv() -> str:
    """The pilot's recording, as CSV."""
    return (files(__name__) / "harbour.csv").read_text("utf-8")
