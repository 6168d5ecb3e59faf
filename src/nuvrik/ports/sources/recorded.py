"""A recording, or the log of a live run, played as it was."""

from collections.abc import Collection

from nuvrik.plan.controls import ReadControl
from nuvrik.ports.sources.source import Items, Plain
from nuvrik.recordings.recording import Recording

LONGEST_STEP_MS = 40
"""What a turn of the loop takes beyond this is not played: on a busy computer a recording is played late, and
no press in it is passed over."""


class Pace:
    """How far a recording has been played."""

    def __init__(self) -> None:
        self.played_ms = 0
        self._before_ms = 0
        self._stumbled = False

    def pass_time(self, now_ms: int) -> int:
        """It is ``now_ms``; gives how much has been played."""
        step_ms, self._before_ms = now_ms - self._before_ms, now_ms
        stumbled, before = step_ms > LONGEST_STEP_MS, self._stumbled
        self._stumbled = stumbled
        # Readings that went stale meanwhile are first taken again as they were.
        self.played_ms += 0 if stumbled and not before else min(step_ms, LONGEST_STEP_MS)
        return self.played_ms


class Recorded(Plain):
    """A recording as a source; its items are its columns."""

    def __init__(self, name: str, recording: Recording) -> None:
        super().__init__(name)
        self._recording, self._pace = recording, Pace()
        self.items = set(recording.rows[0])

    def moves(self, name: str, control: ReadControl) -> str | None:
        """A column moves the control of its name."""
        return name if name in self.items else None

    def read(self, now_ms: int, wanted: Collection[str]) -> Items:
        """The row in force."""
        played_ms = self._pace.pass_time(now_ms)
        if played_ms >= self._recording.duration_ms:
            self.over, self.why = True, f"{self.name} has been played to its end"
            return {}
        return self._recording.at(played_ms)
