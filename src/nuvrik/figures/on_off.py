"""How well on-off keying gets through: frames lost against jitter and noise."""

import random
from pathlib import Path

from nuvrik.figures.style import SERIES, pyplot, save
from nuvrik.pulses.noise import frame_error_rate

JITTERS = (0.0, 0.04, 0.08, 0.10, 0.12, 0.14, 0.16, 0.2)
GLITCHES = (0, 20, 100, 300)


def draw_error_rate(path: Path, frames: int = 300) -> None:
    """Measure and draw it."""
    plt = pyplot()
    figure, axis = plt.subplots(figsize=(12.8, 7), layout="constrained")
    for colour, glitches in zip(SERIES, GLITCHES, strict=False):
        rng = random.Random(glitches)
        lost = [100 * frame_error_rate(jitter, glitches, frames, rng) for jitter in JITTERS]
        what = f"{glitches} glitches a second" if glitches else "no glitches"
        axis.plot([100 * jitter for jitter in JITTERS], lost, marker="o", color=colour, label=what)
    axis.set_title(f"on-off keying: frames of 12 bytes lost, of {frames} at each point, noise between them")
    axis.set_xlabel("jitter of the edges, % of a half bit (standard deviation)")
    axis.set_ylabel("frames lost, %")
    axis.legend(frameon=False)
    save(figure, path)
    plt.close(figure)
