"""How bodies are sent by switching a carrier, as a table."""

from nuvrik.core.frames.on_off import UNIT, OnOffTable
from nuvrik.core.levels import div
from nuvrik.plan.tables.made import made

FEWEST_TRAINING_BITS = 12

FASTEST, SLOWEST = 85, 118
"""Within these hundredths of the expected clock the recovered one runs: ceramic resonators and the RC clocks
inside small chips are within 10 %, and the rest is what a first guess may be off by."""


def on_off_table(bitrate: int, training_bits: int = FEWEST_TRAINING_BITS) -> OnOffTable:
    """So many bits a second, behind so many of training."""
    half = div(500_000 * UNIT, bitrate)
    return made(
        OnOffTable,
        bitrate=bitrate,
        half=half,
        fastest=div(FASTEST * half, 100),
        slowest=div(SLOWEST * half, 100),
        most_lean=half // 3,
        training_bits=training_bits,
    )
