"""When the machine sent which telemetry: what a delay guard needs to know how old a command's knowledge is.

A table of all 256 sequence numbers would do, but no small chip has the room, and most of it would be too old
to matter. So the time that the guard allows is cut into SLOTS pieces, and only the first telemetry of each
piece is noted. A number between two notes counts as old as the earlier one: at most a piece older than it is,
which is the safe side.
"""

from collections import deque

SLOTS = 16
"""How finely the guard's time is cut: an age is at most a sixteenth of it too great."""

NUMBERS = 1 << 8


class Told:
    """The telemetry that is still young enough for a guard of ``guard_ms``.

    >>> told = Told(160)
    >>> told.note(7, 1000)
    >>> told.recent(7, 1160), told.recent(7, 1161), told.recent(8, 1000)
    (True, False, False)
    """

    def __init__(self, guard_ms: int) -> None:
        self._guard_ms = guard_ms
        self._count = 0
        self._last_seq = 0
        self._notes: deque[tuple[int, int]] = deque(maxlen=SLOTS + 2)
        """How many had been sent before, and when; the newest last."""

    def note(self, seq: int, now_ms: int) -> None:
        """A frame of that sequence number goes out now."""
        self._count += (seq - self._last_seq) % NUMBERS if self._count else 1
        self._last_seq = seq
        if not self._notes or now_ms - self._notes[-1][1] >= self._guard_ms // SLOTS:
            self._notes.append((self._count, now_ms))

    def recent(self, seq: int, now_ms: int) -> bool:
        """Whether the frame of that sequence number was sent no longer than ``guard_ms`` ago."""
        back = (self._last_seq - seq) % NUMBERS
        for count, at_ms in reversed(self._notes):
            if self._count - count >= back:
                return self._count - back > 0 and now_ms - at_ms <= self._guard_ms
        return False
