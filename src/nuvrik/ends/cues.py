"""Cues: a value that comes back, made heard as beeps at an interval."""

from nuvrik.plan.telemetry import Cue


class Beeper:
    """When to beep for one cue. It never waits: it says whether now is the time."""

    def __init__(self, cue: Cue) -> None:
        self._cue = cue
        self._last_ms: int | None = None

    def interval_ms(self, value: object) -> int | None:
        """From beep to beep at such a value; None for silence: nothing there, or at ``slow_at`` or beyond."""
        if not isinstance(value, float | int) or isinstance(value, bool):
            return None
        cue = self._cue
        share = (value - cue.fast_at) / (cue.slow_at - cue.fast_at)
        if share >= 1:
            return None
        return round(cue.fast_ms + max(0.0, share) * (cue.slow_ms - cue.fast_ms))

    def due(self, value: object, now_ms: int) -> bool:
        """Whether to beep now."""
        interval_ms = self.interval_ms(value)
        if interval_ms is None:
            return False
        if self._last_ms is not None and now_ms - self._last_ms < interval_ms:
            return False
        self._last_ms = now_ms
        return True
