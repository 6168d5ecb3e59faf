"""How bad a medium is."""

from dataclasses import dataclass

RANGES = {
    "loss": (0, 1),
    "burst_loss": (0, 0.95),
    "burst_frames": (1, 10_000),
    "bit_errors": (0, 1),
    "jitter": (0, 1),
    "mark_stretch_us": (0, 300),
    "lamp_per_s": (0, 2000),
}
"""How bad each may be."""


@dataclass(frozen=True)
class Conditions:
    """How bad the medium is. Shares are 0 to 1.

    ``loss`` is the share of frames lost one by one, independently; where a radio module tries again, of
    tries. ``burst_loss`` is the share lost in bursts of ``burst_frames`` on average: a two-state chain (E. N.
    Gilbert, "Capacity of a burst-noise channel", Bell System Technical Journal 39, 1960) in whose bad state
    everything is lost. ``bit_errors`` is the share of bits that arrive inverted.

    For infrared, on-off keying and pulse trains: ``jitter`` is how far each edge strays at most, as a share
    of the code's unit of time (half a bit in on-off keying, 100 us in a train). ``mark_stretch_us`` is by
    how much marks come out longer and spaces shorter, in infrared and on-off keying; ``lamp_per_s`` how
    many pulses a second a lamp adds to infrared. In a train and on-off keying ``bit_errors`` is the share
    of pulses lost.

    >>> Conditions(loss=0.05, bit_errors=1e-5).in_words()
    '5 % of frames lost one by one, one bit in 100000 inverted'
    """

    loss: float = 0.0
    burst_loss: float = 0.0
    burst_frames: float = 5.0
    bit_errors: float = 0.0
    jitter: float = 0.0
    mark_stretch_us: float = 0.0
    lamp_per_s: float = 0.0

    def __post_init__(self) -> None:
        for name, (low, high) in RANGES.items():
            value = getattr(self, name)
            if not low <= value <= high:
                raise ValueError(f"{name} is {value:g}; it must be from {low:g} to {high:g}")

    def in_words(self) -> str:
        """How bad the medium is, for people to read."""
        words = []
        if self.loss:
            words.append(f"{100 * self.loss:g} % of frames lost one by one")
        if self.burst_loss:
            words.append(f"{100 * self.burst_loss:g} % lost in bursts of {self.burst_frames:g}")
        if self.bit_errors:
            words.append(f"one bit in {1 / self.bit_errors:.0f} inverted")
        if self.jitter:
            words.append(f"edges off by up to {100 * self.jitter:g} % of a unit")
        if self.mark_stretch_us:
            words.append(f"marks {self.mark_stretch_us:g} us too long")
        if self.lamp_per_s:
            words.append(f"a lamp of {self.lamp_per_s:g} pulses a second")
        return ", ".join(words) or "on a medium without loss"
